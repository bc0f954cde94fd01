//! A real TCP session for each protocol against its stand-in, and against peers that misbehave.
use flindo_core::gear::{Gear, GearKind, Typed};
use flindo_core::measure::quantity::{Quantity, UnsteadyPolicy};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::simulate::scene::{Fault, Scene, Work};
use flindo_core::simulate::sky::Clouds;
use flindo_core::sky::course::Site;
use flindo_core::sky::place::Place;
use flindo_core::sky::plane::Plane;
use flindo_meters::live::MeterState;
use flindo_meters::simulator::{MODBUS_MAP, SimulatedMeter, serve_lines, serve_modbus, serve_scpi, write_file};
use flindo_meters::{Allowed, Live, Received, Source, listen, now_ms};
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::mpsc;
use tokio::time::timeout;
use tokio_util::sync::CancellationToken;

/// 2026-06-21 13:00 UTC over the workshop.
const NOON_S: f64 = 1_782_046_800.0;

fn stand_in(speed: f64) -> Arc<SimulatedMeter> {
    let nameplate = Nameplate {
        rated_w: Some(200.0),
        voc_v: Some(24.3),
        isc_a: Some(10.4),
        vmp_v: Some(20.4),
        imp_a: Some(9.81),
        ..Nameplate::default()
    };
    let scene = Scene {
        site: Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() },
        plane: Plane { tilt_deg: 20.0, azimuth_deg: 180.0 },
        nameplate,
        clouds: Clouds::NONE,
        work: Work::Tracker { settle_s: 15.0, hunts_rel: 0.0 },
        fault: Fault::None,
        cap_w: None,
        connected_s: NOON_S - 3600.0,
        air_c: 25.0,
        wind_m_s: 2.0,
    };
    Arc::new(SimulatedMeter::new(scene, NOON_S, speed, 7))
}

async fn here() -> (TcpListener, String) {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    (listener, address)
}

fn source(fields: &[(&str, &str)]) -> Source {
    let typed: Typed = fields.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
    let Ok(Gear::Meter(meter)) = GearKind::Meter.check(&typed) else { panic!("a sound meter") };
    Source::of(&meter).unwrap().unwrap()
}

/// Listens for as long as the guard lives.
fn heard_from(source: Source) -> (mpsc::Receiver<Received>, tokio_util::sync::DropGuard) {
    let (out, heard) = mpsc::channel(64);
    let cancel = CancellationToken::new();
    let allowed = Allowed::parse(&format!("local, {}", std::env::temp_dir().display())).unwrap();
    tokio::spawn(listen(source, out, allowed, cancel.clone()));
    (heard, cancel.drop_guard())
}

async fn next(heard: &mut mpsc::Receiver<Received>) -> Received {
    timeout(Duration::from_secs(20), heard.recv()).await.expect("something is heard").expect("the listener is there")
}

/// The next one of a kind; what comes before it is passed over.
async fn until(heard: &mut mpsc::Receiver<Received>, is: impl Fn(&Received) -> bool) -> Received {
    loop {
        let one = next(heard).await;
        if is(&one) {
            return one;
        }
    }
}

async fn figure(heard: &mut mpsc::Receiver<Received>, quantity: Quantity) -> f64 {
    match until(heard, |one| matches!(one, Received::Sample(sample) if sample.quantity == quantity)).await {
        Received::Sample(sample) => sample.value,
        _ => unreachable!(),
    }
}

#[tokio::test]
async fn scpi_over_tcp() {
    let (listener, address) = here().await;
    tokio::spawn(serve_scpi(listener, stand_in(1.0)));
    let (mut heard, _guard) = heard_from(source(&[
        ("speaks", "scpi"),
        ("address", &address),
        ("map", "voltage_v MEASure:VOLTage:DC?; current_a MEAS:CURR?; power_w FETC:POW:DC?"),
    ]));
    assert_eq!(next(&mut heard).await, Received::Connected("FLINDO,STAND-IN,0,1".into()));
    let (volts, amps, watts) = (
        figure(&mut heard, Quantity::Voltage).await,
        figure(&mut heard, Quantity::Current).await,
        figure(&mut heard, Quantity::Power).await,
    );
    assert!(
        (17.0..22.0).contains(&volts) && (9.0..11.0).contains(&amps) && (watts / (volts * amps) - 1.0).abs() < 0.05,
        "{volts} {amps} {watts}"
    );
}

#[tokio::test]
async fn the_scpi_stand_in_knows_the_common_commands_and_queues_its_errors() {
    let (listener, address) = here().await;
    tokio::spawn(serve_scpi(listener, stand_in(1.0)));
    let mut meter = BufReader::new(TcpStream::connect(address).await.unwrap());
    let mut ask = async |line: &str| {
        meter.get_mut().write_all(format!("{line}\n").as_bytes()).await.unwrap();
        let mut answer = String::new();
        if line.contains('?') {
            meter.read_line(&mut answer).await.unwrap();
        }
        answer.trim().to_owned()
    };
    assert_eq!(ask("*RST;*CLS;*OPC?").await, "1");
    assert_eq!(ask(":SYSTem:ERRor?").await, "0,\"No error\"");
    ask("BREW:COFFEE").await;
    assert_eq!(ask("*STB?;*ESR?;*ESR?").await, "4;32;0");
    assert_eq!(ask("syst:err?;syst:err?").await, "-113,\"Undefined header\";0,\"No error\"");
    ask("CONF:CURR:DC").await;
    assert!(ask("READ?").await.parse::<f64>().unwrap() > 5.0);
    for _ in 0..20 {
        ask("NONSENSE").await;
    }
    for _ in 0..16 {
        ask("SYST:ERR?").await;
    }
    assert_eq!(ask("SYST:ERR?").await, "-350,\"Queue overflow\"");
}

#[tokio::test]
async fn lines_over_tcp_bring_their_own_time() {
    let (listener, address) = here().await;
    tokio::spawn(serve_lines(listener, stand_in(1.0), None));
    let (mut heard, _guard) = heard_from(source(&[("speaks", "lines"), ("address", &address)]));
    assert_eq!(next(&mut heard).await, Received::Connected(String::new()));
    let Received::Sample(sample) = next(&mut heard).await else { panic!("a sample") };
    assert!((sample.at_ms as f64 / 1000.0 - NOON_S).abs() < 5.0 && (sample.heard_ms - now_ms()).abs() < 5000);
    assert!((900.0..1100.0).contains(&figure(&mut heard, Quantity::Poa).await));
}

#[tokio::test]
async fn a_file_that_grows_is_followed_from_its_end_and_begun_anew_when_replaced() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pump.csv");
    // An old day, and half a line that somebody is just writing.
    std::fs::write(&path, "time_utc,voltage_v\n2026-06-01T10:00:00Z,11.1\n2026-06-01T10:00:01Z,1").unwrap();
    let (mut heard, _guard) = heard_from(source(&[("speaks", "file"), ("address", path.to_str().unwrap())]));
    assert_eq!(next(&mut heard).await, Received::Connected(String::new()));
    let append = |text: &str| {
        use std::io::Write;
        std::fs::OpenOptions::new().append(true).open(&path).unwrap().write_all(text.as_bytes()).unwrap();
    };
    append("2.2\n2026-06-01T10:00:02Z,13");
    assert_eq!(figure(&mut heard, Quantity::Voltage).await, 12.2);
    append(".3\n");
    assert_eq!(figure(&mut heard, Quantity::Voltage).await, 13.3);
    std::fs::write(&path, "current_a\n4.5\n").unwrap();
    assert_eq!(figure(&mut heard, Quantity::Current).await, 4.5);
    std::fs::remove_file(&path).unwrap();
    assert!(
        matches!(until(&mut heard, |one| matches!(one, Received::Lost(_))).await, Received::Lost(why) if why.contains("no file"))
    );
    // When it is back, it is followed again: the stand-in writes what the listener reads.
    tokio::spawn(async move { write_file(&path, stand_in(1.0), None).await });
    assert!((900.0..1100.0).contains(&figure(&mut heard, Quantity::Poa).await));
}

#[tokio::test]
async fn modbus_tcp_by_the_map_of_the_person() {
    let (listener, address) = here().await;
    tokio::spawn(serve_modbus(listener, stand_in(1.0)));
    let map = format!("{MODBUS_MAP}; input 0 u16 0.01 voc_v; 90 u16 1 isc_a");
    let (mut heard, _guard) = heard_from(source(&[("speaks", "modbus_tcp"), ("address", &address), ("map", &map)]));
    let (volts, watts) = (figure(&mut heard, Quantity::Voltage).await, figure(&mut heard, Quantity::Power).await);
    assert!((17.0..22.0).contains(&volts) && (160.0..210.0).contains(&watts), "{volts} {watts}");
    assert!((30.0..60.0).contains(&figure(&mut heard, Quantity::Back).await));
    assert!((figure(&mut heard, Quantity::Voc).await / volts - 1.0).abs() < 0.02, "input registers are the same here");
    let refused = until(&mut heard, |one| matches!(one, Received::NoFigure(..))).await;
    assert!(matches!(refused, Received::NoFigure(Quantity::Isc, why) if why.contains("register 90")));
}

/// Serves each connection with the next of these, then nothing more.
async fn misbehave(listener: TcpListener, turns: Vec<&'static [u8]>, hold: Duration) {
    for turn in turns {
        let (mut stream, _) = listener.accept().await.unwrap();
        stream.write_all(turn).await.unwrap();
        tokio::time::sleep(hold).await;
    }
    std::future::pending::<()>().await;
}

#[tokio::test]
async fn half_lines_wrong_cells_and_cuts_are_survived_and_no_half_number_is_read() {
    let (listener, address) = here().await;
    let turns: Vec<&'static [u8]> = vec![
        b"voltage_v,current_a\n18.4,5.6\n18.4;5.6\n18.4,five\n18.4,5.6,7\n\xff\xfe\n18.5,5",
        b"voltage_v,current_a\nnan,5.6\n99999,5.6\n18.6,5.7\n",
    ];
    tokio::spawn(misbehave(listener, turns, Duration::from_millis(50)));
    let (mut heard, _guard) = heard_from(source(&[("speaks", "lines"), ("address", &address)]));
    let (mut volts, mut amps, mut rubbish, mut lost) = (Vec::new(), Vec::new(), 0, 0);
    while amps.last() != Some(&5.7) {
        match next(&mut heard).await {
            Received::Sample(sample) if sample.quantity == Quantity::Voltage => volts.push(sample.value),
            Received::Sample(sample) => amps.push(sample.value),
            Received::Unreadable(_) | Received::NoFigure(..) => rubbish += 1,
            Received::Lost(why) => {
                assert!(why.contains("closed"), "{why}");
                lost += 1;
            }
            Received::Connected(_) => {}
        }
    }
    assert_eq!((volts, lost), (vec![18.4, 18.6], 1));
    assert_eq!(amps, [5.6, 5.6, 5.6, 5.7], "a wrong voltage is named, its neighbour stands");
    assert_eq!(rubbish, 4 + 2);
}

#[tokio::test]
async fn a_meter_that_is_not_there_yet_is_found_when_it_comes() {
    let (listener, address) = here().await;
    drop(listener);
    let (mut heard, _guard) = heard_from(source(&[("speaks", "scpi"), ("address", &address)]));
    assert!(matches!(next(&mut heard).await, Received::Lost(why) if why.contains("no meter answers at")));
    tokio::spawn(serve_scpi(TcpListener::bind(&address).await.unwrap(), stand_in(1.0)));
    until(&mut heard, |one| matches!(one, Received::Connected(_))).await;
    assert!(figure(&mut heard, Quantity::Voltage).await > 10.0);
}

#[tokio::test]
async fn a_meter_that_answers_rubbish_late_or_never_is_told_apart() {
    let (listener, address) = here().await;
    tokio::spawn(async move {
        let (stream, _) = listener.accept().await.unwrap();
        let mut stream = BufReader::new(stream);
        let who = "ACME,1,2,3\n";
        let answers = [who, who, "hello\n", who, "+9.91E37\n", who, "9.9E37\n", who];
        for answer in answers {
            let mut line = String::new();
            stream.read_line(&mut line).await.unwrap();
            tokio::time::sleep(Duration::from_millis(120)).await;
            stream.get_mut().write_all(answer.as_bytes()).await.unwrap();
        }
        // Then it takes questions, and is silent.
        let mut rest = Vec::new();
        let _ = stream.read_to_end(&mut rest).await;
    });
    let (mut heard, _guard) = heard_from(source(&[("speaks", "scpi"), ("address", &address), ("map", "voltage_v MEAS:VOLT?")]));
    assert_eq!(next(&mut heard).await, Received::Connected("ACME,1,2,3".into()));
    for part in ["hello", "no figure", "beyond its range"] {
        assert!(matches!(next(&mut heard).await, Received::NoFigure(Quantity::Voltage, what) if what.contains(part)), "{part}");
    }
    assert!(matches!(next(&mut heard).await, Received::Lost(why) if why.contains("did not answer")));
}

/// A port that refuses, one that is open and silent, one that closes at once: the page of meters does not tell which of them it is.
#[tokio::test]
async fn a_port_without_a_meter_is_told_alike_whether_it_is_open_or_not() {
    let (silent, silent_address) = here().await;
    let (closing, closing_address) = here().await;
    let (refusing, refusing_address) = here().await;
    drop(refusing);
    tokio::spawn(async move {
        let mut open = Vec::new();
        while let Ok((stream, _)) = silent.accept().await {
            open.push(stream);
        }
    });
    tokio::spawn(async move { while closing.accept().await.is_ok() {} });
    for (speaks, map) in [("scpi", ""), ("modbus_tcp", MODBUS_MAP)] {
        for address in [&silent_address, &closing_address, &refusing_address] {
            let (mut heard, _guard) = heard_from(source(&[("speaks", speaks), ("address", address), ("map", map)]));
            assert_eq!(next(&mut heard).await, Received::Lost(format!("no meter answers at {address}")), "{speaks}");
        }
    }
    // A logger may be silent for hours: it is not heard, and nothing more is said.
    let (mut heard, _guard) = heard_from(source(&[("speaks", "lines"), ("address", &silent_address)]));
    assert!(timeout(Duration::from_millis(300), heard.recv()).await.is_err());
}

#[tokio::test]
async fn a_meter_elsewhere_than_allowed_is_never_connected_to() {
    for (speaks, address, part) in [
        ("scpi", "169.254.1.1:80", "--allow-meters"),
        ("lines", "192.0.2.1:80", "--allow-meters"),
        ("lines", "logger.invalid:80", "no machine is known by the name"),
        ("file", "/etc/hostname", "--allow-meters"),
    ] {
        let (mut heard, _guard) = heard_from(source(&[("speaks", speaks), ("address", address)]));
        assert!(matches!(next(&mut heard).await, Received::Lost(why) if why.contains(part)), "{address}");
    }
}

/// What is answered to a question of this transaction, given as its two bytes.
type WrongAnswer = fn(u8, u8) -> Vec<u8>;

/// Registers of a peer that answers wrongly: nothing of it is ever a figure, the session ends or says so, and the next one is sound.
#[tokio::test]
async fn a_modbus_peer_that_answers_wrongly_gives_no_figure() {
    // Transaction, protocol, length, unit, function, bytes, words (Modbus messaging on TCP/IP, 3.1.3).
    let answers: [(&str, WrongAnswer); 7] = [
        ("another transaction", |high, low| vec![high, low.wrapping_add(1), 0, 0, 0, 5, 1, 3, 2, 0x07, 0x30]),
        ("another protocol", |high, low| vec![high, low, 0, 9, 0, 5, 1, 3, 2, 0x07, 0x30]),
        ("another unit", |high, low| vec![high, low, 0, 0, 0, 5, 7, 3, 2, 0x07, 0x30]),
        ("another function", |high, low| vec![high, low, 0, 0, 0, 5, 1, 4, 2, 0x07, 0x30]),
        ("too many words", |high, low| vec![high, low, 0, 0, 0, 7, 1, 3, 4, 0x07, 0x30, 0x07, 0x30]),
        ("no words", |high, low| vec![high, low, 0, 0, 0, 3, 1, 3, 0]),
        ("rubbish", |_, _| vec![0xff; 300]),
    ];
    for (name, answer) in answers {
        let (listener, address) = here().await;
        tokio::spawn(async move {
            let mut asked = 0;
            while let Ok((mut stream, _)) = listener.accept().await {
                let mut question = [0; 12];
                while stream.read_exact(&mut question).await.is_ok() {
                    asked += 1;
                    let sound = vec![question[0], question[1], 0, 0, 0, 5, 1, 3, 2, 0x07, 0xd0];
                    let sent = if asked == 2 { answer(question[0], question[1]) } else { sound };
                    if stream.write_all(&sent).await.is_err() {
                        break;
                    }
                }
            }
        });
        let map = "0 u16 0.01 voltage_v";
        let (mut heard, _guard) = heard_from(source(&[("speaks", "modbus_tcp"), ("address", &address), ("map", map)]));
        let mut told = false;
        for _ in 0..200 {
            match next(&mut heard).await {
                Received::Sample(sample) => {
                    assert_eq!(sample.value, 20.0, "{name}");
                    if told {
                        break;
                    }
                }
                Received::NoFigure(..) | Received::Lost(_) => told = true,
                Received::Connected(_) | Received::Unreadable(_) => {}
            }
        }
        assert!(told, "{name}");
    }
}

/// What is sent in the place of an answer.
type Mood = fn(&str) -> String;

/// A meter of 18.4 V and 5.6 A that answers one question wrongly: `mood` says what it sends in the place of its answer to the `nth` one.
async fn moody(nth: usize, mood: Mood) -> (mpsc::Receiver<Received>, tokio_util::sync::DropGuard) {
    of_moods(vec![(nth, mood)], "").await
}

/// The same with several moods, and with a greeting for whoever connects.
async fn of_moods(moods: Vec<(usize, Mood)>, greeting: &'static str) -> (mpsc::Receiver<Received>, tokio_util::sync::DropGuard) {
    let (listener, address) = here().await;
    tokio::spawn(async move {
        let mut asked = 0;
        while let Ok((stream, _)) = listener.accept().await {
            let mut stream = BufReader::new(stream);
            stream.get_mut().write_all(greeting.as_bytes()).await.unwrap();
            let mut line = String::new();
            while stream.read_line(&mut line).await.is_ok_and(|read| read > 0) {
                let answer = match line.trim() {
                    "*IDN?" => "ACME,1,2,3\n",
                    "MEAS:VOLT?" => "18.40\n",
                    _ => "5.60\n",
                };
                asked += 1;
                let mood = moods.iter().find(|(nth, _)| *nth == asked);
                let sent = mood.map_or_else(|| answer.to_owned(), |(_, mood)| mood(answer));
                if stream.get_mut().write_all(sent.as_bytes()).await.is_err() {
                    break;
                }
                line.clear();
            }
        }
    });
    heard_from(source(&[("speaks", "scpi"), ("address", &address), ("map", "voltage_v MEAS:VOLT?; current_a MEAS:CURR?")]))
}

/// One stray line, a doubled answer, one left out, a second of rubbish: never a volt as an ampere, and sound figures again afterwards.
#[tokio::test]
async fn answers_that_slip_are_never_taken_for_another_quantity() {
    let moods: [(&str, Mood); 4] = [
        ("stray", |answer| format!("READY\n{answer}")),
        ("stray number", |answer| format!("7.77\n{answer}")),
        ("doubled", |answer| format!("{answer}{answer}")),
        ("rubbish", |answer| format!("{}{answer}", "x!?\n12.5\n".repeat(200))),
    ];
    let mut meters = tokio::task::JoinSet::new();
    for (name, mood) in moods {
        // Volts, amps and the identities behind them of the first rounds.
        for nth in 3..12 {
            meters.spawn(async move { stays_itself(name, nth, moody(nth, mood).await).await });
        }
    }
    while let Some(done) = meters.join_next().await {
        done.unwrap();
    }
}

/// One line too many and one too few in the same round hide each other behind its end.
#[tokio::test]
async fn a_doubled_answer_and_a_missing_one_of_one_round_are_told() {
    let doubled: Mood = |answer| format!("{answer}{answer}");
    let left_out: Mood = |_| String::new();
    // Of volts, identity, amps, identity: the second round is the questions 7 to 10.
    for (twice, never) in [(7, 9), (7, 8), (8, 9), (9, 10)] {
        let heard = of_moods(vec![(twice, doubled), (never, left_out)], "").await;
        stays_itself("doubled and left out", twice, heard).await;
    }
}

/// What a meter says to whoever connects is no identity.
#[tokio::test]
async fn a_greeting_is_read_over() {
    for greeting in ["Welcome to the bench\n", "READY\nid 7\n"] {
        let (mut heard, _guard) = of_moods(Vec::new(), greeting).await;
        assert_eq!(next(&mut heard).await, Received::Connected("ACME,1,2,3".into()), "{greeting}");
        assert_eq!(figure(&mut heard, Quantity::Voltage).await, 18.4);
        assert_eq!(figure(&mut heard, Quantity::Current).await, 5.6);
    }
}

/// Names that say nothing end what the columns meant: 103 W under a new head are no volts.
#[tokio::test]
async fn a_head_of_unknown_words_ends_what_the_columns_meant() {
    let (listener, address) = here().await;
    let turns: Vec<&'static [u8]> = vec![b"voltage_v,current_a\n18.4,5.6\nfoo,bar\n103,5.6\npower_w,current_a\n104,5.7\n"];
    tokio::spawn(misbehave(listener, turns, Duration::from_millis(200)));
    let (mut heard, _guard) = heard_from(source(&[("speaks", "lines"), ("address", &address)]));
    let mut seen = Vec::new();
    while seen.len() < 4 {
        if let Received::Sample(sample) = next(&mut heard).await {
            seen.push((sample.quantity, sample.value));
        }
    }
    let of = [(Quantity::Voltage, 18.4), (Quantity::Current, 5.6), (Quantity::Power, 104.0), (Quantity::Current, 5.7)];
    assert_eq!(seen, of);
}

/// Volts are volts and amps are amps, before and after the slip, until eight sound figures have come after it.
async fn stays_itself(name: &str, nth: usize, (mut heard, _guard): (mpsc::Receiver<Received>, tokio_util::sync::DropGuard)) {
    let (mut sound, mut slipped) = (0, false);
    while sound < 8 {
        match next(&mut heard).await {
            Received::Sample(sample) => {
                let own = if sample.quantity == Quantity::Voltage { 18.4 } else { 5.6 };
                assert!(sample.value == own, "{name} at question {nth}: {sample:?}");
                sound += usize::from(slipped);
            }
            Received::Unreadable(_) | Received::NoFigure(..) | Received::Lost(_) => slipped = true,
            Received::Connected(_) => {}
        }
    }
}

#[tokio::test]
async fn a_cut_line_leaves_the_last_value_in_the_past() {
    let (listener, address) = here().await;
    let serving = tokio::spawn(serve_scpi(listener, stand_in(1.0)));
    let (mut heard, _guard) = heard_from(source(&[("speaks", "scpi"), ("address", &address)]));
    let mut live = Live::default();
    for _ in 0..9 {
        live.hear(&next(&mut heard).await);
    }
    assert_eq!(live.state(now_ms()), MeterState::Live);
    assert!(live.take(now_ms(), UnsteadyPolicy::Middle, |_| 0.01).is_ok());
    serving.abort();
    assert!(live.take(now_ms() + 10_000, UnsteadyPolicy::Middle, |_| 0.01).is_err());
}

/// A day at five a second, as fast as it goes: every line arrives, in order.
#[tokio::test]
async fn a_whole_day_at_five_a_second_loses_nothing() {
    const LINES: usize = 5 * 86_400;
    let (listener, address) = here().await;
    tokio::spawn(serve_lines(listener, stand_in(20_000.0), Some(LINES)));
    let (mut heard, _guard) =
        heard_from(source(&[("speaks", "lines"), ("address", &address), ("map", "time_utc; voltage_v; -; -; -; -")]));
    let (mut count, mut last_ms) = (0, 0);
    while count < LINES {
        if let Received::Sample(sample) = next(&mut heard).await
            && sample.quantity == Quantity::Voltage
        {
            assert!(last_ms == 0 || sample.at_ms - last_ms == 200, "line {count}");
            last_ms = sample.at_ms;
            count += 1;
        }
    }
}
