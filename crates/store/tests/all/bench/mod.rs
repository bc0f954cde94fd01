//! A bench in a temporary folder.

use flindo_core::measure::entry::{Meaning, understand};
use flindo_core::measure::quantity::Figures;
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::{LabelTyped, check};
use flindo_core::record::setup::Setup;
use flindo_store::{BenchKind, KindDraft, NewReading, PanelDraft, Store, TestDraft};
use jiff::Timestamp;
use std::path::PathBuf;

pub struct TempBench {
    pub folder: tempfile::TempDir,
    pub store: Store,
}

impl TempBench {
    pub async fn new() -> Self {
        let folder = tempfile::tempdir().expect("a temporary folder");
        let store = Store::open(&folder.path().join("a.bench"), BenchKind::Own, "UTC").await.expect("a new bench");
        TempBench { folder, store }
    }

    pub fn path(&self) -> PathBuf {
        self.folder.path().join("a.bench")
    }

    /// The same file, opened by something that is not the store.
    pub async fn outside(&self) -> sqlx::SqlitePool {
        let options = sqlx::sqlite::SqliteConnectOptions::new().filename(self.path()).foreign_keys(true);
        sqlx::SqlitePool::connect_with(options.pragma("recursive_triggers", "ON")).await.expect("the file opens")
    }

    /// The kind of all panels here.
    pub fn kind() -> KindDraft {
        let text = |text: &str| text.to_owned();
        let typed = LabelTyped {
            rated_w: text("250"),
            tolerance: text("0/+5 W"),
            voc_v: text("37.8"),
            isc_a: text("8.75"),
            beta_voc: text("-0.12 V/K"),
            gamma_pmax: text("-0.43 %/K"),
            cells_in_series: text("60"),
            technology: text("poly"),
            ..LabelTyped::default()
        };
        let nameplate = check(&typed).nameplate.expect("a sound label");
        KindDraft { name: "Umber 250".into(), nameplate, doubts_kept: false, price: None }
    }

    pub async fn panel(&self, tag: &str) -> (i64, PanelDraft) {
        let draft = PanelDraft {
            tag: tag.to_owned(),
            kind_id: self.store.add_kind(&Self::kind()).await.expect("a kind"),
            is_used: true,
            age_years: Some(9.0),
            price: Some(40.0),
            notes: "scratch, \"left\" corner".into(),
            provenance: "an auction".into(),
            wear: vec![Defect::DiscolouredCells],
        };
        (self.store.add_panel(&draft).await.expect("a new tag"), draft)
    }

    pub async fn test(&self, panel_id: i64, setup: Setup) -> i64 {
        self.store.add_test(&TestDraft::of_rating(panel_id, None, setup), at(0)).await.expect("a test")
    }

    /// A panel with a test, ready for readings.
    pub async fn ready(&self) -> i64 {
        let tag = flindo_store::new_uid();
        let (panel_id, _) = self.panel(&tag).await;
        self.test(panel_id, Setup::default()).await
    }
}

pub fn at(second: i64) -> Timestamp {
    Timestamp::from_second(1_780_000_000 + second).expect("a time")
}

pub fn figures(line: &str) -> Figures {
    understand(line, &Meaning::default()).expect("a sound line").figures()
}

pub fn new_reading(uid: &str, line: &str) -> NewReading {
    NewReading {
        uid: uid.to_owned(),
        taken_utc: at(0),
        typed: line.to_owned(),
        note: String::new(),
        sky: None,
        figures: figures(line),
        run_id: None,
        revision: None,
    }
}

pub fn garden(name: &str) -> flindo_store::PlaceDraft {
    flindo_store::PlaceDraft {
        name: name.into(),
        place: flindo_core::sky::place::Place::check(38.6, -7.9, 300.0).expect("a sound place"),
        time_zone: "Europe/Lisbon".into(),
        horizon: flindo_core::sky::place::Horizon::parse("100 12, 140 5").expect("a sound place"),
        ground: flindo_core::sky::place::Ground::Soil,
        clarity: flindo_core::sky::clear_sky::Clarity::Clear,
        coldest_c: -4.0,
        hottest_c: 41.0,
    }
}
