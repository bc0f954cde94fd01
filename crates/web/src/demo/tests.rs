//! The tests of the demo: every question at least once, over three seasons and four years; a review of three products.

use super::photo::drawn;
use super::planned::{Planned, made};
use super::{Typed, logs};
use flindo_core::record::panel_event::PanelEventKind;
use flindo_core::record::question::Question;
use flindo_core::record::setup::{Load, Setup};
use flindo_core::review::claim::Claim;
use flindo_store::{ReviewDraft, Store, StoreError};
use jiff::Timestamp;
use jiff::civil::{Date, date};

/// Single ratings: tag, day, lines.
pub const RATINGS: [(&str, &str, &[Typed]); 12] = [
    (
        "S-1",
        "2024-06-18",
        &[
            ("18.75 V 9.32 A 962 W/m2 52.0 C @13:20", None),
            ("18.76 V 9.37 A 968 W/m2 52.4 C @13:25", None),
            ("18.70 V 9.33 A 965 W/m2 52.8 C @13:30", None),
            ("18.74 V 9.29 A 965 W/m2 53.2 C @13:35", None),
        ],
    ),
    (
        "U-1",
        "2023-10-07",
        &[
            ("27.84 V 6.08 A 917 W/m2 50.0 C @13:05", None),
            ("27.78 V 6.07 A 913 W/m2 50.4 C @13:10", None),
            ("27.74 V 6.10 A 917 W/m2 50.8 C @13:15", None),
            ("27.71 V 6.10 A 919 W/m2 51.2 C @13:20", None),
        ],
    ),
    (
        "U-1",
        "2025-05-11",
        &[
            ("27.75 V 6.12 A 953 W/m2 51.0 C @13:15 # bird droppings washed off first", None),
            ("27.72 V 6.08 A 948 W/m2 51.4 C @13:20", None),
            ("27.65 V 6.11 A 952 W/m2 51.8 C @13:25", None),
            ("27.61 V 6.11 A 955 W/m2 52.2 C @13:30", None),
        ],
    ),
    (
        "S-1",
        "2026-01-24",
        &[
            ("20.09 V 8.14 A 839 W/m2 31.0 C @12:30 # frost in the morning, wiped dry", None),
            ("20.01 V 8.19 A 841 W/m2 31.4 C @12:35", None),
            ("19.99 V 8.20 A 844 W/m2 31.8 C @12:40", None),
            ("19.99 V 8.18 A 844 W/m2 32.2 C @12:45", None),
        ],
    ),
    (
        "I-1",
        "2026-04-19",
        &[
            ("29.45 V 12.59 A 964 W/m2 46.0 C @13:20", None),
            ("29.50 V 12.60 A 967 W/m2 46.4 C @13:25", None),
            ("29.40 V 12.74 A 975 W/m2 46.8 C @13:30", None),
            ("29.37 V 12.77 A 977 W/m2 47.2 C @13:35", None),
        ],
    ),
    (
        "V-1",
        "2026-04-19",
        &[
            ("31.88 V 5.37 A 962 W/m2 49.0 C @14:00", None),
            ("31.85 V 5.42 A 970 W/m2 49.4 C @14:05", None),
            ("31.85 V 5.39 A 971 W/m2 49.8 C @14:10", None),
            ("31.77 V 5.43 A 975 W/m2 50.2 C @14:15", None),
        ],
    ),
    (
        "O-1",
        "2026-07-11",
        &[
            ("16.30 V 5.26 A 944 W/m2 61.0 C @13:25", None),
            ("16.28 V 5.29 A 950 W/m2 61.4 C @13:30", None),
            ("16.27 V 5.30 A 953 W/m2 61.8 C @13:35", None),
            ("16.22 V 5.30 A 952 W/m2 62.2 C @13:40", None),
        ],
    ),
    (
        "M-1",
        "2026-07-11",
        &[
            ("16.69 V 4.65 A 941 W/m2 58.0 C @13:50", None),
            ("16.64 V 4.69 A 947 W/m2 58.4 C @13:55", None),
            ("16.63 V 4.71 A 952 W/m2 58.8 C @14:00", None),
            ("16.60 V 4.69 A 950 W/m2 59.2 C @14:05", None),
        ],
    ),
    (
        "N-1",
        "2026-07-11",
        &[
            ("14.15 V 5.04 A 934 W/m2 58.5 C @14:15", None),
            ("14.15 V 5.07 A 941 W/m2 58.9 C @14:20", None),
            ("14.12 V 5.09 A 944 W/m2 59.3 C @14:25", None),
            ("14.09 V 5.08 A 943 W/m2 59.7 C @14:30", None),
        ],
    ),
    (
        "P-1",
        "2026-08-22",
        &[
            ("27.60 V 6.15 A 952 W/m2 54.0 C @13:40", None),
            ("27.48 V 6.13 A 948 W/m2 54.4 C @13:45", None),
            ("27.49 V 6.15 A 953 W/m2 54.8 C @13:50", None),
            ("27.39 V 6.15 A 954 W/m2 55.2 C @13:55", None),
        ],
    ),
    (
        "U-2",
        "2026-10-04",
        &[
            ("27.87 V 7.05 A 902 W/m2 50.0 C @13:15", None),
            ("27.79 V 7.07 A 903 W/m2 50.4 C @13:20", None),
            ("27.75 V 7.14 A 912 W/m2 50.8 C @13:25", None),
            ("27.72 V 7.11 A 909 W/m2 51.2 C @13:30", None),
        ],
    ),
    // Too little light for a rating.
    (
        "U-3",
        "2026-01-24",
        &[("29.6 V 3.35 A 418 W/m2 19.0 C haze @10:05", None), ("29.5 V 3.41 A 424 W/m2 19.6 C haze @10:11", None)],
    ),
];

const TILTS: Planned = Planned {
    question: Question::WhichTilt,
    panel: "S-1",
    rig: "Pump rig",
    day: "2026-09-14",
    plan: &[
        ("panel", "S-1 Saffron 200"),
        ("load_words", "load tester"),
        ("baseline", "35"),
        ("levels", "15; 25; 45"),
        ("settle_s", "15"),
        ("prediction", "Flatter is a little worse in September; 45 about the same."),
    ],
    lines: &[
        "18.21 V 8.36 A 49.0 C @12:40",
        "18.24 V 7.96 A 48.6 C @12:44",
        "18.22 V 8.28 A 48.9 C @12:48",
        "18.19 V 8.16 A 49.2 C @12:52",
        "18.20 V 8.43 A 49.4 C @12:56",
        "18.18 V 8.24 A 49.6 C @13:00",
        "18.20 V 8.38 A 49.3 C @13:04",
    ],
    ..Planned::USUAL
};

const SHADES: Planned = Planned {
    question: Question::ShadeCost,
    panel: "S-1",
    rig: "Pump rig",
    day: "2026-09-13",
    plan: &[
        ("panel", "S-1 Saffron 200"),
        ("tilt", "35\u{b0}"),
        ("load_words", "load tester"),
        ("baseline", "none"),
        ("levels", "one cell; bottom row of cells; left column; band across 10 % cloth 30 % through"),
        ("prediction", "The row at the bottom costs most."),
    ],
    lines: &[
        "18.36 V 8.41 A 868 W/m2 47.8 C @13:10",
        "8.87 V 8.33 A 870 W/m2 47.9 C @13:12",
        "18.34 V 8.43 A 871 W/m2 48.1 C @13:14",
        "17.60 V 0.31 A 872 W/m2 47.2 C @13:16",
        "18.33 V 8.45 A 873 W/m2 48.0 C @13:18",
        "8.86 V 8.38 A 874 W/m2 48.3 C @13:20",
        "18.30 V 8.46 A 875 W/m2 48.4 C @13:22",
        "18.9 V 3.62 A 876 W/m2 48.0 C @13:24",
        "18.31 V 8.47 A 877 W/m2 48.3 C @13:26",
    ],
    ..Planned::USUAL
};

const SAFFRON_PAIR: Planned = Planned {
    question: Question::ShadeCost,
    panel: "S-1",
    rig: "Saffron pair",
    day: "2026-08-20",
    plan: &[
        ("load_words", "load tester"),
        ("baseline", "none"),
        (
            "levels",
            "towel across the middle of each; bottom corner of the first; strip along the bottom of each; panel 1 covered",
        ),
    ],
    lines: &[
        "338 W 940 W/m2 @13:20",
        "50 W 941 W/m2 @13:23",
        "339 W 942 W/m2 @13:26",
        "288 W 943 W/m2 @13:29",
        "339 W 944 W/m2 @13:32",
        "53 W 945 W/m2 @13:35",
        "338 W 946 W/m2 @13:38",
        "171 W 947 W/m2 @13:41",
        "338 W 948 W/m2 @13:44",
    ],
    ..Planned::USUAL
};

const SEPIA_PAIR: Planned = Planned {
    question: Question::ShadeCost,
    panel: "P-1",
    rig: "Sepia pair",
    day: "2026-08-21",
    plan: &[
        ("load_words", "load tester"),
        ("baseline", "none"),
        (
            "levels",
            "towel across the middle of each; bottom corner of the first; strip along the bottom of each; panel 1 covered",
        ),
    ],
    lines: &[
        "341 W 940 W/m2 @13:25",
        "52 W 941 W/m2 @13:28",
        "341 W 942 W/m2 @13:31",
        "300 W 943 W/m2 @13:34",
        "341 W 944 W/m2 @13:37",
        "174 W 945 W/m2 @13:40",
        "341 W 946 W/m2 @13:43",
        "172 W 947 W/m2 @13:46",
        "340 W 948 W/m2 @13:49",
    ],
    ..Planned::USUAL
};

const VERDIGRIS_PAIR: Planned = Planned {
    question: Question::ShadeCost,
    panel: "V-1",
    rig: "Verdigris pair",
    day: "2026-08-22",
    plan: &[
        ("load_words", "load tester"),
        ("baseline", "none"),
        (
            "levels",
            "towel across the middle of each; bottom corner of the first; strip along the bottom of each; panel 1 covered",
        ),
    ],
    lines: &[
        "326 W 940 W/m2 @14:00",
        "295 W 941 W/m2 @14:03",
        "327 W 942 W/m2 @14:06",
        "322 W 943 W/m2 @14:09",
        "328 W 944 W/m2 @14:12",
        "296 W 945 W/m2 @14:15",
        "326 W 946 W/m2 @14:18",
        "166 W 947 W/m2 @14:21",
        "328 W 948 W/m2 @14:24",
    ],
    ..Planned::USUAL
};

const TWIN: Planned = Planned {
    question: Question::AgainstTwin,
    panel: "U-2",
    day: "2026-10-04",
    plan: &[("baseline", "U-2"), ("levels", "U-1")],
    lines: &[
        "27.4 V 7.21 A 905 W/m2 49.8 C @12:50",
        "27.3 V 5.86 A 907 W/m2 50.1 C @12:54",
        "27.3 V 5.88 A 909 W/m2 50.3 C @12:58",
        "27.4 V 7.25 A 911 W/m2 50.5 C @13:02",
    ],
    ..Planned::USUAL
};

const FLAT: Planned = Planned {
    question: Question::FlatOrTilted,
    panel: "S-1",
    day: "2026-09-20",
    plan: &[("baseline", "flat"), ("levels", "35")],
    lines: &[
        "18.6 V 6.83 A 46.0 C @12:50",
        "18.3 V 8.44 A 48.2 C @12:54",
        "18.3 V 8.45 A 48.6 C @12:58",
        "18.6 V 6.86 A 46.8 C @13:02",
    ],
    ..Planned::USUAL
};

const SERIES: Planned = Planned {
    question: Question::SeriesOrParallel,
    panel: "S-1",
    rig: "Saffron pair",
    day: "2026-08-25",
    plan: &[("shade", "lower half on panel 1"), ("baseline", "series"), ("levels", "parallel")],
    lines: &["161 W 936 W/m2 @13:10", "174 W 938 W/m2 @13:14", "174 W 939 W/m2 @13:18", "162 W 941 W/m2 @13:22"],
    ..Planned::USUAL
};

const UNLIKE: Planned = Planned {
    question: Question::UnlikeTogether,
    panel: "M-1",
    rig: "Well pump",
    day: "2026-07-12",
    plan: &[("baseline", "M-1 alone"), ("levels", "N-1 alone; both together")],
    lines: &[
        "78.4 W 944 W/m2 @13:20",
        "72.3 W 946 W/m2 @13:23",
        "139.6 W 947 W/m2 @13:26",
        "78.6 W 948 W/m2 @13:29",
        "139.9 W 948 W/m2 @13:32",
        "72.4 W 949 W/m2 @13:35",
        "78.7 W 950 W/m2 @13:38",
    ],
    ..Planned::USUAL
};

const CONTROLLERS: Planned = Planned {
    question: Question::WhichController,
    panel: "S-1",
    day: "2026-09-25",
    load: Load::TrackingController,
    plan: &[("baseline", "Lathe 30"), ("order", "aba"), ("levels", "Gimlet 20; Awl 15")],
    lines: &[
        "18.25 V 8.40 A out 13.42 V 10.95 A @12:40",
        "13.74 V 8.74 A out 13.41 V 8.68 A @12:44",
        "18.22 V 8.43 A out 13.43 V 10.98 A @12:48",
        "13.81 V 8.76 A out 13.42 V 8.69 A @12:52 # sold as tracking",
        "18.21 V 8.45 A out 13.43 V 11.0 A @12:56",
    ],
    ..Planned::USUAL
};

const DAYS: Planned = Planned {
    question: Question::HowMuchInADay,
    panel: "S-1",
    day: "2026-09-16",
    load: Load::TrackingController,
    plan: &[("baseline", "load = Lathe 30"), ("levels", "load = Gimlet 20"), ("times", "2")],
    lines: &["2026-09-16|846 Wh @18:40", "2026-09-17|632 Wh @18:40", "2026-09-18|839 Wh @18:40", "2026-09-19|625 Wh @18:40"],
    ..Planned::USUAL
};

const POOR_LIGHT: Planned = Planned {
    question: Question::PoorLight,
    panel: "S-1",
    day: "2026-01-25",
    load: Load::TrackingController,
    plan: &[
        ("load_words", "Lathe 30"),
        ("baseline", "overcast"),
        ("levels", "overcast, load = Gimlet 20; overcast, panel = V-1; overcast, panel = V-1, load = Gimlet 20"),
    ],
    lines: &[
        "19.4 V 1.28 A 138 W/m2 12.0 C overcast @12:10",
        "13.2 V 1.37 A 138 W/m2 12.0 C overcast @12:14",
        "19.4 V 1.29 A 139 W/m2 12.1 C overcast @12:18",
        "34.6 V 0.78 A 139 W/m2 12.0 C overcast @12:22",
        "19.4 V 1.29 A 139 W/m2 12.1 C overcast @12:26",
        "13.2 V 0.86 A 139 W/m2 12.1 C overcast @12:30",
        "19.4 V 1.29 A 139 W/m2 12.2 C overcast @12:34",
    ],
    ..Planned::USUAL
};

const HEAT: Planned = Planned {
    question: Question::HeatCost,
    panel: "S-1",
    day: "2026-07-13",
    plan: &[("baseline", "as it is"), ("levels", "cooled with water")],
    lines: &[
        "17.9 V 8.94 A 958 W/m2 62.5 C @13:10",
        "19.6 V 8.90 A 957 W/m2 33.0 C @13:16",
        "17.9 V 8.95 A 959 W/m2 61.9 C @13:30",
    ],
    ..Planned::USUAL
};

const FACES: Planned = Planned {
    question: Question::BothFaces,
    panel: "I-1",
    day: "2026-04-20",
    plan: &[("baseline", "rear covered"), ("levels", "rear free; reflector behind")],
    lines: &[
        "29.5 V 12.55 A 966 W/m2 46.2 C @13:10",
        "29.5 V 13.21 A 967 W/m2 46.6 C @13:14",
        "29.5 V 12.57 A 968 W/m2 46.9 C @13:18",
        "29.4 V 13.88 A 969 W/m2 47.2 C @13:22",
        "29.5 V 12.58 A 969 W/m2 47.0 C @13:26",
    ],
    ..Planned::USUAL
};

const STRINGS: Planned = Planned {
    question: Question::WhichStrings,
    panel: "U-2",
    day: "2026-01-26",
    plan: &[("baseline", "all clear"), ("levels", "first string covered; second string covered; third string covered")],
    lines: &[
        "22.7 A @12:00",
        "15.4 A @12:02",
        "15.1 A @12:04",
        "14.9 A @12:06",
        "22.8 A @12:08",
        "15.0 A @12:10",
        "15.2 A @12:12",
        "15.4 A @12:14",
        "22.9 A @12:16 # snow melting at the lower edge",
    ],
    ..Planned::USUAL
};

const IMPROVEMENTS: Planned = Planned {
    question: Question::Improvements,
    panel: "S-1",
    day: "2026-09-27",
    plan: &[("baseline", "as it was"), ("levels", "thick lead; thick lead and cleaned")],
    lines: &[
        "141 W 905 W/m2 @12:50",
        "148 W 906 W/m2 @12:54",
        "155 W 907 W/m2 @12:58",
        "141 W 908 W/m2 @13:02",
        "155 W 908 W/m2 @13:06",
        "148 W 909 W/m2 @13:10",
        "142 W 909 W/m2 @13:14",
    ],
    ..Planned::USUAL
};

const CLEANING: Planned = Planned {
    question: Question::Cleaning,
    panel: "U-3",
    day: "2026-05-12",
    plan: &[("baseline", "as it was"), ("levels", "cleaned")],
    lines: &["181.2 W 930 W/m2 @13:00", "188.9 W 930 W/m2 @13:01", "190.1 W 934 W/m2 @13:20", "189.6 W 934 W/m2 @13:21"],
    ..Planned::USUAL
};

const LOT: Planned = Planned {
    question: Question::UsedPanel,
    panel: "B-1",
    day: "2026-05-30",
    plan: &[("baseline", "B-1"), ("levels", "B-2; B-3; B-4; B-5; B-6; B-7; B-8; B-9; B-10"), ("times", "1")],
    lines: &[
        "Voc 34.7 Isc 7.75 27.0 V 7.10 A 905 W/m2 44 C @13:10",
        "Voc 23.1 44 C @13:12",
        "Voc 34.5 Isc 7.62 26.6 V 6.88 A 906 W/m2 44 C @13:14",
        "Voc 22.9 44 C @13:16",
        "Voc 23.2 45 C @13:18",
        "Voc 11.5 45 C @13:20",
        "Voc 34.8 Isc 7.80 27.2 V 7.05 A 908 W/m2 45 C @13:22",
        "Voc 23.0 45 C @13:24",
        "Voc 0.4 45 C @13:26",
        "Voc 11.7 45 C @13:28",
    ],
    ..Planned::USUAL
};

/// Every planned test, the oldest first.
const PLANNED: [&Planned; 15] = [
    &TILTS,
    &SHADES,
    &TWIN,
    &FLAT,
    &SERIES,
    &UNLIKE,
    &CONTROLLERS,
    &DAYS,
    &POOR_LIGHT,
    &HEAT,
    &FACES,
    &STRINGS,
    &IMPROVEMENTS,
    &CLEANING,
    &LOT,
];

/// A towel, a corner, a strip, a whole panel: the same shade on three products.
const PRODUCTS: [&Planned; 3] = [&SAFFRON_PAIR, &SEPIA_PAIR, &VERDIGRIS_PAIR];

pub async fn fill(store: &Store, place_id: i64, usual: Setup) -> Result<(), StoreError> {
    for test in PLANNED {
        made(store, place_id, usual, test).await?;
    }
    let mut reviewed = Vec::new();
    for test in PRODUCTS {
        let id = made(store, place_id, usual, test).await?;
        store.add_photo(id, &drawn("Towel across the middle of both panels", true)?, Timestamp::UNIX_EPOCH).await?;
        reviewed.push(store.test(id).await?.uid);
    }
    events(store).await?;
    logs::fill(store, place_id).await?;
    let claims = vec![Claim {
        subject: "2 \u{d7} Verdigris 200".to_owned(),
        than: "2 \u{d7} Saffron 200".to_owned(),
        pattern: "strip along the bottom of each".to_owned(),
        low_percent: 100.0,
        high_percent: None,
    }];
    let draft = ReviewDraft { name: "Shade on three pairs".to_owned(), tests: reviewed, claims, notes: String::new() };
    store.add_review(&draft, at(date(2026, 8, 23), 20.0)?).await?;
    store
        .keep_calculation(
            "/shade",
            "Chimney on the well pump",
            "wiring=M-1+%7C+N-1&pattern=left_column&size=20",
            at(date(2026, 7, 12), 20.0)?,
        )
        .await?;
    Ok(())
}

/// What was done to panels between their tests: tag, day, what, words.
const EVENTS: [(&str, Date, PanelEventKind, &str); 3] = [
    ("U-1", date(2025, 5, 10), PanelEventKind::Cleaned, "bird droppings, with rain water"),
    ("U-1", date(2026, 3, 2), PanelEventKind::Moved, "from the barn roof to the rack"),
    ("S-1", date(2025, 11, 8), PanelEventKind::Repaired, "new connectors"),
];

async fn events(store: &Store) -> Result<(), StoreError> {
    let panels = store.panels().await?;
    for (tag, day, what, text) in EVENTS {
        let panel = panels.iter().find(|panel| panel.tag() == tag).ok_or(StoreError::NotFound("panel"))?;
        store.add_panel_event(panel.id, day, what, text).await?;
    }
    Ok(())
}

/// A moment of a day, UTC.
fn at(day: Date, hour: f64) -> Result<Timestamp, StoreError> {
    let midnight = jiff::tz::TimeZone::UTC.to_timestamp(day.at(0, 0, 0, 0)).map_err(|_| StoreError::NotFound("day"))?;
    midnight.checked_add(jiff::SignedDuration::from_secs((hour * 3600.0) as i64)).map_err(|_| StoreError::NotFound("hour"))
}
