//! A signing round: its seats in steps, and what each event makes of it.

use serde::{Deserialize, Serialize};

/// The state of a round.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum RoundState {
    /// Nobody was invited yet.
    Draft,
    /// Signers are at work.
    Open,
    /// All have signed.
    Completed,
    /// A signer has refused.
    Declined,
    /// The office has called it off.
    Withdrawn,
    /// Its end date came before the last signature.
    Expired,
}

impl RoundState {
    /// Whether nothing changes any more.
    pub fn is_over(self) -> bool {
        !matches!(self, RoundState::Draft | RoundState::Open)
    }
}

/// Somebody who can sign.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Person {
    /// The name.
    pub name: String,
    /// The e-mail address.
    pub email: String,
    /// The language, a BCP 47 tag.
    pub language: String,
    /// The telephone number; blank where it is not known.
    #[serde(default)]
    pub phone: String,
}

/// A role that is to be signed for, by one of some people.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Seat {
    /// The signer role.
    pub role: String,
    /// Its step: those of a step sign in any order, those of the next when all of it have signed.
    pub step: u32,
    /// Any one of these signs.
    pub people: Vec<Person>,
    /// How far it is.
    pub state: SeatState,
    /// Those who have agreed to sign electronically.
    pub consented: Vec<usize>,
    /// Those who have refused.
    pub declined: Vec<usize>,
}

/// How far a seat is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case", tag = "state")]
pub enum SeatState {
    /// Its step has not come.
    Waiting,
    /// Its people are invited.
    Invited,
    /// One of them has signed.
    Signed {
        /// Which.
        by: usize,
        /// The digest of what was signed, as SHA-256 in hexadecimal digits.
        digest: String,
    },
}

/// A person of a seat.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = SignerSeat))]
pub struct Place {
    /// The seat.
    pub seat: usize,
    /// The person of it.
    pub person: usize,
}

/// What somebody does.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "act")]
pub enum Act {
    /// The office sends it out.
    Begin,
    /// A person opened the page.
    Open(Place),
    /// A person agreed to sign electronically.
    Consent(Place),
    /// A person signed.
    Sign {
        /// Who.
        who: Place,
        /// The digest of what was signed.
        digest: String,
    },
    /// A person refused.
    Decline {
        /// Who.
        who: Place,
        /// Why.
        reason: String,
    },
    /// A person has somebody else sign.
    HandOn {
        /// Who.
        who: Place,
        /// To whom.
        to: Person,
    },
    /// The office puts a person's address right.
    Correct {
        /// Whose.
        who: Place,
        /// The address.
        email: String,
    },
    /// The office, or its plan, reminds a person.
    Remind(Place),
    /// The office calls it off.
    Withdraw {
        /// Why.
        reason: String,
    },
    /// Its end date has come.
    Expire,
}

/// What must follow an act.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// A person gets a link of their own.
    Invite(Place),
    /// A person gets a message with their link.
    Remind(Place),
    /// A person's link opens nothing any more.
    Revoke(Place),
    /// All have signed: the document is sealed and goes to everyone.
    Complete,
    /// It is over without that: everyone who was invited is told.
    Over(RoundState),
}

/// Why an act is refused.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// There is no such seat or person.
    #[error("this signer does not exist")]
    NoSuch,
    /// It was sent out before.
    #[error("this round has been sent out already")]
    Begun,
    /// It was not sent out yet.
    #[error("this round has not been sent out yet")]
    NotBegun,
    /// It is over.
    #[error("this round is over")]
    Over,
    /// Others come first.
    #[error("other signers come first. You get a message when it is your turn.")]
    NotYourTurn,
    /// The seat is signed for.
    #[error("this was signed already")]
    Signed,
    /// The person has refused.
    #[error("you declined to sign")]
    Declined,
    /// The person has not agreed to sign electronically.
    #[error("agree to sign electronically first")]
    NoConsent,
    /// It has no seats.
    #[error("nobody is asked to sign")]
    Nobody,
    /// Handing on is not allowed.
    #[error("this can't be handed on")]
    NotHandedOn,
}

/// A signing round.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Round {
    /// Its seats.
    pub seats: Vec<Seat>,
    /// How far it is.
    pub state: RoundState,
    /// Whether a signer may have somebody else sign.
    pub hands_on: bool,
}

impl Round {
    /// A round that was not sent out yet: each role with its step and those of whom any one signs.
    pub fn new(roles: impl IntoIterator<Item = (String, u32, Vec<Person>)>, hands_on: bool) -> Round {
        let seat =
            |(role, step, people)| Seat { role, step, people, state: SeatState::Waiting, consented: Vec::new(), declined: Vec::new() };
        Round { seats: roles.into_iter().map(seat).collect(), state: RoundState::Draft, hands_on }
    }

    /// The step whose turn it is: the first that is not signed as a whole.
    pub fn step(&self) -> Option<u32> {
        self.seats.iter().filter(|seat| !seat.is_signed()).map(|seat| seat.step).min()
    }

    /// The people whose turn it is.
    pub fn turns(&self) -> Vec<Place> {
        match self.state {
            RoundState::Open => {}
            _ => return Vec::new(),
        }
        let at = self.seats.iter().enumerate().filter(|(_, seat)| seat.state == SeatState::Invited);
        at.flat_map(|(seat, own)| own.asked().map(move |person| Place { seat, person })).collect()
    }

    /// What an act makes of it, or why it is refused; a refused one changes nothing.
    pub fn act(&mut self, act: &Act) -> Result<Vec<Effect>, Refusal> {
        match act {
            Act::Begin => self.begin(),
            Act::Open(who) => self.turn(*who).map(|_| Vec::new()),
            Act::Consent(who) => {
                let seat = self.turn(*who)?;
                if !seat.consented.contains(&who.person) {
                    seat.consented.push(who.person);
                }
                Ok(Vec::new())
            }
            Act::Sign { who, digest } => self.sign(*who, digest),
            Act::Decline { who, .. } => self.decline(*who),
            Act::HandOn { who, to } => {
                self.turn(*who)?;
                match self.hands_on {
                    true => self.replace(*who, to.clone()),
                    false => Err(Refusal::NotHandedOn),
                }
            }
            Act::Correct { who, email } => {
                let person = self.seats.get(who.seat).and_then(|seat| seat.people.get(who.person)).ok_or(Refusal::NoSuch)?;
                let to = Person { email: email.clone(), ..person.clone() };
                self.replace(*who, to)
            }
            Act::Remind(who) => self.turn(*who).map(|_| vec![Effect::Remind(*who)]),
            Act::Withdraw { .. } => self.end(RoundState::Withdrawn),
            Act::Expire => self.end(RoundState::Expired),
        }
    }

    fn begin(&mut self) -> Result<Vec<Effect>, Refusal> {
        match self.state {
            RoundState::Draft if self.seats.is_empty() || self.seats.iter().any(|seat| seat.people.is_empty()) => Err(Refusal::Nobody),
            RoundState::Draft => {
                self.state = RoundState::Open;
                Ok(self.invite())
            }
            RoundState::Open => Err(Refusal::Begun),
            _ => Err(Refusal::Over),
        }
    }

    /// Invites those of the step whose turn it is.
    fn invite(&mut self) -> Vec<Effect> {
        let step = self.step();
        let mut effects = Vec::new();
        for (at, seat) in self.seats.iter_mut().enumerate() {
            if Some(seat.step) == step && seat.state == SeatState::Waiting {
                seat.state = SeatState::Invited;
                effects.extend(seat.asked().map(|person| Effect::Invite(Place { seat: at, person })));
            }
        }
        effects
    }

    /// The seat of a person whose turn it is.
    fn turn(&mut self, who: Place) -> Result<&mut Seat, Refusal> {
        let state = self.state;
        let seat = self.seats.get_mut(who.seat).filter(|seat| who.person < seat.people.len()).ok_or(Refusal::NoSuch)?;
        match (state, &seat.state) {
            (RoundState::Draft, _) => Err(Refusal::NotBegun),
            (RoundState::Open, SeatState::Waiting) => Err(Refusal::NotYourTurn),
            (_, SeatState::Signed { .. }) => Err(Refusal::Signed),
            (RoundState::Open, SeatState::Invited) if seat.declined.contains(&who.person) => Err(Refusal::Declined),
            (RoundState::Open, SeatState::Invited) => Ok(seat),
            _ => Err(Refusal::Over),
        }
    }

    fn sign(&mut self, who: Place, digest: &str) -> Result<Vec<Effect>, Refusal> {
        let seat = self.turn(who)?;
        if !seat.consented.contains(&who.person) {
            return Err(Refusal::NoConsent);
        }
        // The others of the seat are not needed any more.
        let others: Vec<usize> = seat.asked().filter(|person| *person != who.person).collect();
        seat.state = SeatState::Signed { by: who.person, digest: digest.to_owned() };
        let mut effects: Vec<Effect> = others.into_iter().map(|person| Effect::Revoke(Place { person, ..who })).collect();
        match self.step() {
            Some(_) => effects.extend(self.invite()),
            None => {
                self.state = RoundState::Completed;
                effects.push(Effect::Complete);
            }
        }
        Ok(effects)
    }

    fn decline(&mut self, who: Place) -> Result<Vec<Effect>, Refusal> {
        let seat = self.turn(who)?;
        seat.declined.push(who.person);
        let another = seat.asked().next().is_some();
        match another {
            // Another of them can sign.
            true => Ok(vec![Effect::Revoke(who)]),
            false => self.end(RoundState::Declined),
        }
    }

    /// Somebody else, or another address, in a person's place: the old link opens nothing any more.
    fn replace(&mut self, who: Place, to: Person) -> Result<Vec<Effect>, Refusal> {
        if self.state.is_over() {
            return Err(Refusal::Over);
        }
        let seat = self.seats.get_mut(who.seat).filter(|seat| who.person < seat.people.len()).ok_or(Refusal::NoSuch)?;
        if seat.is_signed() {
            return Err(Refusal::Signed);
        }
        if seat.declined.contains(&who.person) {
            return Err(Refusal::Declined);
        }
        seat.people[who.person] = to;
        // What one person agreed to does not bind another.
        seat.consented.retain(|person| *person != who.person);
        Ok(match seat.state {
            SeatState::Invited => vec![Effect::Revoke(who), Effect::Invite(who)],
            _ => Vec::new(),
        })
    }

    fn end(&mut self, state: RoundState) -> Result<Vec<Effect>, Refusal> {
        match self.state {
            RoundState::Draft | RoundState::Open => {
                let invited = self.turns();
                self.state = state;
                let revoked = invited.into_iter().map(Effect::Revoke);
                Ok(revoked.chain([Effect::Over(state)]).collect())
            }
            _ => Err(Refusal::Over),
        }
    }
}

impl Seat {
    /// Whether one of its people has signed.
    pub fn is_signed(&self) -> bool {
        matches!(self.state, SeatState::Signed { .. })
    }

    /// Its people who have not refused.
    fn asked(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.people.len()).filter(|person| !self.declined.contains(person))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn person(name: &str) -> Person {
        Person { name: name.into(), email: format!("{name}@quay.example"), language: "en-GB".into(), phone: String::new() }
    }

    fn round(steps: &[(u32, usize)]) -> Round {
        let role = |(at, (step, people)): (usize, &(u32, usize))| {
            (format!("role {at}"), *step, (0..*people).map(|n| person(&format!("p{at}-{n}"))).collect())
        };
        Round::new(steps.iter().enumerate().map(role), true)
    }

    fn at(seat: usize, person: usize) -> Place {
        Place { seat, person }
    }

    fn sign(round: &mut Round, who: Place) -> Result<Vec<Effect>, Refusal> {
        round.act(&Act::Consent(who))?;
        round.act(&Act::Sign { who, digest: "d".into() })
    }

    #[test]
    fn steps_follow_one_another_and_any_one_of_several_is_enough() {
        let mut licence = round(&[(1, 1), (2, 2)]);
        assert_eq!(licence.act(&Act::Open(at(0, 0))), Err(Refusal::NotBegun));
        assert_eq!(licence.act(&Act::Begin), Ok(vec![Effect::Invite(at(0, 0))]));
        assert_eq!(licence.act(&Act::Begin), Err(Refusal::Begun));
        assert_eq!(sign(&mut licence, at(1, 0)), Err(Refusal::NotYourTurn));
        assert_eq!(licence.act(&Act::Sign { who: at(0, 0), digest: "d".into() }), Err(Refusal::NoConsent));
        assert_eq!(sign(&mut licence, at(0, 0)), Ok(vec![Effect::Invite(at(1, 0)), Effect::Invite(at(1, 1))]));
        assert_eq!(licence.turns(), [at(1, 0), at(1, 1)]);
        assert_eq!(sign(&mut licence, at(0, 0)), Err(Refusal::Signed));
        assert_eq!(sign(&mut licence, at(1, 1)), Ok(vec![Effect::Revoke(at(1, 0)), Effect::Complete]));
        assert_eq!((licence.state, sign(&mut licence, at(1, 0))), (RoundState::Completed, Err(Refusal::Signed)));
        assert_eq!(licence.act(&Act::Withdraw { reason: String::new() }), Err(Refusal::Over));
        assert_eq!(Round::new([], true).act(&Act::Begin), Err(Refusal::Nobody));
    }

    #[test]
    fn who_declines_ends_it_unless_another_can_sign() {
        let mut one = round(&[(1, 2), (1, 1)]);
        one.act(&Act::Begin).expect("begins");
        let decline = |who| Act::Decline { who, reason: "wrong berth".into() };
        assert_eq!(one.act(&decline(at(0, 0))), Ok(vec![Effect::Revoke(at(0, 0))]));
        assert_eq!(sign(&mut one, at(0, 0)), Err(Refusal::Declined));
        let over = one.act(&decline(at(0, 1))).expect("declined");
        assert_eq!(over, [Effect::Revoke(at(1, 0)), Effect::Over(RoundState::Declined)]);
        assert_eq!(sign(&mut one, at(1, 0)), Err(Refusal::Over));
    }

    #[test]
    fn a_link_of_an_old_address_opens_nothing_and_consent_is_not_handed_on() {
        let mut own = round(&[(1, 1), (2, 1)]);
        own.act(&Act::Begin).expect("begins");
        own.act(&Act::Consent(at(0, 0))).expect("agrees");
        let corrected = own.act(&Act::Correct { who: at(0, 0), email: "new@quay.example".into() });
        assert_eq!(corrected, Ok(vec![Effect::Revoke(at(0, 0)), Effect::Invite(at(0, 0))]));
        assert_eq!(own.act(&Act::Sign { who: at(0, 0), digest: "d".into() }), Err(Refusal::NoConsent));
        // One whose turn has not come is just invited later.
        assert_eq!(own.act(&Act::Correct { who: at(1, 0), email: "x@quay.example".into() }), Ok(Vec::new()));
        assert_eq!(own.seats[1].people[0].email, "x@quay.example");
        own.hands_on = false;
        assert_eq!(own.act(&Act::HandOn { who: at(0, 0), to: person("other") }), Err(Refusal::NotHandedOn));
    }

    fn acts() -> impl Strategy<Value = Act> {
        let place = (0usize..4, 0usize..3).prop_map(|(seat, person)| at(seat, person));
        prop_oneof![
            2 => Just(Act::Begin),
            2 => place.clone().prop_map(Act::Open),
            6 => place.clone().prop_map(Act::Consent),
            8 => (place.clone(), "[a-f0-9]{4}").prop_map(|(who, digest)| Act::Sign { who, digest }),
            2 => place.clone().prop_map(|who| Act::Decline { who, reason: String::new() }),
            2 => (place.clone(), "[a-z]{3}").prop_map(|(who, name)| Act::HandOn { who, to: person(&name) }),
            1 => (place.clone(), "[a-z]{3}@q").prop_map(|(who, email)| Act::Correct { who, email }),
            1 => place.prop_map(Act::Remind),
            1 => Just(Act::Withdraw { reason: String::new() }),
            1 => Just(Act::Expire),
        ]
    }

    proptest! {
        #[test]
        fn no_sequence_loses_a_signature_completes_early_or_signs_out_of_turn(
            steps in prop::collection::vec((1u32..4, 1usize..4), 1..4),
            acts in prop::collection::vec(acts(), 0..60),
            hands_on: bool,
        ) {
            let mut own = round(&steps);
            own.hands_on = hands_on;
            let mut links: std::collections::HashSet<Place> = Default::default();
            for act in &acts {
                let before = own.clone();
                let Ok(effects) = own.act(act) else {
                    prop_assert_eq!(&own, &before, "what is refused changes nothing");
                    continue;
                };
                prop_assert!(!before.state.is_over(), "nothing happens once it is over: {:?}", act);
                for effect in &effects {
                    match effect {
                        Effect::Invite(who) => prop_assert!(links.insert(*who), "one link at a time: {:?}", who),
                        Effect::Revoke(who) => prop_assert!(links.remove(who), "there was a link: {:?}", who),
                        Effect::Remind(who) => prop_assert!(links.contains(who)),
                        Effect::Complete => prop_assert_eq!(own.state, RoundState::Completed),
                        Effect::Over(state) => prop_assert_eq!(own.state, *state),
                    }
                }
                for (was, is) in before.seats.iter().zip(&own.seats) {
                    if was.is_signed() {
                        prop_assert_eq!(&was.state, &is.state, "a signature stays as it is");
                    } else if is.is_signed() {
                        prop_assert!(matches!(act, Act::Sign { .. }), "a signature comes of signing");
                        prop_assert!(before.seats.iter().all(|other| other.step >= is.step || other.is_signed()), "out of turn");
                    }
                }
                let all = own.seats.iter().all(Seat::is_signed);
                prop_assert_eq!(own.state == RoundState::Completed, all);
                // Whoever has a link can act with it, and nobody else.
                let turns: std::collections::HashSet<Place> = own.turns().into_iter().collect();
                if own.state == RoundState::Open {
                    prop_assert_eq!(&turns, &links.iter().copied().filter(|who| !own.seats[who.seat].is_signed()).collect());
                } else {
                    prop_assert!(turns.is_empty());
                }
            }
        }
    }
}
