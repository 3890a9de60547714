//! The mailbox of messages that came back, over IMAP4rev1 (RFC 3501): what a program needs that
//! reads one mailbox and marks what it has read.

use std::io;
use std::time::Duration;

use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::tcp::{OwnedReadHalf, OwnedWriteHalf};
use tokio::net::{TcpListener, TcpStream};

use super::Returned;
use super::bounce::Letter;

/// Who may read it.
pub const USER: &str = "bounces";
/// The user's password.
pub const PASSWORD: &str = "practice";
const LONGEST_LINE: u64 = 16 << 10;
const PATIENCE: Duration = Duration::from_secs(300);

/// Serves the mailbox until the listener fails.
pub async fn serve(listener: TcpListener, returned: Returned) -> io::Result<()> {
    loop {
        let (stream, _) = listener.accept().await?;
        stream.set_nodelay(true)?;
        let returned = returned.clone();
        tokio::spawn(async move {
            if let Err(error) = session(stream, returned).await {
                tracing::debug!(%error, "a session ended");
            }
        });
    }
}

struct Session {
    read: BufReader<OwnedReadHalf>,
    write: OwnedWriteHalf,
    returned: Returned,
    signed_in: bool,
    selected: bool,
}

async fn session(stream: TcpStream, returned: Returned) -> io::Result<()> {
    let (read, write) = stream.into_split();
    let mut own = Session { read: BufReader::new(read), write, returned, signed_in: false, selected: false };
    own.say("* OK practice mailbox ready").await?;
    loop {
        let mut line = Vec::new();
        let limited = &mut (&mut own.read).take(LONGEST_LINE);
        let length = tokio::time::timeout(PATIENCE, limited.read_until(b'\n', &mut line)).await.map_err(io::Error::other)??;
        if length == 0 {
            return Ok(());
        }
        let line = String::from_utf8_lossy(&line).trim_end().to_owned();
        let Some((tag, rest)) = line.split_once(' ') else {
            own.say("* BAD no tag").await?;
            continue;
        };
        let (verb, rest) = rest.split_once(' ').unwrap_or((rest, ""));
        let (uid, verb, rest) = match verb.eq_ignore_ascii_case("uid") {
            true => {
                let (verb, rest) = rest.split_once(' ').unwrap_or((rest, ""));
                (true, verb, rest)
            }
            false => (false, verb, rest),
        };
        let verb = verb.to_uppercase();
        let answer = own.carry_out(&verb, uid, rest).await?;
        own.say(&format!("{tag} {answer}")).await?;
        if verb == "LOGOUT" {
            return Ok(());
        }
    }
}

impl Session {
    async fn say(&mut self, line: &str) -> io::Result<()> {
        self.write.write_all(format!("{line}\r\n").as_bytes()).await
    }

    async fn carry_out(&mut self, verb: &str, uid: bool, rest: &str) -> io::Result<String> {
        let done = |what: &str| Ok(format!("OK {what} completed"));
        match verb {
            "CAPABILITY" => {
                self.say("* CAPABILITY IMAP4rev1").await?;
                done(verb)
            }
            "NOOP" | "CHECK" => done(verb),
            "LOGOUT" => {
                self.say("* BYE until then").await?;
                done(verb)
            }
            "LOGIN" => {
                let words: Vec<&str> = rest.split(' ').map(|word| word.trim_matches('"')).collect();
                self.signed_in = words == [USER, PASSWORD];
                if self.signed_in { done(verb) } else { Ok("NO [AUTHENTICATIONFAILED] wrong user name or password".into()) }
            }
            _ if !self.signed_in => Ok("NO sign in first".into()),
            "LIST" => {
                self.say("* LIST () \"/\" INBOX").await?;
                done(verb)
            }
            "SELECT" | "EXAMINE" => {
                if !rest.trim_matches('"').eq_ignore_ascii_case("INBOX") {
                    return Ok("NO there is INBOX only".into());
                }
                self.selected = true;
                let (count, _) = self.returned.count();
                for line in [
                    format!("* {count} EXISTS"),
                    "* 0 RECENT".into(),
                    "* FLAGS (\\Seen \\Deleted)".into(),
                    "* OK [PERMANENTFLAGS (\\Seen \\Deleted)] allowed".into(),
                    "* OK [UIDVALIDITY 1] numbers stay".into(),
                ] {
                    self.say(&line).await?;
                }
                Ok(format!("OK [READ-WRITE] {verb} completed"))
            }
            _ if !self.selected => Ok("NO select a mailbox first".into()),
            "SEARCH" => {
                let all = self.returned.lock().clone();
                let found = all.iter().enumerate().filter(|(_, letter)| passes(letter, rest));
                let numbers: Vec<String> = found.map(|(at, letter)| if uid { letter.uid } else { at as u32 + 1 }.to_string()).collect();
                self.say(format!("* SEARCH {}", numbers.join(" ")).trim_end()).await?;
                done(verb)
            }
            "FETCH" => {
                let (set, items) = rest.split_once(' ').unwrap_or((rest, ""));
                let items = items.to_uppercase();
                for (at, letter) in self.chosen(set, uid) {
                    let mut parts = vec![format!("UID {}", letter.uid), format!("FLAGS ({})", if letter.seen { "\\Seen" } else { "" })];
                    if items.contains("RFC822.SIZE") {
                        parts.push(format!("RFC822.SIZE {}", letter.raw.len()));
                    }
                    let body = items.contains("BODY") || items.split([' ', '(', ')']).any(|item| item == "RFC822");
                    if !body {
                        self.say(&format!("* {at} FETCH ({})", parts.join(" "))).await?;
                        continue;
                    }
                    let head = format!("* {at} FETCH ({} BODY[] {{{}}}\r\n", parts.join(" "), letter.raw.len());
                    self.write.write_all(head.as_bytes()).await?;
                    self.write.write_all(&letter.raw).await?;
                    self.say(")").await?;
                    if !items.contains("PEEK") {
                        self.flag(letter.uid, |letter| letter.seen = true);
                    }
                }
                done(verb)
            }
            "STORE" => {
                let (set, flags) = rest.split_once(' ').unwrap_or((rest, ""));
                let flags = flags.to_uppercase();
                let on = !flags.starts_with('-');
                for (at, letter) in self.chosen(set, uid) {
                    self.flag(letter.uid, |letter| {
                        if flags.contains("\\SEEN") {
                            letter.seen = on;
                        }
                        if flags.contains("\\DELETED") {
                            letter.deleted = on;
                        }
                    });
                    if !flags.contains("SILENT") {
                        self.say(&format!("* {at} FETCH (UID {} FLAGS (\\Seen))", letter.uid)).await?;
                    }
                }
                done(verb)
            }
            "EXPUNGE" | "CLOSE" => {
                self.returned.lock().retain(|letter| !letter.deleted);
                self.selected = verb != "CLOSE";
                done(verb)
            }
            _ => Ok("BAD not known here".into()),
        }
    }

    fn flag(&self, uid: u32, change: impl FnOnce(&mut Letter)) {
        if let Some(letter) = self.returned.lock().iter_mut().find(|letter| letter.uid == uid) {
            change(letter);
        }
    }

    /// The messages of a set, `1:3,7` or `2:*`, each with its place.
    fn chosen(&self, set: &str, uid: bool) -> Vec<(usize, Letter)> {
        let all = self.returned.lock().clone();
        let last = all.iter().enumerate().map(|(at, letter)| if uid { letter.uid } else { at as u32 + 1 }).max().unwrap_or(0);
        let number = |text: &str| if text == "*" { Some(last) } else { text.parse::<u32>().ok() };
        let ranges: Vec<(u32, u32)> = set
            .split(',')
            .filter_map(|part| match part.split_once(':') {
                Some((from, to)) => number(from).zip(number(to)).map(|(from, to)| (from.min(to), from.max(to))),
                None => number(part).map(|one| (one, one)),
            })
            .collect();
        let own = all.into_iter().enumerate().map(|(at, letter)| (at + 1, letter));
        own.filter(|(at, letter)| {
            let number = if uid { letter.uid } else { *at as u32 };
            ranges.iter().any(|(from, to)| (*from..=*to).contains(&number))
        })
        .collect()
    }
}

/// Whether a message passes a search: `ALL`, `UNSEEN`, `SEEN`, `HEADER name "text"`.
fn passes(letter: &Letter, search: &str) -> bool {
    let text = String::from_utf8_lossy(&letter.raw);
    let head = text.split("\r\n\r\n").next().unwrap_or_default().replace("\r\n ", " ").to_lowercase();
    let mut words = search.split(' ').filter(|word| !word.is_empty());
    while let Some(word) = words.next() {
        let holds = match word.to_uppercase().as_str() {
            "UNSEEN" => !letter.seen,
            "SEEN" => letter.seen,
            "HEADER" => {
                let (name, wanted) = (words.next().unwrap_or_default().to_lowercase(), words.next().unwrap_or_default());
                let wanted = wanted.trim_matches('"').to_lowercase();
                head.lines().any(|line| line.split_once(':').is_some_and(|(own, value)| own == name && value.contains(&wanted)))
            }
            _ => true,
        };
        if !holds {
            return false;
        }
    }
    true
}
