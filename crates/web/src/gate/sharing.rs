//! A bench that other machines may reach: only with its key. Without `--share` the program listens on this machine alone.
//!
//! The key is made at each start and is said in the terminal only. It opens a session: a random token in a cookie, of which the bench
//! keeps the SHA-256. A session ends when the bench is started again, with another key, unless it was chosen to stay. A random token of
//! 128 bits cannot be found by trying hashes, so that a slow hash would add nothing.

use crate::error::AppError;
use flindo_store::{Store, StoreError};
use jiff::{SignedDuration, Timestamp};
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::fmt::Write;
use std::io::IsTerminal;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError, RwLock};
use std::time::{Duration, Instant};
use tokio_util::sync::CancellationToken;

/// The cookie that carries a session.
pub const COOKIE: &str = "flindo-session";

/// A session ends after this.
pub const LONGEST_SESSION: SignedDuration = SignedDuration::from_hours(30 * 24);

/// Wrong keys that one address may send in [`TRIES_PER`].
const MOST_TRIES: u32 = 10;
const TRIES_PER: Duration = Duration::from_secs(60);

/// Addresses whose tries are counted at one time; beyond it nobody new may try.
const MOST_COUNTED: usize = 10_000;

/// What an address without a session may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Entry {
    Opened,
    Wrong,
    TooOften,
}

/// Who is let in from elsewhere.
#[derive(Debug, Clone)]
pub struct Sharing(Arc<Inner>);

#[derive(Debug)]
struct Inner {
    key_sha256: String,
    sessions: RwLock<HashMap<String, Session>>,
    tries: Mutex<HashMap<IpAddr, (u32, Instant)>>,
}

/// A session by the SHA-256 of its token.
#[derive(Debug)]
struct Session {
    opened: Timestamp,
    /// Its requests end with it.
    ended: CancellationToken,
}

impl Session {
    fn opened(opened: Timestamp) -> Self {
        Session { opened, ended: CancellationToken::new() }
    }
}

/// How a secret is known.
#[derive(Debug, Clone)]
pub enum Known {
    /// It is the key itself.
    ByKey,
    /// Of a session; its answers end when it does.
    BySession(CancellationToken),
}

/// A random key or token, 128 bits in hexadecimal digits.
///
/// # Errors
/// Where the system gives no random numbers.
pub fn new_secret() -> Result<String, String> {
    let mut bytes = [0; 16];
    getrandom::fill(&mut bytes).map_err(|error| format!("The system gives no random numbers: {error}"))?;
    Ok(hexadecimal(&bytes))
}

fn hexadecimal(bytes: &[u8]) -> String {
    bytes.iter().fold(String::new(), |mut text, byte| {
        // Writing into a string does not fail.
        let _ = write!(text, "{byte:02x}");
        text
    })
}

fn sha256(secret: &str) -> String {
    hexadecimal(&Sha256::digest(secret.as_bytes()))
}

/// Whether an address is this machine's own, which needs no key.
pub fn is_loopback(address: IpAddr) -> bool {
    address.to_canonical().is_loopback()
}

impl Sharing {
    /// With the sessions that the bench remembers and that stay; the others are forgotten.
    pub async fn start(store: &Store, key: &str) -> Result<Self, StoreError> {
        store.end_older_sessions(Timestamp::now() - LONGEST_SESSION).await?;
        let known = store.sessions().await?.into_iter().filter_map(|row| {
            let opened = Timestamp::from_millisecond(row.opened_ms).ok()?;
            Some((row.token_sha256, Session::opened(opened)))
        });
        Ok(Sharing(Arc::new(Inner { key_sha256: sha256(key), sessions: RwLock::new(known.collect()), tries: Mutex::default() })))
    }

    /// Whether a token of a cookie or a bearer token of a script is let in. A script may send the key itself.
    pub fn knows(&self, secret: &str, now: Timestamp) -> Option<Known> {
        let hash = sha256(secret);
        if hash == self.0.key_sha256 {
            return Some(Known::ByKey);
        }
        let sessions = self.0.sessions.read().unwrap_or_else(PoisonError::into_inner);
        let session = sessions.get(&hash).filter(|session| now.duration_since(session.opened) < LONGEST_SESSION)?;
        Some(Known::BySession(session.ended.clone()))
    }

    /// Tries a key. Wrong ones are counted by address.
    pub fn enter(&self, key: &str, from: IpAddr) -> Entry {
        let mut tries = self.0.tries.lock().unwrap_or_else(PoisonError::into_inner);
        let now = Instant::now();
        if tries.len() >= MOST_COUNTED {
            tries.retain(|_, (_, since)| now.duration_since(*since) < TRIES_PER);
        }
        if tries.len() >= MOST_COUNTED && !tries.contains_key(&from) {
            return Entry::TooOften;
        }
        let (count, since) = tries.entry(from).or_insert((0, now));
        if now.duration_since(*since) >= TRIES_PER {
            (*count, *since) = (0, now);
        }
        if *count >= MOST_TRIES {
            return Entry::TooOften;
        }
        if sha256(key) == self.0.key_sha256 {
            tries.remove(&from);
            return Entry::Opened;
        }
        *count += 1;
        Entry::Wrong
    }

    /// Opens a session; answers its token.
    pub async fn open(&self, store: &Store, from: IpAddr, program: &str) -> Result<String, AppError> {
        let token = new_secret().map_err(|why| AppError::failed(&why))?;
        let (hash, now) = (sha256(&token), Timestamp::now());
        let program: String = program.chars().filter(|sign| !sign.is_control()).take(120).collect();
        store.open_session(&hash, now, &from.to_string(), &program).await?;
        self.0.sessions.write().unwrap_or_else(PoisonError::into_inner).insert(hash, Session::opened(now));
        Ok(token)
    }

    /// Ends a session: what it is being sent breaks off, and its next request is refused.
    pub async fn end(&self, store: &Store, id: i64) -> Result<(), StoreError> {
        let token_sha256 = store.end_session(id).await?;
        let ended = self.0.sessions.write().unwrap_or_else(PoisonError::into_inner).remove(&token_sha256);
        if let Some(session) = ended {
            session.ended.cancel();
        }
        Ok(())
    }
}

/// The addresses under which other machines find this one, for what the terminal says.
pub fn addresses(listening: std::net::SocketAddr) -> Vec<std::net::SocketAddr> {
    if !listening.ip().is_unspecified() {
        return vec![listening];
    }
    let own = if_addrs::get_if_addrs().unwrap_or_default();
    let reachable =
        own.iter().map(if_addrs::Interface::ip).filter(|ip| !ip.is_loopback() && (ip.is_ipv4() || listening.is_ipv6()));
    // An IPv6 address of one cable alone needs the name of the cable as well, which a link cannot carry.
    let linkable = reachable.filter(|ip| !matches!(ip, IpAddr::V6(ip) if ip.is_unicast_link_local()));
    linkable.map(|ip| std::net::SocketAddr::new(ip, listening.port())).collect()
}

/// A link as a QR code in half blocks, for a phone that looks at the terminal.
pub fn qr_code(link: &str) -> Option<String> {
    let code = qrcode::QrCode::new(link.as_bytes()).ok()?;
    let code = code.render::<qrcode::render::unicode::Dense1x2>().quiet_zone(true).build();
    if !std::io::stdout().is_terminal() {
        return Some(code);
    }
    // Black on white whatever the terminal's own colours are: not every phone reads a code that is light on dark.
    Some(code.lines().map(|line| format!("\x1b[30;107m{line}\x1b[0m")).collect::<Vec<_>>().join("\n"))
}
