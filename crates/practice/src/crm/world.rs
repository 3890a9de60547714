//! What the practice CRM holds: 214 refit cases with all that hangs on them, the
//! same each time it starts.

use std::collections::{BTreeMap, HashMap};

use axum::body::Bytes;
use serde_json::{Map, Value, json};

use super::model::{DOCUMENTS, Entity, MODEL};

/// An entity.
pub type Entry = Map<String, Value>;

/// The entities by their set, and the ways between them.
#[derive(Debug, Default)]
pub struct World {
    sets: BTreeMap<&'static str, Vec<Entry>>,
    /// By set and property, keys and those that ways go by: which entities have a value, in their order.
    by_value: HashMap<(&'static str, &'static str), HashMap<String, Vec<usize>>>,
    /// How often an entity was changed, by set and key.
    changed: HashMap<(&'static str, String), u64>,
    /// The documents' bytes with their media types, by key.
    media: HashMap<String, (String, Bytes)>,
}

const SALUTATIONS: [&str; 4] = ["Ms", "Mr", "Mrs", ""];
const FIRST: [&str; 16] = [
    "Anselm", "Femke", "Jörg", "Ada", "Idris", "Odile", "Piet", "Yusuf", "Maren", "Tamsin", "Gil", "Brigid", "Corentin", "Zoë", "Hedda",
    "Ines",
];
const LAST: [&str; 17] = [
    "Lisle",
    "Achterberg",
    "Brückner",
    "Quayle",
    "Penhallow",
    "Vautrin",
    "de Boer",
    "Okonjo",
    "Thorsen",
    "Garrick",
    "van der Meulen",
    "Sorrel",
    "Le Goff",
    "Hale",
    "Kelling",
    "Ravn",
    "Ó Broin",
];
const TOWNS: [(&str, &str, &str); 4] = [
    ("en-GB", "BQ1 1AH", "Brackwater"),
    ("nl-NL", "8861 KX", "Harlingerzijl"),
    ("de-DE", "26434", "Horumerdeich"),
    ("fr-FR", "29900", "Port-Aven"),
];
const STREETS: [&str; 6] = ["Sailmaker Street", "Ropewalk", "Quay Lane", "Tidewharf", "Lantern Hill", "Oakum Yard"];
const BOATS: [&str; 19] = [
    "Bluebottle",
    "Grace",
    "Tern",
    "Marigold",
    "Nautilus’ Daughter",
    "Kittiwake",
    "Sea Holly",
    "Wanderfalke",
    "Zeemeeuw",
    "Étoile du Matin",
    "The Unsinkable Second Thoughts of Captain Merriweather",
    "Petrel",
    "Halcyon",
    "Ondine",
    "Stormvogel",
    "Curlew",
    "Sandpiper",
    "Fulmar",
    "Eider",
];
const STAGES: [&str; 6] = ["Enquiry", "Inspected", "Quoted", "Approved", "In the yard", "Handed over"];
const WORK: [(&str, &str, &str, f64); 12] = [
    ("Hull", "Sand and prime below the waterline", "m²", 41.5),
    ("Hull", "Antifouling, two coats", "m²", 27.9),
    ("Hull", "Polish the topsides", "m", 38.0),
    ("Rig", "Replace the standing rigging", "piece", 312.0),
    ("Rig", "Rig inspection aloft", "h", 78.0),
    ("Engine", "Winterise the engine", "piece", 212.0),
    ("Engine", "Replace the impeller", "piece", 74.9),
    ("Engine", "Align the shaft", "h", 82.0),
    ("Electrics", "New battery bank", "piece", 1480.0),
    ("Electrics", "Rewire the mast", "h", 76.0),
    ("Deck", "Rebed the stanchions", "piece", 96.0),
    ("Deck", "Renew the teak caulking", "m", 22.4),
];
const DEFECTS: [(&str, &str, &str); 8] = [
    ("Crazing round the stanchion bases", "foredeck", "minor"),
    ("Play in the rudder bearing", "stern gear", "major"),
    ("Blisters below the waterline", "hull, port side", "major"),
    ("Chafed halyard", "mast", "minor"),
    ("Weeping keel bolt", "bilge", "major"),
    ("Corroded anode", "propeller shaft", "minor"),
    ("Soft deck core", "cockpit sole", "major"),
    ("Perished hatch seal", "fore hatch", "minor"),
];
const PEOPLE: [(&str, &str, &str); 9] = [
    ("Ida Kelling", "ida", "Harbour master"),
    ("Piet de Boer", "piet", "Yard foreman"),
    ("Idris Penhallow", "idris", "Surveyor"),
    ("Yusuf Okonjo", "yusuf", "Rigger"),
    ("Maren Thorsen", "maren", "Office"),
    ("Gil Sorrel", "gil", "Crane"),
    ("Tamsin Garrick", "tamsin", "Painter"),
    ("Odile Vautrin", "odile", "Engines"),
    ("Hedda Ravn", "hedda", "Office"),
];

/// Numbers that look like chance and are the same each time (splitmix64).
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((mixed ^ (mixed >> 31)) % most as u64) as usize
    }

    fn of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        &all[self.below(all.len())]
    }
}

impl World {
    /// The yard as it is each morning, with so many cases.
    pub fn new(cases: usize) -> World {
        let mut world = World::default();
        let mut dice = Dice(2026);
        for (at, (name, mail, role)) in PEOPLE.iter().enumerate() {
            world.add(
                "People",
                json!({ "PersonID": at + 1, "Name": name, "Email": format!("{mail}@brackwater-quay.example"), "Role": role }),
            );
        }
        let (mut line, mut defect, mut photograph) = (0, 0, 0);
        for n in 1..=cases {
            let (language, postcode, town) = *dice.of(&TOWNS);
            let (first, last) = (*dice.of(&FIRST), *dice.of(&LAST));
            let plain: String = last.chars().filter(char::is_ascii_alphabetic).collect::<String>().to_lowercase();
            world.add(
                "Owners",
                json!({
                    "OwnerID": n, "Salutation": dice.of(&SALUTATIONS), "FirstName": first, "LastName": last,
                    "Email": if n % 23 == 0 { Value::Null } else { json!(format!("{plain}{n}@harbourmail.example")) },
                    "Language": language, "Street": format!("{} {}", 1 + dice.below(90), dice.of(&STREETS)), "Postcode": postcode, "Town": town,
                    "Since": format!("20{:02}-{:02}-{:02}", 5 + dice.below(20), 1 + dice.below(12), 1 + dice.below(28)),
                }),
            );
            let kind = *dice.of(&["sail", "motor", "classic"]);
            world.add(
                "Vessels",
                json!({ "VesselID": n, "Name": dice.of(&BOATS), "Type": kind, "LOA": 6.0 + dice.below(140) as f64 / 10.0, "OwnerID": n }),
            );
            let case = format!("RC-{n:04}");
            let mut sections: Vec<&str> = Vec::new();
            for position in 1..=dice.below(13) {
                line += 1;
                let (section, item, unit, price) = *dice.of(&WORK);
                sections.push(section);
                let qty = match unit {
                    "m²" | "m" => 4.0 + dice.below(340) as f64 / 10.0,
                    _ => 1.0 + dice.below(9) as f64,
                };
                world.add(
                    "QuoteLines",
                    json!({ "LineID": line, "CaseID": case, "Position": position, "Section": section, "Item": item, "Qty": qty, "Unit": unit, "Price": price, "Optional": dice.below(5) == 0 }),
                );
            }
            for position in 1..=dice.below(4) {
                defect += 1;
                let (title, place, severity) = *dice.of(&DEFECTS);
                world.add("Defects", json!({ "DefectID": defect, "CaseID": case, "Position": position, "Title": title, "Place": place, "Severity": severity }));
                for view in 1..=dice.below(4) {
                    photograph += 1;
                    world.add(
                        "Photographs",
                        json!({ "PhotographID": photograph, "DefectID": defect, "Caption": format!("{title}, view {view}"), "FileName": format!("{case}-{position}-{view}.jpg") }),
                    );
                }
            }
            world.add(
                "Cases",
                json!({
                    "CaseID": case, "Stage": dice.of(&STAGES), "VesselID": n, "ContactID": n, "ResponsibleID": 1 + dice.below(PEOPLE.len()),
                    "Opened": format!("2026-{:02}-{:02}T{:02}:30:00Z", 1 + dice.below(10), 1 + dice.below(28), 7 + dice.below(10)),
                    "ValidUntil": format!("2026-12-{:02}", 1 + dice.below(28)), "Discount": *dice.of(&[0, 0, 0, 5, 10]),
                    "HaulOut": sections.contains(&"Hull"),
                    "Note": if n % 7 == 0 { json!("Please ring before the crane is booked.") } else { Value::Null },
                }),
            );
        }
        world.link();
        world
    }

    fn add(&mut self, set: &'static str, entry: Value) {
        if let Value::Object(entry) = entry {
            self.sets.entry(set).or_default().push(entry);
        }
    }

    /// Finds which entities have which value of their key and of the properties that ways go by.
    fn link(&mut self) {
        let keys = MODEL.iter().map(|entity| (entity.set, entity.key().0));
        let ways = MODEL.iter().flat_map(|entity| entity.ways).map(|way| (way.to, way.other));
        self.by_value = keys.chain(ways).map(|own| (own, HashMap::new())).collect();
        for ((set, property), found) in &mut self.by_value {
            for (at, entry) in self.sets.get(set).into_iter().flatten().enumerate() {
                found.entry(key_text(&entry[*property])).or_default().push(at);
            }
        }
    }

    /// Has an entity found by its values, or no longer.
    fn found(&mut self, set: &str, at: usize, is: bool) {
        let Some(entry) = self.sets.get(set).and_then(|all| all.get(at)) else { return };
        for ((of, property), found) in &mut self.by_value {
            if *of != set {
                continue;
            }
            let places = found.entry(key_text(&entry[*property])).or_default();
            match (places.binary_search(&at), is) {
                (Err(place), true) => places.insert(place, at),
                (Ok(place), false) => {
                    places.remove(place);
                }
                _ => {}
            }
        }
    }

    /// The place of an entity by the text of its key.
    fn place(&self, set: &str, key: &str) -> Option<usize> {
        let entity = super::model::of_set(set)?;
        self.by_value.get(&(entity.set, entity.key().0))?.get(key)?.first().copied()
    }

    /// The entities of a set.
    pub fn all(&self, set: &str) -> &[Entry] {
        self.sets.get(set).map_or(&[], Vec::as_slice)
    }

    /// Those of a set whose property, one that a way goes by, has a value.
    pub fn with(&self, set: &'static str, property: &'static str, value: &Value) -> impl Iterator<Item = &Entry> {
        let places = self.by_value.get(&(set, property)).and_then(|found| found.get(&key_text(value)));
        let all = self.all(set);
        places.into_iter().flatten().filter_map(|at| all.get(*at))
    }

    /// An entity by the text of its key.
    pub fn by_key(&self, set: &str, key: &str) -> Option<&Entry> {
        self.all(set).get(self.place(set, key)?)
    }

    /// Changes properties of an entity; says whether it is there.
    pub fn change(&mut self, entity: &'static Entity, key: &str, with: &Entry) -> bool {
        let Some(at) = self.place(entity.set, key) else { return false };
        self.found(entity.set, at, false);
        let Some(entry) = self.sets.get_mut(entity.set).and_then(|all| all.get_mut(at)) else { return false };
        for (name, value) in with {
            entry.insert(name.clone(), value.clone());
        }
        self.found(entity.set, at, true);
        *self.changed.entry((entity.set, key.to_owned())).or_default() += 1;
        true
    }

    /// Adds an entity with the next number as its key, and its bytes if it has any; its key.
    pub fn create(&mut self, entity: &'static Entity, with: &Entry, media: Option<(String, Bytes)>) -> String {
        let property = entity.key().0;
        // Numbers go up, and none is taken away.
        let number = self.all(entity.set).last().and_then(|entry| entry[property].as_u64()).unwrap_or(0) + 1;
        let now = jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
        let mut entry: Entry = entity.properties.iter().map(|p| (p.0.to_owned(), Value::Null)).collect();
        entry.insert("Created".to_owned(), json!(now));
        entry.extend(with.iter().map(|(name, value)| (name.clone(), value.clone())));
        entry.insert(property.to_owned(), json!(number));
        let all = self.sets.entry(entity.set).or_default();
        all.push(entry);
        let at = all.len() - 1;
        if let Some(media) = media {
            self.media.insert(number.to_string(), media);
        }
        self.found(entity.set, at, true);
        number.to_string()
    }

    /// The bytes of a document with their media type.
    pub fn media(&self, set: &str, key: &str) -> Option<&(String, Bytes)> {
        self.media.get(key).filter(|_| set == DOCUMENTS)
    }

    /// What tells a state of an entity from its others (RFC 9110, 8.8.3).
    pub fn etag(&self, entity: &'static Entity, key: &str) -> String {
        let times = self.changed.get(&(entity.set, key.to_owned())).copied().unwrap_or(0);
        format!("W/\"{key}-{times}\"")
    }
}

/// A key as it is written in an address, without quotes.
pub fn key_text(key: &Value) -> String {
    key.as_str().map_or_else(|| key.to_string(), str::to_owned)
}

#[cfg(test)]
mod tests {
    use serde_json::{Map, json};

    use super::super::model::{MODEL, NOTES, of_set};
    use super::{World, key_text};

    /// What is found by a value is what a look at each entity finds.
    fn agrees(world: &World) {
        for way in MODEL.iter().flat_map(|entity| entity.ways) {
            for entry in world.all(way.to) {
                let value = &entry[way.other];
                let found: Vec<_> = world.with(way.to, way.other, value).collect();
                let seen: Vec<_> = world.all(way.to).iter().filter(|other| other[way.other] == *value).collect();
                assert_eq!(found, seen, "{} by {} = {value}", way.to, way.other);
            }
        }
        for entity in MODEL {
            for entry in world.all(entity.set) {
                assert_eq!(world.by_key(entity.set, &key_text(&entry[entity.key().0])), Some(entry));
            }
        }
    }

    #[test]
    fn what_is_changed_and_added_is_found_by_its_new_values() {
        let mut world = World::new(12);
        agrees(&world);
        let (cases, notes) = (of_set("Cases").expect("cases"), of_set(NOTES).expect("notes"));
        for case in ["RC-0003", "RC-0007", "RC-0003"] {
            assert!(world.change(
                cases,
                case,
                &Map::from_iter([("ContactID".to_owned(), json!(1)), ("Stage".to_owned(), json!("Quoted"))])
            ));
            let key = world.create(notes, &Map::from_iter([("CaseID".to_owned(), json!(case))]), None);
            assert_eq!(world.by_key(NOTES, &key).expect("is there")["CaseID"], json!(case));
            agrees(&world);
        }
        assert_eq!(world.with(NOTES, "CaseID", &json!("RC-0003")).count(), 2);
        assert!(!world.change(cases, "RC-9999", &Map::new()) && world.by_key("Cases", "RC-9999").is_none());
    }
}
