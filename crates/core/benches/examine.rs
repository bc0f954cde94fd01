//! The long examination of the verdicts: prints its tables, which docs/verdicts.md keeps.
//!
//! `cargo bench --bench examine`; after `--` a part of it (comparisons, ratings, special, traps, advice, power, logs) and the number of tests.

#[path = "../tests/all/worlds/mod.rs"]
mod worlds;

use flindo_core::predict::sheet::run_sheet;
use flindo_core::verdict::assess::assess;
use std::collections::BTreeMap;
use worlds::days::{DayWorld, Happening};
use worlds::logged::{Judged, judged, row};
use worlds::skies::Sky;
use worlds::table::{Outcome, Table, half_width_95, median};
use worlds::{advice, comparing, rating, traps};

const REPLICAS: u64 = 40;

/// Without a number: enough to see whether something is badly off, in a few minutes.
const USUAL_TESTS: u64 = 300;

fn main() {
    // Cargo adds an argument of its own.
    let args: Vec<String> = std::env::args().skip(1).filter(|arg| !arg.starts_with('-')).collect();
    let tests = args.iter().find_map(|arg| arg.parse().ok()).unwrap_or(USUAL_TESTS);
    let of = args.iter().find(|arg| arg.parse::<u64>().is_err()).cloned().unwrap_or_default();
    if of == "comparisons" || of.is_empty() {
        comparisons(tests);
    }
    if of == "ratings" || of.is_empty() {
        ratings(tests);
    }
    if of == "traps" || of.is_empty() {
        trapped();
    }
    if of == "special" || of.is_empty() {
        special(tests.min(800));
        away_from_the_maximum(tests.min(800));
    }
    if of == "advice" || of.is_empty() {
        advised(tests);
    }
    if of == "power" || of.is_empty() {
        power(tests.min(600));
    }
    if of == "logs" || of.is_empty() {
        logs(tests.min(24));
    }
}

/// True differences of twice the planned smallest, under a clear sky on displays of 0.01.
fn power(tests: u64) {
    let mut by_order: BTreeMap<&'static str, (u32, u32)> = BTreeMap::new();
    for seed in 0..tests {
        let mut world = comparing::World::draw(seed);
        (world.sky, world.is_noted, world.truth) = (Sky::Clear, true, vec![1.0]);
        (world.volts_step, world.amps_step) = (0.01, 0.01);
        let record = world.read(seed);
        let Some(smallest) = record.plan.as_ref().and_then(|plan| run_sheet(plan, 0.0, None).ok()?.smallest_percent) else {
            continue;
        };
        world.truth = vec![1.0 - 2.0 * smallest / 100.0];
        let shown = world.said(seed).iter().all(|one| matches!(one.verdict, "less" | "probably_less"));
        let count = by_order.entry(world.order.name()).or_default();
        *count = (count.0 + 1, count.1 + u32::from(shown));
    }
    println!("\n## Power\n\n| order | tests | twice the planned smallest difference shown % |\n|---|---|---|");
    for (order, (tests, shown)) in by_order {
        println!("| {order} | {tests} | {:.1} |", f64::from(shown) / f64::from(tests) * 100.0);
    }
}

/// Ratings of which there are too few among those that are drawn: panels with resistance in their joints, hot and cool, and panels beside a
/// reference.
fn special(tests: u64) {
    println!("\n## Special ratings\n\n| stratum | n | held % | median half width % | without a figure |\n|---|---|---|---|---|");
    type Made = fn(u64) -> rating::World;
    let strata: [(&str, Made); 5] = [
        ("one reading in 45 to 75 % of the light", rating::World::under_a_veil),
        ("high resistance, cells over 45 C", |seed| rating::World::sick(seed, true)),
        ("high resistance, cells under 45 C", |seed| rating::World::sick(seed, false)),
        ("reference in the plane, by its Isc", |seed| rating::World::draw(seed).beside_a_reference(false)),
        ("reference in the plane, by its power", |seed| rating::World::draw(seed).beside_a_reference(true)),
    ];
    for (name, made) in strata {
        let said: Vec<(f64, rating::Said)> = (0..tests)
            .filter_map(|seed| {
                let world = made(seed);
                Some((world.truth_percent, world.said(seed)?))
            })
            .collect();
        let held = said.iter().filter(|(truth, one)| (one.percent - truth).abs() <= one.u_percent).count();
        let width = median(said.iter().map(|(_, one)| one.u_percent).collect()).unwrap_or_default();
        let (n, held) = (said.len() as u64, held as f64 / said.len().max(1) as f64 * 100.0);
        println!("| {name} | {n} | {held:.1} | {width:.1} | {} |", tests - n);
    }
}

/// Panels at a point that is no maximum of theirs, or may be none: nothing may be said against those that make their rating.
fn away_from_the_maximum(tests: u64) {
    println!(
        "\n## Points off the maximum\n\n| stratum | n | named % | called below though over its lower limit | settled % |\n|---|---|---|---|---|"
    );
    type Made = fn(u64) -> rating::World;
    let strata: [(&str, Made, &str); 2] = [
        ("held at 40 to 85 or 108 to 116 % of its volts", rating::World::off_maximum, "not_at_maximum"),
        ("at a port of 95 to 105 % of its watts", rating::World::at_a_port, "capped"),
    ];
    for (name, made, code) in strata {
        let (mut named, mut condemned, mut over, mut settled) = (0, 0, 0, 0);
        for seed in 0..tests {
            let world = made(seed);
            let record = world.read(seed);
            let verdict = assess(&record).map_or("no panel", |found| found.rating_verdict(0).name());
            let is_over = world.truth_percent >= world.band_percent().0;
            named += u32::from(traps::named(&record).contains(&code));
            over += u32::from(is_over);
            condemned += u32::from(is_over && verdict == "below");
            settled += u32::from(matches!(verdict, "makes" | "below" | "above"));
        }
        let of_all = |count: u32| f64::from(count) / tests as f64 * 100.0;
        println!("| {name} | {tests} | {:.1} | {condemned} of {over} | {:.1} |", of_all(named), of_all(settled));
    }
}

/// Advice followed: what was promised, and what was reached.
fn advised(tests: u64) {
    println!(
        "\n## Advice\n\n| question | act | followed | reached within 1.15 of the promise % | median of reached over promised |\n|---|---|---|---|---|"
    );
    for (question, of) in
        [("ratings", advice::of_rating as fn(u64) -> Vec<advice::Followed>), ("comparisons", advice::of_comparison)]
    {
        let followed: Vec<advice::Followed> = (0..tests).flat_map(of).collect();
        let mut by_act: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
        for one in &followed {
            by_act.entry("all").or_default().push(one.reached_rel);
            by_act.entry(&one.act).or_default().push(one.reached_rel);
        }
        for (act, reached) in by_act {
            let kept = advice::kept_percent(&reached);
            println!(
                "| {question} | {act} | {} | {kept:.1} | {:.2} |",
                reached.len(),
                median(reached.clone()).unwrap_or_default()
            );
        }
        let all: Vec<f64> = followed.iter().map(|one| one.reached_rel).collect();
        assert!(
            tests < 2 * USUAL_TESTS || all.len() >= 200 && advice::kept_percent(&all) >= 90.0,
            "{question}: {} followed",
            all.len()
        );
    }
}

/// Variants of each trap, and twins of each.
const VARIANTS: u64 = 24;

fn trapped() {
    println!("\n## Traps\n\n| trap | named | otherwise | twins | names in twins |\n|---|---|---|---|---|");
    for trap in traps::ALL {
        let codes: Vec<Vec<&str>> = (0..VARIANTS).map(|seed| traps::named(&traps::test(trap, seed, true))).collect();
        let is_named = |codes: &&Vec<&str>| codes.iter().any(|code| trap.codes().contains(code));
        let hits = codes.iter().filter(is_named).count();
        let mut others: Vec<String> = codes.iter().filter(|codes| !is_named(codes)).map(|codes| codes.join("+")).collect();
        others.sort();
        others.dedup();
        let twins: Vec<String> = (0..VARIANTS)
            .map(|seed| traps::named(&traps::test(trap, seed, false)).join("+"))
            .filter(|codes| !codes.is_empty())
            .collect();
        println!("| {trap:?} | {hits} of {VARIANTS} | {} | {VARIANTS} | {} |", others.join(", "), twins.join(", "));
    }
}

/// Of ratings: truly under the band and called "makes", truly over its lower limit and called "below", and those settled of those that
/// the analyst settles.
#[derive(Default)]
struct Conformity {
    under: [u32; 2],
    over: [u32; 2],
    settled: [u32; 2],
    no_figure: u32,
}

fn ratings(tests: u64) {
    let mut table = Table::default();
    let mut words = Conformity::default();
    for seed in 0..tests {
        let world = rating::World::draw(seed);
        let Some(said) = world.said(seed) else {
            words.no_figure += 1;
            continue;
        };
        let replicas = (1..=REPLICAS).filter_map(|replica| world.said(seed + replica * 1_000_003));
        let analyst = half_width_95(replicas.map(|said| said.percent - world.truth_percent).collect());
        let outcome = Outcome {
            is_held: (said.percent - world.truth_percent).abs() <= said.u_percent,
            width_ratio: Some(said.u_percent / analyst),
            is_equal: false,
            claims: false,
            wrong_sign: false,
        };
        let (low, _) = world.band_percent();
        let count = |of: &mut [u32; 2], is: bool| *of = [of[0] + 1, of[1] + u32::from(is)];
        if world.truth_percent < low {
            count(&mut words.under, said.verdict == "makes");
        } else {
            count(&mut words.over, said.verdict == "below");
        }
        if (said.percent - low).abs() > analyst {
            count(&mut words.settled, matches!(said.verdict, "makes" | "below" | "above"));
        }
        let strata = [
            "all".to_owned(),
            format!("sun {} sky {:?}", world.irradiance_source.name(), world.sky),
            format!("sun {}", world.irradiance_source.name()),
            format!("temperature {}", world.cell_temperature.name()),
            format!("load {}", world.load.name()),
            format!("readings {}", world.readings),
            format!("amps step {}", world.amps_step),
            format!("more ohm {}", world.fault.more_ohm),
            format!("hour {}", world.utc_h),
        ];
        table.add(&strata, outcome);
    }
    table.print("Ratings");
    let percent = |of: [u32; 2]| format!("{} of {} ({:.1} %)", of[1], of[0], f64::from(of[1]) / f64::from(of[0].max(1)) * 100.0);
    println!("\ntruly under the band, called makes: {}", percent(words.under));
    println!("truly over its lower limit, called below: {}", percent(words.over));
    println!("settled, of those the analyst settles: {}", percent(words.settled));
    println!("without a figure: {}", words.no_figure);
}

fn comparisons(tests: u64) {
    let mut table = Table::default();
    let mut cant_tell = 0;
    for seed in 0..tests {
        let world = comparing::World::draw(seed);
        let said = world.said(seed);
        if said.is_empty() {
            cant_tell += 1;
            continue;
        }
        let replicas: Vec<_> = (1..=REPLICAS).map(|replica| world.said(seed + replica * 1_000_003)).collect();
        for (nth, one) in said.iter().enumerate() {
            if one.verdict == "cant_tell" {
                cant_tell += 1;
                continue;
            }
            let errors = replicas.iter().filter_map(|said| said.get(nth)).map(|said| said.percent - said.truth_percent).collect();
            let claims = matches!(one.verdict, "more" | "less");
            let outcome = Outcome {
                is_held: (one.percent - one.truth_percent).abs() <= one.u_percent,
                width_ratio: Some(one.u_percent / half_width_95(errors)),
                is_equal: one.truth_percent == 100.0,
                claims,
                wrong_sign: claims && one.truth_percent != 100.0 && (one.verdict == "more") != (one.truth_percent > 100.0),
            };
            let size = match () {
                () if one.truth_percent == 100.0 => "level = 100 %",
                () if one.truth_percent < 40.0 => "level 3 to 40 %",
                () if one.truth_percent < 90.0 => "level 40 to 90 %",
                () if one.truth_percent < 110.0 => "level 90 to 110 %",
                () => "level 110 to 140 %",
            };
            let strata = [
                "all".to_owned(),
                format!("order {}", world.order.name()),
                format!("readings {}", world.readings),
                format!("amps step {}", world.amps_step),
                format!("amps step {} small {}", world.amps_step, world.watts_per_light < 0.1),
                format!("set-up {}", world.scatter_rel(seed)),
                format!("sky {:?} noted {} meter {}", world.sky, world.is_noted, world.has_meter),
                format!("jitter {}", world.jitter_rel),
                format!("hour {}", world.utc_h),
                format!("question {}", world.question.name()),
                size.to_owned(),
                format!("{size}, amps step {}", world.amps_step),
            ];
            table.add(&strata, outcome);
        }
    }
    table.print("Comparisons");
    println!("\nnot compared: {cant_tell}");
}

const PACES_S: [f64; 5] = [1.0, 10.0, 60.0, 300.0, 900.0];

/// Whether there are clouds, what happens, and over how many days.
const SKIES: [(bool, Happening, usize); 7] = [
    (false, Happening::Nothing, 1),
    (true, Happening::Nothing, 1),
    (false, Happening::Nothing, 3),
    (false, Happening::Port, 1),
    (false, Happening::Full, 1),
    (false, Happening::Snow, 1),
    (false, Happening::Shade, 3),
];

/// Logged days at five paces, even and jittered: whether the energy is held, what is named that is not there, what is found of what is, and
/// whether its cost is held.
fn logs(days: u64) {
    let mut all: Vec<(DayWorld, Judged)> = Vec::new();
    for (nth, step_s) in PACES_S.into_iter().enumerate() {
        for (jitter, is_jittered) in [false, true].into_iter().enumerate() {
            for (other, (is_cloudy, happening, over)) in SKIES.into_iter().enumerate() {
                let stratum = 10_000 * nth as u64 + 1000 * jitter as u64 + 100 * other as u64;
                let world = |day: u64| DayWorld { seed: stratum + day, step_s, is_jittered, is_cloudy, happening, days: over };
                all.extend((0..days).map(world).map(|world| (world, judged(&world))));
            }
        }
    }
    let print = |name: &str, is_of: &dyn Fn(&DayWorld) -> bool| {
        let of: Vec<&Judged> = all.iter().filter(|(world, _)| is_of(world)).map(|(_, judged)| judged).collect();
        println!("| {name} | {} |", row(&of));
    };
    let head = |of: &str| {
        println!("\n| {of} | days | energy held | found | named beside | cost held | half interval of a cost % |");
        println!("|---|---|---|---|---|---|---|");
    };
    println!("\n## Logged days");
    head("a sample every");
    for step_s in PACES_S {
        for is_jittered in [false, true] {
            let name = format!("{step_s} s{}", if is_jittered { ", jittered" } else { "" });
            print(&name, &|world| world.step_s == step_s && world.is_jittered == is_jittered);
        }
    }
    head("sky, happening");
    for (is_cloudy, happening, over) in SKIES {
        let of_days = if over > 1 { format!(" over {over} days") } else { String::new() };
        let name = format!("{}, {}{of_days}", if is_cloudy { "cloudy" } else { "clear" }, happening.name());
        print(&name, &|world| (world.is_cloudy, world.happening, world.days) == (is_cloudy, happening, over));
    }
    print("all", &|_| true);
    let least = |world: &DayWorld| {
        let is_like = |other: &DayWorld| DayWorld { seed: 0, ..*other } == DayWorld { seed: 0, ..*world };
        all.iter().filter(|(other, judged)| is_like(other) && judged.is_energy_held).count()
    };
    let least = all.iter().map(|(world, _)| least(world)).min().unwrap_or(0);
    println!("\nThe stratum with the fewest has its energy held on {least} of {days} days.");
}
