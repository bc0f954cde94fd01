//! The command line.

use crate::background::copies::Copies;
use crate::gate::sharing::{self, Sharing};
use crate::{AppState, demo, run};
use clap::{Parser, Subcommand};
use flindo_meters::Allowed;
use flindo_store::package::{Chosen, PackageError, Prefer};
use flindo_store::{BenchKind, BenchLock, Store, Withdrawable};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use tracing_subscriber::Layer;
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

/// A test bench for solar panels in the open air. Started without a command it opens your own bench.
#[derive(Debug, Parser)]
#[command(name = "flindo", version)]
struct Arguments {
    #[command(subcommand)]
    command: Option<Command>,
    /// The file of the bench; made where there is none
    #[arg(long, global = true, value_name = "FILE")]
    data: Option<PathBuf>,
    /// The address to serve on
    #[arg(long, global = true, value_name = "ADDRESS", default_value = "127.0.0.1:8765")]
    listen: SocketAddr,
    /// Lets other machines in, with a key: needed to serve on an address that is not this machine's own
    #[arg(long, global = true)]
    share: bool,
    /// What meters may be pointed at: "local" (this machine and its private networks), networks, folders of files; by default local, and
    /// the folder "meters" beside the bench
    #[arg(long, global = true, value_name = "LIST", value_parser = Allowed::parse)]
    allow_meters: Option<Allowed>,
    /// Daily copies of your own bench to keep beside it; 0 for none
    #[arg(long, global = true, value_name = "NUMBER", default_value_t = crate::background::copies::USUAL_KEPT)]
    daily_copies: usize,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Opens a bench of made-up panels and tests, apart from your own
    Demo {
        /// Starts the demo over
        #[arg(long)]
        fresh: bool,
    },
    /// Copies the bench to a file, also while it runs, and looks the copy through
    Backup { file: PathBuf },
    /// Puts a copy where no bench is yet, after looking it through
    Restore { file: PathBuf },
    /// Writes the bench as a package of CSV tables, logs and photos, also while it runs
    Export {
        file: PathBuf,
        /// Some tests with all they need, by their numbers: 3,5,8
        #[arg(long, value_name = "NUMBERS", value_parser = chosen)]
        tests: Option<Chosen>,
    },
    /// Takes a package into the bench: all of it or nothing
    Import {
        file: PathBuf,
        /// Which is to stand where both sides changed a thing: "here" or "package"; without it they are listed, and nothing comes in
        #[arg(long, value_name = "SIDE", value_parser = prefer)]
        prefer: Option<Prefer>,
    },
    /// Truly erases what was withdrawn, after a copy of the bench: its readings and photos, down to the free pages of the file
    Forget {
        /// test, panel, kind, gear, rig, place, log or review
        #[arg(value_parser = withdrawable)]
        what: Withdrawable,
        /// Its number, as the address of its page has it
        id: i64,
        /// Where the bench is copied to before
        copy: PathBuf,
    },
    /// Holds every figure of a report of one file against the data in it
    Recompute { file: PathBuf },
    /// Starts a simulated meter: a panel in today's sun, under passing clouds
    Simulate(crate::simulate::Arguments),
}

/// Runs the program; the error is one sentence for the person who started it.
pub async fn start() -> Result<(), String> {
    let arguments = Arguments::parse();
    let wanted = std::env::var("RUST_LOG").ok().and_then(|wanted| wanted.parse::<Targets>().ok());
    let filter = wanted.unwrap_or_else(|| Targets::new().with_default(LevelFilter::INFO));
    // A log that cannot be written (its disk is full too) must not end a request: no complaint about it, which could only fail as well.
    let lines = tracing_subscriber::fmt::layer().with_writer(std::io::stderr).log_internal_errors(false);
    tracing_subscriber::registry().with(lines.with_filter(filter)).init();

    if let Some(Command::Simulate(stand_in)) = arguments.command {
        return crate::simulate::run(
            stand_in,
            stop_signal().map_err(|error| format!("Cannot listen for the signal to stop: {error}"))?,
        )
        .await;
    }
    let is_demo = matches!(arguments.command, Some(Command::Demo { .. }));
    let kind = if is_demo { BenchKind::Demo } else { BenchKind::Own };
    let path = match arguments.data {
        Some(path) => path,
        None => default_path(kind)?,
    };
    match &arguments.command {
        Some(Command::Backup { file }) => return back_up(&path, file).await,
        Some(Command::Restore { file }) => return restore(file, &path).await,
        Some(Command::Export { file, tests }) => return export(&path, file, tests.as_ref().unwrap_or(&Chosen::All)).await,
        Some(Command::Import { file, prefer }) => return import(&path, file, prefer.unwrap_or_default()).await,
        Some(Command::Recompute { file }) => return recompute(file).await,
        Some(Command::Forget { what, id, copy }) => return forget(&path, (*what, *id), copy).await,
        Some(Command::Demo { .. } | Command::Simulate(_)) | None => {}
    }
    if !arguments.share && !sharing::is_loopback(arguments.listen.ip()) {
        return Err(not_shared(arguments.listen));
    }
    // The address first: a taken port must not start a demo over.
    let listener =
        tokio::net::TcpListener::bind(arguments.listen).await.map_err(|error| cannot_listen(arguments.listen, &error))?;
    let address = listener.local_addr().map_err(|error| cannot_listen(arguments.listen, &error))?;
    let _lock = BenchLock::take(&path).map_err(|error| error.to_string())?;
    if let Some(Command::Demo { fresh: true }) = arguments.command {
        Store::remove_demo(&path).await.map_err(|error| error.to_string())?;
    }
    let time_zone = if kind == BenchKind::Demo { demo::TIME_ZONE.to_owned() } else { system_time_zone() };
    let store = Store::open(&path, kind, &time_zone).await.map_err(|error| error.to_string())?;
    if let Err(error) = store.remove_left_packages() {
        tracing::warn!(%error, "packages of the last start could not be removed");
    }
    if kind == BenchKind::Demo {
        demo::fill(&store).await.map_err(|error| error.to_string())?;
        crate::simulate::start_for_demo(&store).await?;
    }
    let stop = stop_signal().map_err(|error| format!("Cannot listen for the signal to stop: {error}"))?;
    tracing::info!(bench = %path.display(), %address, "open");
    let allowed = arguments.allow_meters.unwrap_or_else(|| Allowed::usual(path.with_file_name("meters")));
    let mut state = AppState::start(store, allowed).await.map_err(|error| error.to_string())?;
    if arguments.share {
        let key = sharing::new_secret()?;
        state.sharing = Some(Sharing::start(&state.store, &key).await.map_err(|error| error.to_string())?);
        say_shared(address, &key);
    } else {
        println!("Flindo is at http://{address}/");
    }
    if kind == BenchKind::Own && arguments.daily_copies > 0 {
        state.copies = Some(Copies::of(&path, arguments.daily_copies));
    }
    run(listener, state, stop).await.map_err(|error| format!("The server stopped: {error}"))
}

fn not_shared(address: SocketAddr) -> String {
    format!(
        "{address} can be reached from other machines, and anybody there could read and change the bench. \
         Add --share to serve it there with a key, or leave --listen out to serve this machine alone."
    )
}

/// Says where other machines find the bench, and the key that they need.
fn say_shared(address: SocketAddr, key: &str) {
    let found = sharing::addresses(address);
    let first = found.first().copied().unwrap_or(address);
    println!("Flindo is at http://{first}/");
    for other in found.iter().skip(1) {
        println!("          and at http://{other}/");
    }
    let link = format!("http://{first}/enter?key={key}");
    println!("\nOther machines need the key of this start: {key}\nThis link carries it: {link}\n");
    match sharing::qr_code(&link) {
        Some(code) => println!("{code}\n"),
        None => println!("The link is too long for a code.\n"),
    }
    println!(
        "The network carries it without encryption: whoever listens on it can read the pages, the readings and the key. \
         Share on a network you trust. The Bench page shows who was let in, and ends it."
    );
}

/// Copies a bench that is there, whether a server has it open or not.
async fn back_up(path: &Path, to: &Path) -> Result<(), String> {
    if !path.exists() {
        return Err(format!("There is no bench at {}. Say which with --data FILE.", path.display()));
    }
    let verified = flindo_store::back_up_file(path, to).await.map_err(|error| error.to_string())?;
    println!("Copied to {}: whole, with {} readings.", to.display(), verified.readings);
    Ok(())
}

async fn restore(from: &Path, to: &Path) -> Result<(), String> {
    let verified = flindo_store::restore(from, to).await.map_err(|error| error.to_string())?;
    println!("Restored to {}: whole, with {} readings.", to.display(), verified.readings);
    Ok(())
}

fn prefer(text: &str) -> Result<Prefer, String> {
    Prefer::from_name(text).ok_or_else(|| "here or package".to_owned())
}

fn chosen(text: &str) -> Result<Chosen, String> {
    crate::door::package::chosen(text).ok_or_else(|| "numbers of tests, such as 3,5,8".to_owned())
}

async fn export(path: &Path, to: &Path, of: &Chosen) -> Result<(), String> {
    if !path.exists() {
        return Err(format!("There is no bench at {}. Say which with --data FILE.", path.display()));
    }
    let exported =
        flindo_store::package::export_file(path, to, of, jiff::Timestamp::now()).await.map_err(|error| error.to_string())?;
    println!("Written to {}: {} tests, {} readings, {} logs.", to.display(), exported.tests, exported.readings, exported.logs);
    Ok(())
}

async fn import(path: &Path, from: &Path, prefer: Prefer) -> Result<(), String> {
    let lock = BenchLock::take(path).map_err(|error| error.to_string())?;
    let store = Store::open(path, BenchKind::Own, &system_time_zone()).await.map_err(|error| error.to_string())?;
    let merged = store.import_package(from, prefer).await;
    store.close().await;
    drop(lock);
    match merged {
        Ok(merged) => {
            println!("{}", crate::door::package::sentence(&merged));
            Ok(())
        }
        Err(PackageError::Conflicts(conflicts)) => {
            let lines: Vec<String> = conflicts.iter().map(crate::door::package::line).collect();
            Err(format!(
                "Nothing came in: these do not go together. Add --prefer here or --prefer package.\n{}",
                lines.join("\n")
            ))
        }
        Err(error) => Err(error.to_string()),
    }
}

fn withdrawable(text: &str) -> Result<Withdrawable, String> {
    Withdrawable::from_name(text).ok_or_else(|| {
        let names: Vec<&str> = Withdrawable::ALL.iter().map(|what| what.name()).collect();
        format!("one of {}", names.join(", "))
    })
}

/// Erases a withdrawn record once a copy of the bench is whole, and names the copies that hold it still.
async fn forget(path: &Path, (what, id): (Withdrawable, i64), copy: &Path) -> Result<(), String> {
    if !path.exists() {
        return Err(format!("There is no bench at {}. Say which with --data FILE.", path.display()));
    }
    let lock = BenchLock::take(path).map_err(|error| error.to_string())?;
    let store = Store::open(path, BenchKind::Own, &system_time_zone()).await.map_err(|error| error.to_string())?;
    let forgotten = async {
        store.back_up(copy).await.map_err(|error| error.to_string())?;
        store.forget(what, id, jiff::Timestamp::now()).await.map_err(|error| error.to_string())
    };
    let forgotten = forgotten.await;
    store.close().await;
    drop(lock);
    let forgotten = forgotten.map_err(|sentence| format!("{sentence} Nothing was erased."))?;
    println!("Erased: {} \u{201c}{}\u{201d}. A merge does not bring it back.", what.label(), forgotten.name);
    let mut copies = Copies::of(path, 0).files();
    copies.push(copy.to_owned());
    let holding = flindo_store::copies_with(&forgotten, &copies).await;
    if !holding.is_empty() {
        let lines: Vec<String> = holding.iter().map(|path| format!("  {}", path.display())).collect();
        println!("These copies hold it still; so may packages and reports that were sent:\n{}", lines.join("\n"));
    }
    Ok(())
}

async fn recompute(file: &Path) -> Result<(), String> {
    let html = std::fs::read_to_string(file).map_err(|error| format!("{} could not be read: {error}.", file.display()))?;
    let found = crate::report::recompute::recompute(&html).await?;
    if let Some(program) = &found.other_program {
        println!("It was made by version {program}; docs/changes.md says which formulas changed since.");
    }
    if found.differing.is_empty() {
        println!("All {} figures follow from the data in it.", found.figures);
        return Ok(());
    }
    let lines: Vec<String> = found
        .differing
        .iter()
        .map(|one| format!("after \"{}\": printed {}, follows {}", one.after, one.printed, one.follows))
        .collect();
    Err(format!("{} of {} figures do not follow from the data in it.\n{}", lines.len(), found.figures, lines.join("\n")))
}

fn default_path(kind: BenchKind) -> Result<PathBuf, String> {
    let folder = dirs::data_dir().ok_or("There is no folder for your data here. Choose a file with --data FILE.")?;
    let name = match kind {
        BenchKind::Own => "my.bench",
        BenchKind::Demo => "demo.bench",
    };
    Ok(folder.join("flindo").join(name))
}

fn system_time_zone() -> String {
    jiff::tz::TimeZone::system().iana_name().unwrap_or("UTC").to_owned()
}

fn cannot_listen(address: SocketAddr, error: &std::io::Error) -> String {
    if error.kind() == std::io::ErrorKind::AddrInUse {
        let next = SocketAddr::new(address.ip(), address.port().wrapping_add(1));
        return format!("{address} is taken, perhaps by another Flindo. Choose another address with --listen, such as {next}.");
    }
    if error.kind() == std::io::ErrorKind::PermissionDenied {
        return format!("{address} may not be used here. Choose a port above 1023 with --listen.");
    }
    format!("Cannot serve on {address}: {error}. Choose another address with --listen.")
}

/// A future that resolves on Ctrl-C and on SIGTERM. Both are listened to from this call on, before anybody is told that the
/// program is there.
fn stop_signal() -> std::io::Result<impl Future<Output = ()> + Send + 'static> {
    use tokio::signal::unix::{SignalKind, signal};
    let mut interrupt = signal(SignalKind::interrupt())?;
    let mut terminate = signal(SignalKind::terminate())?;
    Ok(async move {
        tokio::select! {
            _ = interrupt.recv() => {}
            _ = terminate.recv() => {}
        }
        tracing::info!("stopping");
        // Whoever asks twice does not want to wait: what was acknowledged is on the disk.
        tokio::spawn(async move {
            tokio::select! {
                _ = interrupt.recv() => {}
                _ = terminate.recv() => {}
            }
            std::process::exit(1);
        });
    })
}
