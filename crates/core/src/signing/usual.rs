//! The messages of a round where a dispatch has none of its own, in the languages of the signer's
//! page: a signer gets them in theirs.

use super::round::RoundState;

/// The subject and the text of a message, with placeholders.
pub(super) type Usual = (&'static str, &'static str);

/// The languages (BCP 47, primary subtags), English first, with invitation, reminder and completion.
pub(super) const USUAL: [(&str, [Usual; 3]); 4] = [
    (
        "en",
        [
            (
                "Please sign: [: dispatch.name]",
                "Dear [: signer.name],\n\nplease read and sign “[: dispatch.name]”. No account is needed:\n\n[: signer.link]\n\nThis link is for you alone. Please don't forward it.\n\n[: office.name]",
            ),
            (
                "Reminder: please sign [: dispatch.name]",
                "Dear [: signer.name],\n\n“[: dispatch.name]” is waiting for your signature:\n\n[: signer.link]\n\n[: office.name]",
            ),
            (
                "Signed: [: dispatch.name]",
                "Dear [: signer.name],\n\neveryone has signed “[: dispatch.name]”. Your copy is attached.\n\n[: office.name]",
            ),
        ],
    ),
    (
        "de",
        [
            (
                "Bitte unterschreiben: [: dispatch.name]",
                "Guten Tag [: signer.name],\n\nbitte lesen und unterschreiben Sie „[: dispatch.name]“. Ein Konto ist nicht nötig:\n\n[: signer.link]\n\nDieser Link ist nur für Sie. Bitte leiten Sie ihn nicht weiter.\n\n[: office.name]",
            ),
            (
                "Erinnerung: bitte unterschreiben Sie [: dispatch.name]",
                "Guten Tag [: signer.name],\n\n„[: dispatch.name]“ wartet auf Ihre Unterschrift:\n\n[: signer.link]\n\n[: office.name]",
            ),
            (
                "Unterschrieben: [: dispatch.name]",
                "Guten Tag [: signer.name],\n\nalle haben „[: dispatch.name]“ unterschrieben. Ihr Exemplar ist beigefügt.\n\n[: office.name]",
            ),
        ],
    ),
    (
        "fr",
        [
            (
                "À signer : [: dispatch.name]",
                "Bonjour [: signer.name],\n\nveuillez lire et signer « [: dispatch.name] ». Aucun compte n’est nécessaire :\n\n[: signer.link]\n\nCe lien vous est réservé. Merci de ne pas le transmettre.\n\n[: office.name]",
            ),
            (
                "Rappel : veuillez signer [: dispatch.name]",
                "Bonjour [: signer.name],\n\n« [: dispatch.name] » attend votre signature :\n\n[: signer.link]\n\n[: office.name]",
            ),
            (
                "Signé : [: dispatch.name]",
                "Bonjour [: signer.name],\n\ntout le monde a signé « [: dispatch.name] ». Votre exemplaire est joint.\n\n[: office.name]",
            ),
        ],
    ),
    (
        "nl",
        [
            (
                "Graag ondertekenen: [: dispatch.name]",
                "Beste [: signer.name],\n\nlees en onderteken alstublieft “[: dispatch.name]”. Een account is niet nodig:\n\n[: signer.link]\n\nDeze link is alleen voor u. Stuur hem niet door.\n\n[: office.name]",
            ),
            (
                "Herinnering: onderteken alstublieft [: dispatch.name]",
                "Beste [: signer.name],\n\n“[: dispatch.name]” wacht op uw handtekening:\n\n[: signer.link]\n\n[: office.name]",
            ),
            (
                "Ondertekend: [: dispatch.name]",
                "Beste [: signer.name],\n\niedereen heeft “[: dispatch.name]” ondertekend. Uw exemplaar is bijgevoegd.\n\n[: office.name]",
            ),
        ],
    ),
];

/// A language without region and script, in small letters.
pub(super) fn primary(tag: &str) -> String {
    tag.split(['-', '_']).next().unwrap_or_default().to_lowercase()
}

/// The subject and the text that tell a signer in their language that a round is over before they
/// have signed; the name of the signer is filled in when it is sent.
pub fn over(state: RoundState, title: &str, language: &str, name: &str) -> (String, String) {
    let why = match state {
        RoundState::Declined => 0,
        RoundState::Expired => 1,
        _ => 2,
    };
    let (subject, greeting, open, close, whys, end) = match primary(language).as_str() {
        "de" => (
            "Keine Unterschrift nötig",
            "Guten Tag",
            "„",
            "“",
            [
                "wird nicht unterschrieben: Jemand hat abgelehnt",
                "wurde nicht rechtzeitig unterschrieben",
                "wurde vom Absender zurückgezogen",
            ],
            "Sie müssen nichts tun.",
        ),
        "fr" => (
            "Aucune signature nécessaire",
            "Bonjour",
            "« ",
            " »",
            ["ne sera pas signé : quelqu’un a refusé", "n’a pas été signé à temps", "a été retiré par l’expéditeur"],
            "Vous n’avez rien à faire.",
        ),
        "nl" => (
            "Geen handtekening nodig",
            "Beste",
            "“",
            "”",
            ["wordt niet ondertekend: iemand heeft geweigerd", "is niet op tijd ondertekend", "is door de afzender ingetrokken"],
            "U hoeft niets te doen.",
        ),
        _ => (
            "No signature needed",
            "Dear",
            "“",
            "”",
            ["will not be signed: somebody declined", "was not signed in time", "was withdrawn by the sender"],
            "You don't need to do anything.",
        ),
    };
    let separator = if subject.starts_with("Aucune") { " : " } else { ": " };
    (format!("{subject}{separator}{title}"), format!("{greeting} {name},\n\n{open}{title}{close} {}. {end}", whys[why]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_language_says_the_same_things() {
        for (language, messages) in USUAL {
            for (subject, text) in messages {
                assert!(subject.contains("[: dispatch.name]") && text.contains("[: signer.name]"), "{language}: {subject}");
                assert!(text.contains("[: office.name]"), "{language}");
            }
            let links: Vec<bool> = messages.iter().map(|(_, text)| text.contains("[: signer.link]")).collect();
            assert_eq!(links, [true, true, false], "{language}");
            for state in [RoundState::Declined, RoundState::Expired, RoundState::Withdrawn] {
                let (subject, text) = over(state, "Licence 7", language, "Ada");
                assert!(subject.ends_with("Licence 7") && text.contains(" Ada,"), "{language}: {subject} {text}");
            }
        }
        assert_eq!(over(RoundState::Expired, "a", "de-AT", "b").0, "Keine Unterschrift nötig: a");
        assert_eq!(over(RoundState::Expired, "a", "sv", "b").0, "No signature needed: a");
    }
}
