//! The entity model: types, properties, ways between them.

/// An entity type with its set.
#[derive(Debug)]
pub struct Entity {
    /// The type's name.
    pub name: &'static str,
    /// The set's name.
    pub set: &'static str,
    /// What people call it.
    pub label: &'static str,
    /// Its properties; the first is the key.
    pub properties: &'static [Property],
    /// The ways to other entities.
    pub ways: &'static [Way],
    /// Whether each has a photograph as its media stream.
    pub media: bool,
}

/// A property: name, type of the Entity Data Model, label.
#[derive(Debug)]
pub struct Property(pub &'static str, pub &'static str, pub &'static str);

/// A navigation property.
#[derive(Debug)]
pub struct Way {
    /// Its name.
    pub name: &'static str,
    /// The set that it leads to.
    pub to: &'static str,
    /// Whether it leads to many.
    pub many: bool,
    /// The own property that is compared.
    pub own: &'static str,
    /// With this property of the other.
    pub other: &'static str,
    /// What people call it.
    pub label: &'static str,
}

const fn one(name: &'static str, to: &'static str, own: &'static str, other: &'static str, label: &'static str) -> Way {
    Way { name, to, many: false, own, other, label }
}

const fn many(name: &'static str, to: &'static str, own: &'static str, other: &'static str, label: &'static str) -> Way {
    Way { name, to, many: true, own, other, label }
}

/// All entities.
pub const MODEL: [Entity; 9] = [
    Entity {
        name: "Owner",
        set: "Owners",
        label: "Owner",
        properties: &[
            Property("OwnerID", "Edm.Int32", "Number"),
            Property("Salutation", "Edm.String", "Salutation"),
            Property("FirstName", "Edm.String", "First name"),
            Property("LastName", "Edm.String", "Last name"),
            Property("Email", "Edm.String", "E-mail"),
            Property("Language", "Edm.String", "Language"),
            Property("Street", "Edm.String", "Street"),
            Property("Postcode", "Edm.String", "Postcode"),
            Property("Town", "Edm.String", "Town"),
            Property("Since", "Edm.Date", "Customer since"),
        ],
        ways: &[many("Vessels", "Vessels", "OwnerID", "OwnerID", "Vessels")],
        media: false,
    },
    Entity {
        name: "Vessel",
        set: "Vessels",
        label: "Vessel",
        properties: &[
            Property("VesselID", "Edm.Int32", "Number"),
            Property("Name", "Edm.String", "Name"),
            Property("Type", "Edm.String", "Type"),
            Property("LOA", "Edm.Decimal", "Length over all, m"),
            Property("OwnerID", "Edm.Int32", "Owner’s number"),
        ],
        ways: &[one("Owner", "Owners", "OwnerID", "OwnerID", "Owner"), many("Cases", "Cases", "VesselID", "VesselID", "Cases")],
        media: false,
    },
    Entity {
        name: "Person",
        set: "People",
        label: "Person of the yard",
        properties: &[
            Property("PersonID", "Edm.Int32", "Number"),
            Property("Name", "Edm.String", "Name"),
            Property("Email", "Edm.String", "E-mail"),
            Property("Role", "Edm.String", "Role"),
        ],
        ways: &[many("Cases", "Cases", "PersonID", "ResponsibleID", "Cases")],
        media: false,
    },
    Entity {
        name: "Case",
        set: "Cases",
        label: "Refit case",
        properties: &[
            Property("CaseID", "Edm.String", "Case"),
            Property("Stage", "Edm.String", "Stage"),
            Property("VesselID", "Edm.Int32", "Vessel’s number"),
            Property("ContactID", "Edm.Int32", "Contact’s number"),
            Property("ResponsibleID", "Edm.Int32", "Responsible person’s number"),
            Property("Opened", "Edm.DateTimeOffset", "Opened"),
            Property("ValidUntil", "Edm.Date", "Valid until"),
            Property("Discount", "Edm.Decimal", "Discount, %"),
            Property("HaulOut", "Edm.Boolean", "Haul-out needed"),
            Property("Note", "Edm.String", "Note"),
        ],
        ways: &[
            one("Vessel", "Vessels", "VesselID", "VesselID", "Vessel"),
            one("Contact", "Owners", "ContactID", "OwnerID", "Customer contact"),
            one("Responsible", "People", "ResponsibleID", "PersonID", "Responsible person"),
            many("Lines", "QuoteLines", "CaseID", "CaseID", "Quote lines"),
            many("Defects", "Defects", "CaseID", "CaseID", "Defects"),
            many("Documents", "Documents", "CaseID", "CaseID", "Documents"),
            many("Notes", "Notes", "CaseID", "CaseID", "Notes"),
        ],
        media: false,
    },
    Entity {
        name: "QuoteLine",
        set: "QuoteLines",
        label: "Quote line",
        properties: &[
            Property("LineID", "Edm.Int32", "Number"),
            Property("CaseID", "Edm.String", "Case"),
            Property("Position", "Edm.Int32", "Position"),
            Property("Section", "Edm.String", "Section"),
            Property("Item", "Edm.String", "Item"),
            Property("Qty", "Edm.Decimal", "Quantity"),
            Property("Unit", "Edm.String", "Unit"),
            Property("Price", "Edm.Decimal", "Price"),
            Property("Optional", "Edm.Boolean", "Optional"),
        ],
        ways: &[one("Case", "Cases", "CaseID", "CaseID", "Case")],
        media: false,
    },
    Entity {
        name: "Defect",
        set: "Defects",
        label: "Defect",
        properties: &[
            Property("DefectID", "Edm.Int32", "Number"),
            Property("CaseID", "Edm.String", "Case"),
            Property("Position", "Edm.Int32", "Position"),
            Property("Title", "Edm.String", "Title"),
            Property("Place", "Edm.String", "Place"),
            Property("Severity", "Edm.String", "Severity"),
        ],
        ways: &[
            one("Case", "Cases", "CaseID", "CaseID", "Case"),
            many("Photographs", "Photographs", "DefectID", "DefectID", "Photographs"),
        ],
        media: false,
    },
    Entity {
        name: "Photograph",
        set: "Photographs",
        label: "Photograph",
        properties: &[
            Property("PhotographID", "Edm.Int32", "Number"),
            Property("DefectID", "Edm.Int32", "Defect’s number"),
            Property("Caption", "Edm.String", "Caption"),
            Property("FileName", "Edm.String", "File name"),
            Property("Medium", "Edm.Stream", "Photograph, medium size"),
        ],
        ways: &[one("Defect", "Defects", "DefectID", "DefectID", "Defect")],
        media: true,
    },
    Entity {
        name: "Document",
        set: DOCUMENTS,
        label: "Document",
        properties: &[
            Property("DocumentID", "Edm.Int32", "Number"),
            Property("CaseID", "Edm.String", "Case"),
            Property("Name", "Edm.String", "Name"),
            Property("Reference", "Edm.String", "Reference of another program"),
            Property("Created", "Edm.DateTimeOffset", "Created"),
        ],
        ways: &[one("Case", "Cases", "CaseID", "CaseID", "Case")],
        media: true,
    },
    Entity {
        name: "Note",
        set: NOTES,
        label: "Note",
        properties: &[
            Property("NoteID", "Edm.Int32", "Number"),
            Property("CaseID", "Edm.String", "Case"),
            Property("Text", "Edm.String", "Text"),
            Property("Reference", "Edm.String", "Reference of another program"),
            Property("Created", "Edm.DateTimeOffset", "Created"),
        ],
        ways: &[one("Case", "Cases", "CaseID", "CaseID", "Case")],
        media: false,
    },
];

/// The sets that others may add to.
pub const DOCUMENTS: &str = "Documents";
/// The notes.
pub const NOTES: &str = "Notes";

/// The entity of a set.
pub fn of_set(set: &str) -> Option<&'static Entity> {
    MODEL.iter().find(|e| e.set == set)
}

impl Entity {
    /// The key's property.
    pub fn key(&self) -> &'static Property {
        &self.properties[0]
    }

    /// A property by its name.
    pub fn property(&self, name: &str) -> Option<&'static Property> {
        self.properties.iter().find(|p| p.0 == name)
    }

    /// A way by its name.
    pub fn way(&self, name: &str) -> Option<&'static Way> {
        self.ways.iter().find(|w| w.name == name)
    }
}
