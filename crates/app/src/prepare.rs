//! What a dispatch needs to make documents: its template, its records and its
//! plan, ready in memory.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex};

use anyhow::{Context as _, Result};
use jiff::civil::{Date, DateTime};
use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::{Plan, Served, Setup, TieState, joint_record, joint_schema, name_uses, tie_states};
use mangle_core::language::{Clock, Context, Folded, Scope};
use mangle_core::records::{Filter, Record, Schema, Sheet, label};
use mangle_core::template::{Clauses, Condition};
use mangle_core::value::read::Reading;
use mangle_core::value::{Locale, Value};
use mangle_documents::formats::{ByRule, Means, Rule, Template};
use mangle_documents::layout::FontSet;

use crate::App;
use crate::cache::Weigh;
use crate::error::Error;
use crate::packs::Opening;
use crate::pictures::OfficePictures;
use crate::share::Links;
use crate::store::dispatches::Dispatch;
use crate::store::settings::Settings;
use crate::store::sheets::SheetChange;
use crate::store::snapshots::Snapshot;
use crate::store::templates::{PACK, Version};
use crate::store::{fonts, messages, pictures, sheets, templates};

/// A sheet with its records.
#[derive(Debug)]
pub struct LoadedSheet {
    pub sheet: Sheet,
    pub reading: Reading,
    /// How many cells of each column do not fit its type.
    pub misfits: Vec<usize>,
    /// The columns whose cells a person can write: no formula, relation or query fills them.
    pub written: HashSet<Folded>,
    /// The columns of money whose cells name their currency themselves.
    pub signed: HashSet<Folded>,
    /// How many bytes its records take, about.
    size: usize,
    /// The revision of the sheets that it was read under.
    revision: i64,
    /// The day on which it was worked out, where its values change with the day.
    day: Option<Date>,
    /// The last looks at it, with the places of their rows.
    looks: Mutex<Vec<(String, Arc<Vec<usize>>)>>,
}

/// How many looks at a sheet are kept.
const LOOKS_KEPT: usize = 4;

impl LoadedSheet {
    fn new(loaded: sheets::Loaded, revision: i64, day: Date) -> LoadedSheet {
        let sheets::Loaded { sheet, reading, moves, written, signed } = loaded;
        LoadedSheet::of(sheet, reading, (written, signed), revision, moves.then_some(day))
    }

    fn of(
        sheet: Sheet,
        reading: Reading,
        (written, signed): (HashSet<Folded>, HashSet<Folded>),
        revision: i64,
        day: Option<Date>,
    ) -> LoadedSheet {
        let mut misfits = vec![0; sheet.schema.columns().len()];
        let mut size = 0;
        for record in &sheet.records {
            size += size_of::<Record>();
            for (count, value) in misfits.iter_mut().zip(record.values()) {
                *count += usize::from(matches!(value, Value::Misfit(_)));
                size += size_of_value(value);
            }
        }
        LoadedSheet { sheet, reading, misfits, written, signed, size, revision, day, looks: Mutex::default() }
    }

    fn copy(&self) -> LoadedSheet {
        LoadedSheet::of(self.sheet.clone(), self.reading, (self.written.clone(), self.signed.clone()), self.revision, self.day)
    }

    /// What a look gives, worked out once while the sheet stays as it is.
    pub fn looked<E>(&self, look: String, work: impl FnOnce() -> Result<Vec<usize>, E>) -> Result<Arc<Vec<usize>>, E> {
        if let Some((_, rows)) = lock(&self.looks).iter().find(|(own, _)| *own == look) {
            return Ok(rows.clone());
        }
        let rows = Arc::new(work()?);
        let mut looks = lock(&self.looks);
        looks.truncate(LOOKS_KEPT - 1);
        looks.insert(0, (look, rows.clone()));
        Ok(rows)
    }

    /// Its columns, its relations among them.
    pub fn columns(&self) -> Vec<sheets::ColumnInfo> {
        self.sheet.schema.columns().iter().map(sheets::ColumnInfo::of).collect()
    }
}

/// The most rows that an open sheet takes over one by one.
const MOST_PATCHED: usize = 5_000;

/// A compiled template with the size of its file.
#[derive(Debug, Clone)]
pub struct LoadedTemplate {
    template: Arc<dyn Template>,
    size: usize,
}

/// How many times as large as its file a compiled template is, about: it is unpacked, and its
/// pictures are at hand.
const UNPACKED: usize = 6;

impl Weigh for LoadedTemplate {
    fn bytes(&self) -> usize {
        self.size.saturating_mul(UNPACKED)
    }
}

impl Weigh for Arc<LoadedSheet> {
    fn bytes(&self) -> usize {
        self.size
    }
}

impl App {
    /// The compiled template of a version.
    pub async fn template(&self, version: i64) -> Result<Arc<dyn Template>, Error> {
        self.open_version(version, Opening::default(), &[]).await
    }

    /// The compiled template of a version, as it is opened; `above` are the packs that it is within.
    pub(crate) async fn open_version(&self, version: i64, opening: Opening<'_>, above: &[i64]) -> Result<Arc<dyn Template>, Error> {
        let own_fonts = match opening.fonts {
            Some(fonts) if self.store.with(|c| fonts::files(c)).await? != fonts => Some(fonts),
            _ => None,
        };
        if let Some(ready) = self.templates.get(&version).filter(|_| own_fonts.is_none()) {
            return Ok(ready.template);
        }
        let found = self.store.with(move |c| Ok::<_, anyhow::Error>((templates::version(c, version)?, templates::of_version(c, version)?)));
        let (Some(found), Some(template)) = found.await? else { return Err(Error::missing("the template")) };
        if found.kind == PACK {
            let above = above.iter().copied().chain([template]).collect();
            return self.open_pack(self.files.get(&found.file).await?, opening, above).await;
        }
        match own_fonts {
            Some(fonts) => Ok(self.open_template(&found, self.font_set(fonts).await?).await?.template),
            None => {
                let ready = self.open_template(&found, self.fonts().await?).await?;
                self.templates.insert(version, ready.clone());
                Ok(ready.template)
            }
        }
    }

    /// The compiled template of a version in the office as it was when a snapshot of it was taken.
    async fn template_in(&self, version: i64, office: &Snapshot) -> Result<Arc<dyn Template>, Error> {
        let opening = Opening { versions: Some(&office.versions), fonts: Some(&office.fonts) };
        self.open_version(version, opening, &[]).await
    }

    /// The templates of a set-up's rules as one.
    async fn by_rule(&self, setup: &Setup, own: Arc<dyn Template>, office: &Snapshot) -> Result<Arc<dyn Template>, Error> {
        let (mut rules, mut gone): (Vec<Rule>, Vec<Diagnostic>) = (Vec::with_capacity(setup.rules.len()), Vec::new());
        for (at, rule) in setup.rules.iter().enumerate() {
            // One that can't be used is a problem of the set-up.
            let condition = Condition::read(&rule.condition).unwrap_or_default();
            let template = match rule.template {
                None => None,
                Some(used) => {
                    let found = self.store.with(move |c| templates::get(c, used.id)).await?;
                    match found.as_ref().and_then(|own| own.version(used.version)).map(|version| version.id) {
                        Some(version) => Some(self.template_in(version, office).await?),
                        None => {
                            let message = format!("the template of rule {} no longer exists. Choose another.", at + 1);
                            gone.push(Diagnostic::error("rule", message));
                            None
                        }
                    }
                }
            };
            rules.push((condition, template));
        }
        Ok(Arc::new(ByRule::new(rules, own, setup.otherwise).with_problems(gone)))
    }

    async fn open_template(&self, found: &Version, fonts: Arc<FontSet>) -> Result<LoadedTemplate, Error> {
        let format = found.format()?;
        let bytes = self.files.get(&found.file).await?;
        let size = bytes.len();
        Ok(LoadedTemplate { template: blocking(move || format.open(bytes.into(), &fonts)).await??, size })
    }

    /// The fonts that ship and those that a person brought in.
    pub async fn fonts(&self) -> Result<Arc<FontSet>> {
        if let Some(ready) = lock(&self.fonts).as_ref() {
            return Ok(ready.clone());
        }
        let set = self.font_set(&self.store.with(|c| fonts::files(c)).await?).await?;
        *lock(&self.fonts) = Some(set.clone());
        Ok(set)
    }

    /// The fonts that ship and those of some files.
    async fn font_set(&self, own: &[String]) -> Result<Arc<FontSet>> {
        let mut files = Vec::with_capacity(own.len());
        for file in own {
            files.push(self.files.get(file).await?);
        }
        match files.is_empty() {
            true => Ok(FontSet::shipped().clone()),
            false => blocking(move || Arc::new(FontSet::shipped().with(files))).await,
        }
    }

    /// Forgets the fonts and what was opened with them.
    pub fn forget_fonts(&self) {
        *lock(&self.fonts) = None;
        self.templates.clear();
    }

    /// A sheet with its records, as the store has it now.
    pub async fn sheet(&self, id: i64) -> Result<Arc<LoadedSheet>, Error> {
        let now = self.now();
        let revision = self.store.with(|c| sheets::revision(c)).await?;
        let current = |s: &Arc<LoadedSheet>| s.revision == revision && s.day.is_none_or(|day| day == now.date());
        if let Some(ready) = self.sheets.get(&id).filter(current) {
            return Ok(ready);
        }
        let loaded = self.store.read(move |c| -> Result<_> {
            let revision = sheets::revision(c)?;
            Ok(sheets::load(c, id, now)?.map(|loaded| (loaded, revision)))
        });
        let (loaded, revision) = loaded.await?.ok_or_else(|| Error::missing("the sheet"))?;
        let loaded = Arc::new(blocking(move || LoadedSheet::new(loaded, revision, now.date())).await?);
        self.sheets.insert(id, loaded.clone());
        Ok(loaded)
    }

    /// Gives the memory of open sheets back. Whether one is current is told by its revision.
    pub fn forget_sheets(&self) {
        self.sheets.clear();
    }

    /// Takes over rows that one change has written, added, deleted or moved, where the open
    /// sheet was current before it: it is kept in use instead of being read anew.
    pub async fn rows_changed(&self, id: i64, rows: Vec<usize>, change: SheetChange) {
        if rows.len() > MOST_PATCHED {
            return self.forget_sheets();
        }
        let _one_at_a_time = self.patching.lock().await;
        let open = self.sheets.take(&id);
        self.sheets.clear();
        let now = self.now();
        let current = |s: &Arc<LoadedSheet>| s.revision == change.before && s.day.is_none_or(|day| day == now.date());
        let Some(open) = open.filter(current) else { return };
        let patched = self.store.read(move |c| -> Result<_> {
            // What else has changed since is not among the rows.
            if sheets::revision(c)? != change.after {
                return Ok(None);
            }
            // Most often nobody else looks at it just now, and nothing is copied.
            let LoadedSheet { mut sheet, reading, written, signed, day, .. } = Arc::try_unwrap(open).unwrap_or_else(|shared| shared.copy());
            let done = sheets::patch(c, id, &mut sheet, &rows, now)?;
            Ok(done.then(|| LoadedSheet::of(sheet, reading, (written, signed), change.after, day)))
        });
        match patched.await {
            Ok(Some(patched)) => self.sheets.insert(id, Arc::new(patched)),
            Ok(None) => {}
            // The rows are changed all the same: the sheet is read anew when it is asked for.
            Err(error) => tracing::warn!(error = format!("{error:#}"), "an open sheet was not updated"),
        }
    }

    /// Everything that a set-up needs.
    pub async fn prepare(
        &self,
        dispatch: &Dispatch,
        setup: Setup,
        template: Option<i64>,
        sheet: Option<i64>,
        moment: DateTime,
    ) -> Result<Prepared, Error> {
        let (id, name) = (dispatch.id, dispatch.name.clone());
        let taken =
            self.store.read(move |c| -> Result<_, Error> { Ok((Snapshot::take(c, (id, &name), sheet)?, messages::resolve(c, &setup)?)) });
        let (now, setup) = taken.await?;
        self.prepare_in(&now, setup, template, sheet, moment).await
    }

    /// The same in the office as it was when a snapshot of it was taken.
    pub async fn prepare_in(
        &self,
        office: &Snapshot,
        setup: Setup,
        template: Option<i64>,
        sheet: Option<i64>,
        moment: DateTime,
    ) -> Result<Prepared, Error> {
        let template = match template {
            Some(version) => {
                let own = self.template_in(version, office).await?;
                Some(if setup.rules.is_empty() { own } else { self.by_rule(&setup, own, office).await? })
            }
            None => None,
        };
        let sheet = match sheet {
            Some(id) => Some(self.sheet(id).await?),
            None => None,
        };
        let pictures = OfficePictures::new(&office.pictures(), self.files.clone(), &office.settings.picture_hosts);
        let mut prepared = Prepared::new(setup, template, sheet, Arc::new(pictures), moment, office.settings.clone());
        prepared.context.dispatch.clone_from(&office.dispatch);
        prepared.context.clauses = self.library(office);
        let shares = prepared.plan.channels.iter().any(|channel| channel.kind == "link");
        if let Some(url) = self.public_url.as_ref().filter(|_| shares) {
            prepared.links = Some(Links::new(url, &self.secrets.derive("share links")));
        }
        if let Some(reading) = office.reading() {
            prepared.context.reading = reading;
        }
        Ok(prepared)
    }

    /// The clauses of an office, compiled once while they stay the same.
    fn library(&self, office: &Snapshot) -> Arc<Clauses> {
        let mut ready = lock(&self.clauses);
        match ready.as_ref() {
            Some((of, library)) if of.same_clauses(office) => library.clone(),
            _ => {
                let library = office.library();
                *ready = Some((office.clone(), library.clone()));
                library
            }
        }
    }

    /// The pictures beside a sheet, of a dispatch's folder, and of the hosts that are
    /// allowed.
    pub async fn pictures(&self, dispatch: Option<i64>, sheet: Option<i64>, office: &Settings) -> Result<OfficePictures> {
        let found = self.store.with(move |c| pictures::at_hand(c, dispatch, sheet));
        Ok(OfficePictures::new(&found.await?, self.files.clone(), &office.picture_hosts))
    }
}

/// How many bytes a value takes, about; records that several share count for each.
fn size_of_value(value: &Value) -> usize {
    let beyond = match value {
        // Short texts lie in the value itself.
        Value::Text(text) if text.len() > 15 => text.len(),
        Value::List(items) => items.iter().map(size_of_value).sum(),
        Value::Record(record) => record.values().iter().map(size_of_value).sum(),
        Value::Misfit(misfit) => size_of::<mangle_core::value::Misfit>() + misfit.text.len(),
        _ => 0,
    };
    size_of::<Value>() + beyond
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Runs heavy work beside the async runtime.
pub async fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T> {
    tokio::task::spawn_blocking(work).await.context("a task was interrupted")
}

/// Records chosen, and the rows on which the filter can't be worked out, with
/// the reason.
pub type Chosen<'a> = (Vec<&'a Record>, Vec<(usize, String)>);

/// A dispatch ready to make documents.
#[derive(Debug)]
pub struct Prepared {
    pub setup: Setup,
    pub plan: Plan,
    pub template: Option<Arc<dyn Template>>,
    pub sheet: Option<Arc<LoadedSheet>>,
    pub settings: Settings,
    /// The columns that the template's names are looked up in first: the sheet's, or
    /// those of a joint document.
    pub schema: Arc<Schema>,
    /// What the dispatch made of the rows before; by their numbers.
    pub served: HashMap<usize, Served>,
    /// The rows that count alone; none for all.
    pub only: Option<HashSet<usize>>,
    /// What share links are made of; none where the set-up has none.
    pub links: Option<Links>,
    pictures: Arc<OfficePictures>,
    context: Context,
}

impl Prepared {
    fn new(
        setup: Setup,
        template: Option<Arc<dyn Template>>,
        sheet: Option<Arc<LoadedSheet>>,
        pictures: Arc<OfficePictures>,
        moment: DateTime,
        settings: Settings,
    ) -> Prepared {
        let locale = Locale::parse(&setup.locale).unwrap_or_else(|_| Locale::english());
        // Dates and times print by the office's clock.
        let moment = crate::clock::local(moment, &settings.zone());
        let mut context = Context::new(locale, moment);
        context.clock = Clock { now: moment };
        context.office = settings.office();
        if let Some(sheet) = &sheet {
            context.reading = sheet.reading;
        }
        let schema = match &sheet {
            Some(sheet) if setup.joint => joint_schema(&sheet.sheet.schema),
            Some(sheet) => sheet.sheet.schema.clone(),
            None => Arc::default(),
        };
        let (plan, served) = (Plan::new(&setup), HashMap::new());
        Prepared { plan, schema, setup, template, sheet, settings, served, only: None, links: None, pictures, context }
    }

    /// The locale by which values print.
    pub fn locale(&self) -> Arc<Locale> {
        self.context.locale.clone()
    }

    /// What documents are filled with besides their records.
    pub fn means(&self) -> Means<'_> {
        Means { pictures: &*self.pictures, answers: &self.setup.answers }
    }

    /// The context of one document of a run.
    pub fn context(&self, record: &Record, number: usize, count: usize) -> Context {
        self.linked(self.plan.context(&self.context, record, number, count))
    }

    /// With the share link of its document.
    fn linked(&self, context: Context) -> Context {
        Context { link: self.links.as_ref().map(|links| links.link(context.run_number)), ..context }
    }

    /// The same, which notices what may surprise the recipient.
    pub fn noticing_context(&self, record: &Record, number: usize, count: usize) -> Context {
        let mut run = self.context.clone();
        run.noticed.ask();
        self.linked(self.plan.context(&run, record, number, count))
    }

    /// What a name is looked up in for one record.
    pub fn scope<'a>(&'a self, record: &'a Record, context: &'a Context) -> Scope<'a> {
        Scope::new(record, &self.plan.ties, context)
    }

    /// How the template's and the texts' names are tied.
    pub fn ties(&self) -> Vec<TieState> {
        if self.sheet.is_none() {
            return Vec::new();
        }
        let document = self.template.iter().flat_map(|t| t.placeholders());
        let texts = self.plan.placeholders();
        tie_states(&name_uses(document.chain(texts)), &self.schema, &self.setup.ties)
    }

    /// Whether a row is among those picked by hand, where some are, and not left out.
    fn by_hand(&self) -> impl Fn(usize) -> bool + use<> {
        let left_out: HashSet<usize> = self.setup.left_out.iter().copied().collect();
        let picked: HashSet<usize> = self.setup.picked.iter().copied().collect();
        move |row| !left_out.contains(&row) && (picked.is_empty() || picked.contains(&row))
    }

    /// The records that the filter chooses and no one left out.
    pub fn chosen(&self) -> Result<Chosen<'_>, Error> {
        let Some(sheet) = &self.sheet else { return Ok((Vec::new(), Vec::new())) };
        let filter = match self.setup.filter.trim() {
            "" => None,
            text => Some(
                Filter::read(text, &sheet.sheet.schema).map_err(|e| Error::unusable("filter", format!("the filter can't be used: {e}")))?,
            ),
        };
        let (mut chosen, mut unclear) = (Vec::new(), Vec::new());
        let by_hand = self.by_hand();
        let counts = |row: &usize| self.only.as_ref().is_none_or(|only| only.contains(row));
        let taken = |r: &&Record| counts(&r.number) && by_hand(r.number) && self.setup.choose.takes(self.served.get(&r.number));
        for record in sheet.sheet.records.iter().filter(taken) {
            match filter.as_ref().map_or(Ok(true), |f| f.passes(record, &self.context)) {
                Ok(true) if !self.makes(record) => {}
                Ok(true) => chosen.push(record),
                Ok(false) => {}
                Err(error) => unclear.push((record.number, error.to_string())),
            }
        }
        Ok((chosen, unclear))
    }

    /// Whether a record has a document, by the rules for templates. Where these can't be worked
    /// out it is found in preflight.
    fn makes(&self, record: &Record) -> bool {
        let Some(template) = self.template.as_ref().filter(|_| !self.setup.rules.is_empty() && !self.plan.joint) else { return true };
        template.pick(&self.scope(record, &self.context)).map_or(true, |picked| template.makes(picked))
    }

    /// How many of the records that the filter takes each rule for templates takes, and how many
    /// none does.
    pub fn taken_by_rules(&self) -> Vec<usize> {
        let mut taken = vec![0; self.setup.rules.len() + 1];
        let (Some(template), Some(sheet)) = (&self.template, &self.sheet) else { return taken };
        let filter = Filter::read(&self.setup.filter, &sheet.sheet.schema).ok();
        let by_hand = self.by_hand();
        for record in sheet.sheet.records.iter().filter(|record| by_hand(record.number)) {
            let passes = filter.as_ref().is_none_or(|filter| filter.passes(record, &self.context).unwrap_or_default());
            if let (true, Ok(picked)) = (passes, template.pick(&self.scope(record, &self.context))) {
                taken[picked.min(self.setup.rules.len())] += 1;
            }
        }
        taken
    }

    /// Which of the records meet a condition. One on which it can't be worked out does not.
    pub fn meets(&self, condition: &str) -> Result<Vec<(usize, bool)>, Error> {
        let Some(sheet) = &self.sheet else { return Ok(Vec::new()) };
        let filter = Filter::read(condition, &sheet.sheet.schema)
            .map_err(|e| Error::unusable("condition", format!("the condition can't be used: {e}")))?;
        let meets = |record: &Record| (record.number, filter.passes(record, &self.context).unwrap_or_default());
        Ok(sheet.sheet.records.iter().map(meets).collect())
    }

    /// What to call a record.
    pub fn label(&self, record: &Record) -> String {
        label(record, &self.setup.label)
    }

    /// The records that documents are made of: the given ones, or the one of the joint
    /// document that serves them all.
    pub fn documents<'a>(&self, chosen: &[&'a Record]) -> Vec<Cow<'a, Record>> {
        match self.plan.joint {
            false => chosen.iter().map(|record| Cow::Borrowed(*record)).collect(),
            true if chosen.is_empty() => Vec::new(),
            true => vec![Cow::Owned(joint_record(self.schema.clone(), chosen))],
        }
    }
}
