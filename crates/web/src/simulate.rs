//! The stand-ins: for the demo, and for `flindo simulate NAME`.

use clap::{Args, ValueEnum};
use flindo_core::gear::GearKind;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::simulate::scene::{Fault, Scene, Work};
use flindo_core::simulate::sky::Clouds;
use flindo_core::sky::course::Site;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use flindo_meters::simulator::{MODBUS_MAP, SimulatedMeter, serve_lines, serve_modbus, serve_scpi, write_file};
use flindo_store::{GearDraft, Store};
use jiff::Timestamp;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use tokio::net::TcpListener;

/// Which stand-in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Name {
    /// A meter that speaks SCPI
    Scpi,
    /// A logger that streams CSV lines
    Lines,
    /// A logger that writes CSV lines into a file
    File,
    /// A device with registers, over Modbus TCP
    Modbus,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum FaultName {
    None,
    /// One of three groups of cells is bypassed
    SubstringOut,
    /// A fifth of the current is missing
    WeakCurrent,
}

#[derive(Debug, Args)]
pub struct Arguments {
    name: Name,
    /// Where it listens; any free port by default
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1:0")]
    at: SocketAddr,
    /// For the logger that writes a file: which
    #[arg(long, value_name = "FILE", default_value = "stand-in.csv")]
    into: PathBuf,
    /// The same seed is the same sky and the same instrument
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// How many times faster than the clock its day runs
    #[arg(long, default_value_t = 1.0, value_parser = speed)]
    speed: f64,
    /// Share of the time with a cloud, 0 to 1
    #[arg(long, default_value_t = 0.15, value_parser = share)]
    clouds: f64,
    /// Something upstream takes no more watts than these
    #[arg(long, value_name = "WATTS", value_parser = watts)]
    cap: Option<f64>,
    /// What is wrong with the panel, hidden from whoever measures it
    #[arg(long, value_enum, default_value_t = FaultName::None)]
    fault: FaultName,
}

fn within(text: &str, low: f64, high: f64) -> Result<f64, String> {
    text.parse().ok().filter(|number| (low..=high).contains(number)).ok_or(format!("a number from {low} to {high}"))
}

fn speed(text: &str) -> Result<f64, String> {
    within(text, 0.01, 100_000.0)
}

fn share(text: &str) -> Result<f64, String> {
    within(text, 0.0, 1.0)
}

fn watts(text: &str) -> Result<f64, String> {
    within(text, 1.0, 100_000.0)
}

/// A panel of the demo in the workshop's yard. Its day begins one hour before solar noon today, whatever the clock says, so that
/// there is sun to be measured.
fn stand_in(
    nameplate: Nameplate,
    clouds: Clouds,
    fault: Fault,
    cap_w: Option<f64>,
    speed: f64,
    seed: u64,
) -> Result<Arc<SimulatedMeter>, String> {
    let place = Place::check(38.6, -7.9, 300.0).map_err(|error| error.to_string())?;
    let today_s = (Timestamp::now().as_second() / 86_400 * 86_400) as f64;
    // Solar noon in mean time, at 7.9 degrees west: 12:31:36 UTC.
    let starts_s = today_s + 11.5 * 3600.0;
    let scene = Scene {
        site: Site { place, albedo: 0.2, linke_turbidity: 3.0, ..Site::default() },
        plane: Plane { tilt_deg: 35.0, azimuth_deg: 180.0 },
        nameplate,
        clouds,
        work: Work::Tracker { settle_s: 15.0, hunts_rel: 0.01 },
        fault,
        cap_w,
        connected_s: starts_s,
        air_c: 22.0,
        wind_m_s: 2.0,
    };
    Ok(Arc::new(SimulatedMeter::new(scene, starts_s, speed, seed)))
}

fn saffron() -> Result<Nameplate, String> {
    let mut typed = LabelTyped::default();
    for (field, text) in [
        ("rated_w", "200"),
        ("voc_v", "24.3"),
        ("isc_a", "10.4"),
        ("vmp_v", "20.4"),
        ("imp_a", "9.81"),
        ("beta_voc", "-0.28 %/K"),
    ] {
        typed.set(field, text);
    }
    label::check(&typed).nameplate.ok_or_else(|| "The stand-in's own label cannot be read.".to_owned())
}

/// Serves one stand-in until `stop`.
pub async fn run(arguments: Arguments, stop: impl Future<Output = ()>) -> Result<(), String> {
    let clouds = Clouds { seed: arguments.seed, share: arguments.clouds, spell_s: 240.0, through: 0.45 };
    let fault = match arguments.fault {
        FaultName::None => Fault::None,
        FaultName::SubstringOut => Fault::SubstringOut,
        FaultName::WeakCurrent => Fault::WeakCurrent { left: 0.8 },
    };
    let meter = stand_in(saffron()?, clouds, fault, arguments.cap, arguments.speed, arguments.seed)?;
    let listener =
        TcpListener::bind(arguments.at).await.map_err(|error| format!("Cannot listen at {}: {error}.", arguments.at))?;
    let at = listener.local_addr().map_err(|error| error.to_string())?;
    match arguments.name {
        Name::File => println!("Writing to {}", arguments.into.display()),
        Name::Modbus => println!("Listening at {at}; registers: {MODBUS_MAP}"),
        Name::Scpi | Name::Lines => println!("Listening at {at}"),
    }
    let serve = async {
        match arguments.name {
            Name::Scpi => serve_scpi(listener, meter).await,
            Name::Lines => serve_lines(listener, meter, None).await,
            Name::Modbus => serve_modbus(listener, meter).await,
            Name::File => write_file(&arguments.into, meter, None).await,
        }
    };
    tokio::select! {
        served = serve => served.map_err(|error| format!("The stand-in stopped: {error}.")),
        () = stop => Ok(()),
    }
}

/// The meters of the demo that can be listened to, each with its stand-in behind it.
pub const DEMO: [(&str, Name); 3] =
    [("Yard load tester", Name::Scpi), ("Cold-room logger", Name::Lines), ("Trailer shunt", Name::Modbus)];

/// Starts the stand-ins of the demo on free ports, and writes those into the demo's gear.
pub async fn start_for_demo(store: &Store) -> Result<(), String> {
    for row in store.gear().await.map_err(|error| error.to_string())? {
        let Some((_, name)) = DEMO.iter().find(|(demo, _)| *demo == row.draft.name && row.draft.kind == GearKind::Meter) else {
            continue;
        };
        let listener = TcpListener::bind("127.0.0.1:0").await.map_err(|error| format!("No port for a stand-in: {error}."))?;
        let address = listener.local_addr().map_err(|error| error.to_string())?.to_string();
        let (seed, share) = if *name == Name::Lines { (3, 0.25) } else { (2, 0.0) };
        let clouds = Clouds { seed, share, spell_s: 240.0, through: 0.45 };
        let meter = stand_in(saffron()?, clouds, Fault::None, None, 1.0, seed)?;
        tokio::spawn(async move {
            let served = match name {
                Name::Scpi => serve_scpi(listener, meter).await,
                Name::Lines | Name::File => serve_lines(listener, meter, None).await,
                Name::Modbus => serve_modbus(listener, meter).await,
            };
            if let Err(error) = served {
                tracing::error!(%error, "a stand-in stopped");
            }
        });
        let mut typed = row.draft.typed.clone();
        typed.insert("address".to_owned(), address);
        let draft = GearDraft { typed, ..row.draft };
        store.change_gear(row.id, &draft).await.map_err(|error| error.to_string())?;
    }
    Ok(())
}
