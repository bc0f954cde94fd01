//! Files as other loggers write them, a hundred and more made here: every sample that comes in is the one that was measured, or the doubt
//! is told. Names and figures are invented; the forms are common practice, no source.
use flindo_core::measure::logger::Format;
use flindo_core::measure::logger::doubt::{Assumed, Setting};
use flindo_core::measure::logger::guess::{Guess, guess};
use flindo_core::measure::logger::row::{RowFault, RowSample, Rows};
use flindo_core::measure::quantity::Quantity;

/// 4 May 2026, 10:15:00 UTC; a row a minute.
const FIRST_S: f64 = 1_777_889_700.0;

/// Volts, amps and watts of a row.
fn truth(nth: usize) -> [f64; 3] {
    let (volts_v, current_a) = (18.4 + 0.1 * (nth % 7) as f64, 5.25 + 0.05 * (nth % 11) as f64);
    [volts_v, current_a, (volts_v * current_a * 100.0).round() / 100.0]
}

struct Read {
    guess: Guess,
    samples: Vec<RowSample>,
    aside: Vec<(usize, RowFault)>,
}

fn read(text: &str) -> Option<Read> {
    let guess = guess(text, "UTC")?;
    let mut rows = Rows::of(&guess.format).ok()?;
    let (mut samples, mut aside) = (Vec::new(), Vec::new());
    for (nth, line) in text.lines().enumerate().skip(guess.format.header_lines).filter(|(_, line)| !line.trim().is_empty()) {
        if let Err(fault) = rows.read_line(line, guess.format.delimiter, &mut samples) {
            aside.push((nth + 1, fault));
        }
    }
    Some(Read { guess, samples, aside })
}

/// Samples of volts, amps and watts that are not the truth of their time.
fn wrong(read: &Read) -> Vec<RowSample> {
    let is_wrong = |sample: &&RowSample| {
        let nth = ((sample.at_s - FIRST_S) / 60.0).round();
        let [volts_v, current_a, watts_w] = truth(nth.max(0.0) as usize);
        let of = match sample.quantity {
            Quantity::Voltage => volts_v,
            Quantity::Current => current_a,
            Quantity::Power => watts_w,
            _ => return true,
        };
        (sample.at_s - FIRST_S - nth * 60.0).abs() > 0.5 || nth < 0.0 || (sample.value / of - 1.0).abs() > 1e-6
    };
    read.samples.iter().filter(is_wrong).copied().collect()
}

/// The time of a row.
type Time = fn(usize) -> String;

const TIMES: [(&str, Time); 12] = [
    ("ISO", |nth| format!("2026-05-04T{:02}:{:02}:00Z", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("year first", |nth| format!("2026/05/04 {:02}:{:02}:00", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("compact", |nth| format!("20260504{:02}{:02}00", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("compact UTC", |nth| format!("20260504T{:02}{:02}00Z", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("points", |nth| format!("04.05.2026 {:02}:{:02}", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("month name", |nth| format!("4 May 2026 {:02}:{:02}", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("month name first", |nth| format!("May 4 2026 {:02}:{:02} a.m.", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("short month", |nth| format!("04-Mai-26 {:02}:{:02}:00", 10 + (15 + nth) / 60, (15 + nth) % 60)),
    ("seconds", |nth| format!("{}", FIRST_S as i64 + 60 * nth as i64)),
    ("milliseconds", |nth| format!("{}000", FIRST_S as i64 + 60 * nth as i64)),
    ("microseconds", |nth| format!("{}000000", FIRST_S as i64 + 60 * nth as i64)),
    ("nanoseconds", |nth| format!("{}000000000", FIRST_S as i64 + 60 * nth as i64)),
];

fn figure(value: f64, digits: usize, comma: bool) -> String {
    let text = format!("{value:.digits$}");
    if comma { text.replace('.', ",") } else { text }
}

/// A file of forty rows.
fn file(header: &str, delimiter: &str, comma: bool, time: Time) -> String {
    let row = |nth: usize| {
        let [volts_v, current_a, watts_w] = truth(nth);
        let figures = [figure(volts_v, 1, comma), figure(current_a, 2, comma), figure(watts_w, 2, comma)];
        format!("{}{delimiter}{}\n", time(nth), figures.join(delimiter))
    };
    format!("{header}\n{}", (0..40).map(row).collect::<String>())
}

/// Twelve forms of time with five tables: all of it comes in as it was measured.
#[test]
fn sixty_sound_files_are_read_whole() {
    let heads = [
        ("time,Voltage (V),Current (A),Power (W)", ",", false),
        ("Zeit;Spannung [V];Strom [A];Leistung [W]", ";", true),
        ("timestamp\tvoltage_v\tcurrent_a\tpower_w", "\t", false),
        ("Logger 7\nserial|11\nTime|PV volts|PV amps|PV watts\n|V|A|W", "|", false),
        ("Time;V;A;W", ";", false),
    ];
    for (form, time) in TIMES {
        for (header, delimiter, comma) in heads {
            let text = file(header, delimiter, comma, time);
            let read = read(&text).unwrap_or_else(|| panic!("{form} {header}: no table"));
            assert!(read.aside.is_empty(), "{form} {header}: {:?}", read.aside.first());
            assert_eq!((read.samples.len(), wrong(&read)), (120, Vec::new()), "{form} {header}: {:?}", read.guess.format);
        }
    }
}

#[test]
fn columns_apart_by_spaces_are_read() {
    let time: Time = |nth| format!("2026-05-04 10:{:02}", 15 + nth);
    for comma in [false, true] {
        let text = file("Date       Time   Volts   Amps  Watts", "   ", comma, time);
        let read = read(&text).unwrap();
        assert_eq!((read.samples.len(), wrong(&read), read.aside.len()), (120, Vec::new(), 0), "{comma} {:?}", read.guess.format);
    }
}

/// What is wrong with rows of a file, by line: those rows are kept aside, and all others come in.
#[test]
fn rows_that_cannot_be_read_are_kept_aside_and_never_refuse_the_file() {
    let sound = || -> Vec<String> {
        file("time,Voltage (V),Current (A),Power (W)", ",", false, TIMES[1].1).lines().map(str::to_owned).collect()
    };
    type Damage = (&'static str, fn(&mut Vec<String>), usize);
    let damages: [Damage; 14] = [
        ("bad times at the beginning", |lines| (1..4).for_each(|nth| lines[nth] = lines[nth].replace("2026", "????")), 3),
        ("blank times", |lines| (1..6).for_each(|nth| lines[nth] = ",18.4,5.25,96.6".to_owned()), 5),
        ("a clock that was not set", |lines| (1..8).for_each(|nth| lines[nth] = lines[nth].replace("2026", "1970")), 7),
        ("a sum", |lines| lines.push("Total,,,4012.5".to_owned()), 1),
        ("a mean with a count", |lines| lines.push("Average of 40 rows,18.7,5.5,102".to_owned()), 1),
        ("the header again", |lines| lines.insert(20, lines[0].clone()), 1),
        ("a figure split in two", |lines| lines[9] = lines[9].replacen(".4", ",4", 1).replacen("18.", "18,", 1), 1),
        ("one cell more", |lines| lines[9].push_str(",77"), 1),
        ("an open quotation mark", |lines| lines[9] = lines[9].replacen(',', ",\"", 1), 1),
        ("text as a figure", |lines| lines[9] = lines[9].replacen(",5", ",x", 1), 1),
        ("a comma as the decimal sign", |lines| lines[9] = "2026/05/04 10:23:00,\"18,5\",5.25,97.1".to_owned(), 1),
        ("zeros of a memory", |lines| lines[9] = "\0\0\0\0\0".to_owned(), 1),
        ("an event", |lines| lines.insert(9, "2026/05/04 10:22:30,door opened,,".to_owned()), 1),
        ("cut", |lines| lines[9].truncate(10), 1),
    ];
    for (name, damage, count) in damages {
        let mut lines = sound();
        damage(&mut lines);
        let read = read(&(lines.join("\n") + "\n")).unwrap_or_else(|| panic!("{name}: refused"));
        assert_eq!(wrong(&read), Vec::new(), "{name}: {:?}", read.guess.format);
        assert_eq!(read.aside.len(), count, "{name}: {:?}", read.aside);
        assert!(read.samples.len() >= 3 * (40 - count), "{name}: {}", read.samples.len());
    }
}

/// Where nothing was measured nothing comes in.
#[test]
fn figures_that_stand_for_nothing_are_nothing() {
    for nothing in ["-9999", "-999", "-9999.0", "NaN", "---", "n/a", ""] {
        let mut lines: Vec<String> =
            file("time,Voltage (V),Current (A),Power (W)", ",", false, TIMES[0].1).lines().map(str::to_owned).collect();
        let time = lines[5].split(',').next().unwrap().to_owned();
        lines[5] = format!("{time},{nothing},5.45,{nothing}");
        let read = read(&(lines.join("\n") + "\n")).unwrap();
        assert_eq!((read.samples.len(), read.aside.len()), (118, 0), "{nothing}");
        assert_eq!(wrong(&read), Vec::new(), "{nothing}");
    }
}

/// A unit in a row of its own, in a column of its own, or nowhere, where volts times amps tell it.
#[test]
fn units_are_found_where_they_stand() {
    let kilowatts = |header: &str, with: fn(f64) -> String| {
        let row = |nth: usize| {
            let [volts_v, current_a, watts_w] = truth(nth);
            format!("{},{volts_v:.1},{current_a:.2},{}\n", TIMES[0].1(nth), with(watts_w))
        };
        format!("{header}\n{}", (0..40).map(row).collect::<String>())
    };
    for (header, with) in [
        ("time,Voltage,Current,Power\n,V,A,kW", (|watts_w| format!("{:.5}", watts_w / 1000.0)) as fn(f64) -> String),
        ("time,Voltage,Current,Power,Unit", |watts_w| format!("{:.5},kW", watts_w / 1000.0)),
        ("time,Voltage,Current,Power,Power unit", |watts_w| format!("{:.0},mW", watts_w * 1000.0)),
        ("time,Voltage (V),Current (A),Power", |watts_w| format!("{:.5}", watts_w / 1000.0)),
    ] {
        let read = read(&kilowatts(header, with)).unwrap();
        assert_eq!((read.samples.len(), wrong(&read)), (120, Vec::new()), "{header}: {:?}", read.guess);
    }
    // A unit that changes within the file is that of its row, and one that is none keeps its row aside.
    let text = "time,Power,Unit\n2026-05-04T10:15:00Z,96.6,W\n2026-05-04T10:16:00Z,0.09805,kW\n2026-05-04T10:17:00Z,99510,mW\n";
    let read_changing = read(text).unwrap();
    assert_eq!(wrong(&read_changing), Vec::new(), "{:?}", read_changing.guess.format);
    let read_other = read(&format!("{text}2026-05-04T10:18:00Z,20,C\n")).unwrap();
    assert_eq!((wrong(&read_other), read_other.samples.len(), read_other.aside.len()), (Vec::new(), 3, 1));
}

/// A figure that has a second reading is told with both.
#[test]
fn what_stays_open_is_told() {
    let is_told = |text: &str, name: &str| read(text).unwrap().guess.assumed.iter().any(|one| one.name() == name);
    let thousands = "Datum;Zeit;Leistung [mW]\n04.05.2026;10:15;156.500\n04.05.2026;10:16;157.250\n";
    let found = read(thousands).unwrap();
    let open = found.guess.assumed.iter().find(|one| one.name() == "thousands");
    assert_eq!(open, Some(&Assumed::Thousands { cell: "156.500".to_owned(), read_as: 156.5, or: 156_500.0 }));
    // A figure with another sign beside it decides: 18,4 V make 156.500 mW thousands.
    let decided = "Datum;Zeit;Spannung [V];Leistung [mW]\n04.05.2026;10:15;18,4;156.500\n04.05.2026;10:16;18,5;157.250\n";
    let found = read(decided).unwrap();
    assert!(found.guess.assumed.iter().all(|one| one.name() != "thousands") && found.guess.format.decimal_comma);
    let watts: Vec<f64> = found.samples.iter().filter(|one| one.quantity == Quantity::Power).map(|one| one.value).collect();
    assert_eq!(watts, [156.5, 157.25]);
    assert!(is_told("date,time,W\n05/06/2026,12:00,100\n05/06/2026,12:01,101\n", "day_or_month"));
    // Watts that are no product of the volts and amps beside them.
    let disagree = "time,V,A,Power (kW)\n2026-05-04T10:15:00Z,18.4,5.25,96.6\n2026-05-04T10:16:00Z,18.5,5.30,98.05\n";
    assert!(is_told(disagree, "watts_disagree"));
}

/// The one setting that decides a doubt has the file read the other way, and once more as it was.
#[test]
fn a_doubt_can_be_read_the_other_way() {
    let first = |text: &str, name: &str| {
        let found = read(text).unwrap();
        let open = found.guess.assumed.iter().find(|one| one.name() == name).unwrap_or_else(|| panic!("{name}: {text}"));
        let other = open.other_way(&found.guess.format).unwrap().set(found.guess.format.clone());
        let back = open.other_way(&other).map(|setting| setting.set(other.clone()));
        let of = |format: &Format| {
            let mut samples = Vec::new();
            let line = text.lines().nth(format.header_lines).unwrap();
            Rows::of(format).unwrap().read_line(line, format.delimiter, &mut samples).unwrap();
            samples.first().map(|sample| (sample.at_s, sample.value))
        };
        if let Some(back) = back.filter(|_| name != "zone" && name != "of_load") {
            assert_eq!(of(&back), of(&found.guess.format), "{name}");
        }
        (of(&found.guess.format), of(&other))
    };
    let noon = 1_777_896_900.0; // 2026-05-04T12:15:00Z, as `date -u -d @1777896900` says
    let thousands = "Datum;Zeit;Leistung [mW]\n04.05.2026;12:15;156.500\n04.05.2026;12:16;157.250\n";
    assert_eq!(first(thousands, "thousands"), (Some((noon, 0.1565)), Some((noon, 156.5))));
    // The fifth of April is 29 days before the fourth of May.
    let dates = "date,time,W\n04/05/2026,12:15,100\n04/05/2026,12:16,101\n";
    assert_eq!(first(dates, "day_or_month"), (Some((noon, 100.0)), Some((noon - 29.0 * 86400.0, 100.0))));
    let amps = "time,V,I,Power (W)\n2026-05-04T12:15:00Z,18.4,5250,96.6\n2026-05-04T12:16:00Z,18.5,5300,98.05\n";
    let found = read(amps).unwrap();
    let unit = found.guess.assumed.iter().find(|one| one.name() == "unit_by_product").unwrap();
    assert_eq!(unit.other_way(&found.guess.format), Some(Setting::Unit(3, "A")));
    // Where all three have units, nothing says which of them is wrong.
    let disagree = "time,V,A,Power (kW)\n2026-05-04T10:15:00Z,18.4,5.25,96.6\n2026-05-04T10:16:00Z,18.5,5.30,98.05\n";
    let found = read(disagree).unwrap();
    let open = found.guess.assumed.iter().find(|one| one.name() == "watts_disagree").unwrap();
    assert_eq!(open.other_way(&found.guess.format), None);
}

/// What a controller feeds to its load is not what it takes from the panel; where the load is all there is, it is what the panel works on.
#[test]
fn a_load_beside_a_panel_is_not_the_controllers_output() {
    let uses = |text: &str| -> Vec<&'static str> {
        let found = read(text).unwrap();
        assert!(found.guess.assumed.iter().any(|one| one.name() == "of_load"), "{text}");
        found.guess.format.columns.iter().map(|column| column.used_as.name()).collect()
    };
    let beside = "time,PV power (W),Load power (W)\n2026-05-04T10:15:00Z,96.6,271\n2026-05-04T10:16:00Z,98.05,272\n";
    assert_eq!(uses(beside), ["time", "power_w", "ignored"]);
    let alone = "time,Load voltage (V),Load current (A)\n2026-05-04T10:15:00Z,18.4,5.25\n2026-05-04T10:16:00Z,18.5,5.30\n";
    assert_eq!(uses(alone), ["time", "voltage_v", "current_a"]);
    let battery = "time,PV power (W),Battery power (W)\n2026-05-04T10:15:00Z,96.6,92\n2026-05-04T10:16:00Z,98.05,93\n";
    let found = read(battery).unwrap();
    let uses: Vec<&str> = found.guess.format.columns.iter().map(|column| column.used_as.name()).collect();
    assert_eq!(uses, ["time", "power_w", "output_power_w"]);
}
