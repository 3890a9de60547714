//! The folder channel: the documents as files below a folder that the operator of the machine
//! allows, in subfolders that the record names.

use serde::{Deserialize, Serialize};

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::Diagnostic;
use crate::dispatch::file_name;
use crate::language::Scope;
use crate::template::TextTemplate;

/// The settings of the folder channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct FolderChannel {
    /// The name of the allowed folder.
    pub folder: String,
    /// The subfolders below it, separated by `/`, with placeholders; blank for none. Those that
    /// are missing are made.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub path: String,
    /// What is done where a file of the name is there already.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub clash: Clash,
}

/// What is done where a file of the name is there already.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Clash {
    /// The new file gets a number: `Licence (2).pdf`.
    #[default]
    Number,
    /// The new file takes the other's place.
    Replace,
    /// The delivery fails; the other file stays.
    Fail,
}

/// The most subfolders below an allowed folder.
const DEEPEST: usize = 12;

impl Settings for FolderChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        Box::new(FolderPlan {
            folder: self.folder.trim().to_owned(),
            path: segments(&self.path).iter().map(|segment| TextTemplate::new(segment)).collect(),
            clash: self.clash,
        })
    }
}

/// The parts of a path pattern. A `/` within a placeholder parts nothing.
fn segments(pattern: &str) -> Vec<String> {
    let mut all = vec![String::new()];
    let (mut within, mut quote) = (false, None);
    let mut chars = pattern.trim().chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '/' | '\\' if !within => {
                all.push(String::new());
                continue;
            }
            '[' if !within && chars.peek() == Some(&':') => within = true,
            ']' if within && quote.is_none() => within = false,
            '"' | '\'' if within => match quote {
                None => quote = Some(c),
                Some(open) if open == c => quote = None,
                Some(_) => {}
            },
            _ => {}
        }
        if let Some(last) = all.last_mut() {
            last.push(c);
        }
    }
    all.retain(|segment| !segment.trim().is_empty());
    all
}

#[derive(Debug)]
struct FolderPlan {
    folder: String,
    path: Vec<TextTemplate>,
    clash: Clash,
}

/// Where the files of a record go.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FolderPayload {
    /// The name of the allowed folder.
    pub folder: String,
    /// The subfolders below it: plain names.
    pub path: Vec<String>,
    /// What is done where a file of the name is there already.
    pub clash: Clash,
}

impl ChannelPlan for FolderPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        self.path.iter().map(|text| ("subfolders", text)).collect()
    }

    fn faults(&self) -> Vec<Fault> {
        let mut faults = Vec::new();
        if self.folder.is_empty() {
            faults.push(Fault::value("no-folder", "folder", "no folder. Choose one."));
        }
        if self.path.len() > DEEPEST {
            faults.push(Fault::value("too-deep", "subfolders", format!("at most {DEEPEST} subfolders")));
        }
        faults
    }

    fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        if self.folder.is_empty() || world.folders.contains(&self.folder) {
            return Vec::new();
        }
        let message =
            format!("the folder “{}” is not allowed on this machine. Start Mangle with --allow-folder, or choose another.", self.folder);
        vec![Diagnostic::error("folder", message)]
    }

    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault> {
        let mut path = Vec::with_capacity(self.path.len());
        for text in &self.path {
            let filled = fill("subfolders", text, scope)?;
            let blank =
                || Fault::value("blank-folder", "subfolders", "a subfolder's name is blank. Add a field that has a value in every record.");
            path.push(file_name(&filled).ok_or_else(blank)?);
        }
        let files: Vec<String> = made.to_send().iter().map(|format| format!("{}.{}", made.file_name, format.extension())).collect();
        let to = std::iter::once(self.folder.as_str()).chain(path.iter().map(String::as_str)).collect::<Vec<_>>().join("/");
        let payload = FolderPayload { folder: self.folder.clone(), path, clash: self.clash };
        Ok(Parcel {
            shown: vec![Shown::new("Folder", to.clone()), Shown::new("Files", files.join(", "))],
            to,
            documents: made.to_send(),
            payload: serde_json::to_value(&payload).unwrap_or_default(),
            ..Parcel::default()
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_is_parted_outside_placeholders_only() {
        assert_eq!(segments("Licences/[: year]/[: name]"), ["Licences", "[: year]", "[: name]"]);
        assert_eq!(segments("/[: due as date \"yyyy/MM\"]//x\\y/"), ["[: due as date \"yyyy/MM\"]", "x", "y"]);
        assert_eq!(segments("[: if(a = \"]/\"; b; c)]/d"), ["[: if(a = \"]/\"; b; c)]", "d"]);
        assert_eq!(segments("  "), Vec::<String>::new());
    }
}
