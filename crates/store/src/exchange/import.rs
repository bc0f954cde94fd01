//! A table brought in: all of it, or nothing.

use super::equipment::{Brought, Equipment, PanelHere};
use super::error::ImportError;
use super::export::{EventCell, Exported, test_cells};
use super::named::NamedByTest;
use super::staged::{Added, Staged, note_added};
use super::table::{Header, Row, is_later, needed_columns, test_columns};
use crate::connections::Store;
use crate::error::StoreError;
use crate::kinds::find_or_insert_kind;
use crate::panels::{find_panel, insert_panel};
use crate::places::{find_place, insert_place};
use crate::reading_rows::insert_reading;
use crate::rows::kind::KindDraft;
use crate::rows::panel::{Panel, PanelDraft};
use crate::rows::place::PlaceDraft;
use crate::rows::reading::{Accepted, NewReading, Revision};
use crate::rows::test::{Test, TestDraft};
use crate::runs::{NewEvent, NewRun, insert_event_as, run_at_place, run_of_state};
use crate::tests::{OPEN, find_test, insert_test, plan_as_typed, plan_from};
use flindo_core::decimal::Decimal;
use flindo_core::panel::inspection::Defect;
use flindo_core::panel::label::{self, LabelTyped, Severity};
use flindo_core::record::bounds;
use flindo_core::record::condition::Conditions;
use flindo_core::record::names::Names;
use flindo_core::record::plan::Plan;
use flindo_core::record::question::Question;
use flindo_core::record::run::RunEventKind;
use flindo_core::record::setup::{self, SetupTyped};
use flindo_core::sky::clear_sky::Clarity;
use flindo_core::sky::place::{Ground, Horizon, Place};
use jiff::Timestamp;
use sha2::{Digest, Sha256};
use sqlx::SqliteConnection;
use std::collections::HashMap;
use std::sync::atomic::{AtomicUsize, Ordering};

/// What a file added.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Imported {
    pub panels_added: usize,
    pub tests_added: usize,
    pub readings_added: usize,
    /// Rows that were here before.
    pub readings_known: usize,
    /// The test of the first row.
    pub first_test_id: Option<i64>,
}

/// How far an import has come.
#[derive(Debug, Default)]
pub struct Progress {
    /// Bytes of the file; 0 before it was looked at.
    pub total: AtomicUsize,
    /// Bytes that are brought in.
    pub done: AtomicUsize,
}

impl Store {
    /// Reads a table. A file with `test_uid` brings its own tests and panels; one without brings readings for `into`.
    /// What is here already is left alone, so the same file a second time adds nothing. It is brought in by parts, and shown when all of
    /// it is in; of one that fails nothing stays.
    pub async fn import(
        &self,
        file: &[u8],
        into: Option<i64>,
        now: Timestamp,
        progress: &Progress,
    ) -> Result<Imported, ImportError> {
        let into = match into {
            Some(id) => Some(self.test(id).await?),
            None => None,
        };
        let text = std::str::from_utf8(file).map_err(|_| ImportError::File("This is not a text file in UTF-8.".into()))?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        if text.trim().is_empty() {
            return Err(ImportError::File("This file is empty.".into()));
        }
        progress.total.store(text.len(), Ordering::Relaxed);
        // One at a time: two could each hold what the other needs to know.
        let _turn = self.importing.lock().await;
        // One that failed on a full disk could not be taken out then; its rows are no readings of this file.
        self.take_out_unfinished().await?;
        let mut staged = Staged::begin(self, now).await?;
        match bring(&mut staged, text, into.as_ref(), now, progress).await {
            Ok(imported) => {
                staged.finish().await?;
                Ok(imported)
            }
            Err(error) => {
                staged.give_up().await?;
                Err(error)
            }
        }
    }
}

async fn bring(
    staged: &mut Staged<'_>,
    text: &str,
    into: Option<&Test>,
    now: Timestamp,
    progress: &Progress,
) -> Result<Imported, ImportError> {
    let mut reader = csv::ReaderBuilder::new().delimiter(delimiter(text)).from_reader(text.as_bytes());
    let header = Header::read(reader.headers().map_err(|error| broken(&error))?)?;
    let brings_tests = header.has("test_uid");
    if brings_tests {
        header.require(&needed_columns())?;
    } else if into.is_none() {
        let message = "this column is missing. A table of readings alone is imported from its test's page.";
        return Err(ImportError::at(1, "test_uid", message));
    } else {
        header.require(&["taken_utc".to_owned()])?;
    }
    let mut imported = Imported::default();
    let mut tests: HashMap<String, (Here, Vec<String>)> = HashMap::new();
    for record in reader.records() {
        let record = record.map_err(|error| broken(&error))?;
        progress.done.store(record.position().map_or(0, |position| position.byte() as usize), Ordering::Relaxed);
        let row = Row { line: record.position().map_or(0, csv::Position::line), header: &header, record };
        let import_id = staged.id();
        let part = staged.part().await?;
        let (test, reading) = if brings_tests {
            let uid = row.required("test_uid")?.to_owned();
            let cells: Vec<String> = test_columns().iter().map(|column| row.text(column).to_owned()).collect();
            let test = match tests.get(&uid) {
                Some((test, first)) => {
                    same_test(&row, first, &cells)?;
                    test.clone()
                }
                None => {
                    let test = bring_test(part, import_id, &row, &cells, &mut imported).await?;
                    tests.insert(uid, (test.clone(), cells));
                    test
                }
            };
            let reading = if row.text("reading_uid").is_empty() { None } else { Some(whole_reading(&row)?) };
            (test, reading)
        } else {
            let test = into.ok_or_else(|| ImportError::File("There is no test to add this to.".into()))?;
            (Here { test_id: test.id, ..Here::default() }, Some(plain_reading(&row, test)?))
        };
        imported.first_test_id.get_or_insert(test.test_id);
        if let Some((reading, accepted_utc)) = reading {
            let accepted = bring_reading(part, import_id, &row, &test, reading, accepted_utc.unwrap_or(now)).await?;
            match accepted {
                Accepted::New => imported.readings_added += 1,
                Accepted::Already => imported.readings_known += 1,
            }
        }
        staged.pause().await?;
    }
    Ok(imported)
}

/// A test of the file on this bench.
#[derive(Debug, Clone, Default)]
struct Here {
    test_id: i64,
    is_open: bool,
    /// Its panels and gear by the identities of this bench.
    equipment: Brought,
}

async fn bring_reading(
    part: &mut SqliteConnection,
    import_id: i64,
    row: &Row<'_>,
    test: &Here,
    mut reading: NewReading,
    accepted_utc: Timestamp,
) -> Result<Accepted, ImportError> {
    let test_id = test.test_id;
    if let Some(run) = run_of(row)? {
        let (run_id, is_new) = match state_of(row, test)? {
            Some((uid, state)) => {
                let run = NewRun { state: Some(state), ..run };
                run_of_state(part, test_id, &uid, &run).await.map_err(|error| told(row, "run_uid", error))?
            }
            None => run_at_place(part, test_id, row.text("run_uid"), &run).await?,
        };
        if is_new {
            note_added(part, import_id, Added::Run, run_id).await?;
            for event in events_of(row)? {
                insert_event_as(part, run_id, &event).await.map_err(|error| told(row, "run_events", error))?;
            }
        }
        reading.run_id = Some(run_id);
    }
    match insert_reading(part, test_id, &reading, accepted_utc, Some(import_id)).await {
        Ok(accepted) => Ok(accepted),
        Err(StoreError::NotFound("reading")) => {
            Err(row.error("replaces_uid", "no reading of this test has this identity, here or above in the file."))
        }
        Err(StoreError::Conflict(message)) => Err(row.error("reading_uid", message)),
        Err(StoreError::Refused(refused)) => Err(row.error(refused.field, refused.sentence)),
        Err(error) => Err(error.into()),
    }
}

/// Comma, semicolon or tab: whichever the first line has most of.
fn delimiter(text: &str) -> u8 {
    let first = text.lines().next().unwrap_or_default();
    *b",;\t".iter().max_by_key(|mark| first.bytes().filter(|byte| byte == *mark).count()).unwrap_or(&b',')
}

fn broken(error: &csv::Error) -> ImportError {
    let csv::ErrorKind::UnequalLengths { pos, expected_len, len } = error.kind() else {
        return ImportError::File(format!("This table cannot be read: {error}."));
    };
    ImportError::At {
        line: pos.as_ref().map_or(0, csv::Position::line),
        column: len.to_string(),
        message: format!("this line has {len} cells, and the first line {expected_len}."),
    }
}

/// All rows of one test say the same of it.
fn same_test(row: &Row<'_>, first: &[String], cells: &[String]) -> Result<(), ImportError> {
    for ((column, first), cell) in test_columns().iter().zip(first).zip(cells) {
        if first != cell {
            return Err(row.error(column, format!("\"{cell}\" here, but \"{first}\" in an earlier line of the same test.")));
        }
    }
    Ok(())
}

/// Finds or adds the test of a row, with its panels and its equipment.
async fn bring_test(
    connection: &mut SqliteConnection,
    import_id: i64,
    row: &Row<'_>,
    cells: &[String],
    imported: &mut Imported,
) -> Result<Here, ImportError> {
    // An open test answers every question; its draft is one of a rating.
    let is_open = row.text("question") == OPEN;
    let question = if is_open { Some(Question::MakesRating) } else { Question::from_name(row.text("question")) };
    let question = question.ok_or_else(|| {
        row.error("question", format!("\"{}\" is not a question known here, such as makes_rating.", row.text("question")))
    })?;
    let created_utc = row.time("created_utc")?;
    bounds::check_time("created_utc", created_utc.as_second()).map_err(|refused| row.error(refused.field, refused.sentence))?;
    let brought =
        brought_panel(&|column: &str| row.text(column).to_owned()).map_err(|(column, message)| row.error(&column, message))?;
    let setup = setup_of(row)?;
    let (uid, panel_uid) = (row.required("test_uid")?, row.required("panel_uid")?);
    let panel = find_panel(connection, panel_uid, &brought.panel.tag).await?;
    let here = find_test(connection, uid).await?;
    if let Some(test) = &here {
        same_here(connection, row, cells, (test, panel.clone())).await?;
        // Of a planned test nothing is missing: its plan names all it needs.
        if !test.is_open {
            return Ok(Here { test_id: test.id, ..Here::default() });
        }
    }
    let panel_id = bring_panel(connection, import_id, panel, panel_uid, &brought, imported)
        .await
        .map_err(|error| told(row, "tag", error))?;
    let equipment = bring_equipment(connection, import_id, row, (panel_uid, &brought.panel.tag, panel_id), imported).await?;
    if let Some(test) = here {
        return Ok(Here { test_id: test.id, is_open, equipment });
    }
    let all = all_panels(connection).await?;
    let plan = plan_of(row, &equipment, setup.load, all)?;
    imported.tests_added += 1;
    let place_id = bring_place(connection, import_id, row).await?;
    let (rig_id, meters) = (equipment.rig_id, equipment.meters.clone());
    let draft = TestDraft { question, is_open, plan, rig_id, meters, ..TestDraft::of_rating(panel_id, place_id, setup) };
    let test_id = insert_test(connection, uid, &draft, created_utc).await?;
    note_added(connection, import_id, Added::Test, test_id).await?;
    Ok(Here { test_id, is_open, equipment })
}

/// A test that is here has the same set-up and the same label: else file and bench mean different things by one test.
async fn same_here(
    connection: &mut SqliteConnection,
    row: &Row<'_>,
    cells: &[String],
    (test, panel): (&Test, Option<Panel>),
) -> Result<(), ImportError> {
    let same_panel = panel.filter(|panel| panel.id == test.panel_id);
    let panel = same_panel.ok_or_else(|| row.error("panel_uid", "on this bench the test belongs to another panel."))?;
    if test.is_open != (row.text("question") == OPEN) {
        return Err(row.error("question", "on this bench the test is of another question."));
    }
    let compared = |column: &str| column.starts_with("label_") || column.starts_with("setup_");
    let bench = all_panels(connection).await?;
    let named = NamedByTest::of((test, &[]), (&panel, None), (&bench, &[], &[]))?;
    let here = test_cells(&Exported { test, panel: &panel, place: None, rig: None, named: &named })?;
    for ((column, here), cell) in test_columns().iter().zip(here).zip(cells) {
        if compared(column) && here != *cell && !(cell.is_empty() && is_later(column)) {
            return Err(row.error(column, format!("\"{cell}\" here, but \"{here}\" on this bench.")));
        }
    }
    Ok(())
}

/// The other panels, the rigs and the gear of a row's test; what is missing is made. Its own panel: identity, tag, number here.
async fn bring_equipment(
    connection: &mut SqliteConnection,
    import_id: i64,
    row: &Row<'_>,
    (panel_uid, tag, panel_id): (&str, &str, i64),
    imported: &mut Imported,
) -> Result<Brought, ImportError> {
    let mut ids = vec![(panel_uid.to_owned(), tag.to_owned(), panel_id)];
    for other in other_panels(row)? {
        let there = find_panel(connection, &other.uid, &other.panel.tag).await?;
        let id = bring_panel(connection, import_id, there, &other.uid, &other, imported)
            .await
            .map_err(|error| told(row, "other_panels", error))?;
        ids.push((other.uid.clone(), other.panel.tag.clone(), id));
    }
    let all = all_panels(connection).await?;
    let panels: Vec<PanelHere> = ids
        .into_iter()
        .filter_map(|(uid, tag, id)| Some(PanelHere { uid, tag, here: all.iter().find(|one| one.id == id)?.clone() }))
        .collect();
    let equipment =
        Equipment::read(&|column: &str| row.text(column).to_owned()).map_err(|(column, message)| row.error(column, message))?;
    equipment.bring(connection, import_id, &panels).await.map_err(|(column, error)| told(row, column, error))
}

/// What a run of an open test is of: its identity, and its state by the identities of this bench.
fn state_of(row: &Row<'_>, test: &Here) -> Result<Option<(String, Conditions)>, ImportError> {
    if !test.is_open {
        return Ok(None);
    }
    let state = test.equipment.with_own_identities(row.required("run_state")?);
    let state = serde_json::from_str(&state).map_err(|error| row.error("run_state", format!("this cannot be read: {error}.")))?;
    Ok(Some((row.required("run_uid")?.to_owned(), state)))
}

/// What happened to the run of a row.
fn events_of(row: &Row<'_>) -> Result<Vec<NewEvent>, ImportError> {
    let text = row.text("run_events");
    if text.is_empty() {
        return Ok(Vec::new());
    }
    let cells: Vec<EventCell> =
        serde_json::from_str(text).map_err(|error| row.error("run_events", format!("this cannot be read: {error}.")))?;
    let event = |EventCell { uid, what, at_utc, text }: EventCell| {
        let known = RunEventKind::from_name(&what).filter(|what| *what != RunEventKind::Corrected);
        let what = known.ok_or_else(|| row.error("run_events", format!("\"{what}\" cannot happen to a run.")))?;
        Ok(NewEvent { uid, what, text, at_utc })
    };
    cells.into_iter().map(event).collect()
}

/// The plan of a row, by the identities of this bench.
fn plan_of(row: &Row<'_>, equipment: &Brought, load: setup::Load, all: Vec<Panel>) -> Result<Option<Plan>, ImportError> {
    let text = row.text("plan");
    if text.is_empty() {
        return Ok(None);
    }
    let text = equipment.with_own_identities(text);
    let names = Names { panels: all.into_iter().map(|one| (one.uid, one.draft.tag)).collect(), ..Names::default() };
    let plan = plan_from(&text).or_else(|| plan_as_typed(&text, load, &names));
    plan.map(Some).ok_or_else(|| row.error("plan", "this plan cannot be read."))
}

/// Two places of one name that lie within this of each other are one, degrees: a hundred metres.
const SAME_PLACE_DEG: f64 = 0.001;

/// The place of a row on this bench; made where there is none, without being used from now on. `None` where the file says none: then it is
/// the one in use.
async fn bring_place(connection: &mut SqliteConnection, import_id: i64, row: &Row<'_>) -> Result<Option<i64>, ImportError> {
    let name = row.text("place_name");
    if name.is_empty() {
        return Ok(None);
    }
    let number = |column: &str| row.number(column)?.ok_or_else(|| row.error(column, "this cell must not be empty."));
    let place = Place::check(number("place_lat_deg")?, number("place_lon_deg")?, number("place_elevation_m")?);
    let place = place.map_err(|error| row.error("place_lat_deg", format!("{error}.")))?;
    let time_zone = row.required("place_time_zone")?;
    let zone = jiff::tz::TimeZone::get(time_zone);
    zone.map_err(|_| row.error("place_time_zone", format!("\"{time_zone}\" is not a time zone, such as Europe/Lisbon.")))?;
    let (ground, clarity) = (row.text("place_ground"), row.text("place_clarity"));
    let draft = PlaceDraft {
        name: name.to_owned(),
        place,
        time_zone: time_zone.to_owned(),
        horizon: Horizon::parse(row.text("place_horizon")).map_err(|error| row.error("place_horizon", error.to_string()))?,
        ground: Ground::from_name(ground)
            .ok_or_else(|| row.error("place_ground", format!("\"{ground}\" is no ground known here.")))?,
        clarity: Clarity::from_name(clarity)
            .ok_or_else(|| row.error("place_clarity", format!("\"{clarity}\" is no air known here.")))?,
        coldest_c: number("place_coldest_c")?,
        hottest_c: number("place_hottest_c")?,
    };
    let uid = row.text("place_uid");
    if let Some(there) = find_place(connection, uid, name).await? {
        let (a, b) = (there.draft.place, draft.place);
        let is_near = (a.lat_deg - b.lat_deg).abs() < SAME_PLACE_DEG && (a.lon_deg - b.lon_deg).abs() < SAME_PLACE_DEG;
        return if there.uid == uid || is_near {
            Ok(Some(there.id))
        } else {
            let message = format!("another place is called \"{name}\" on this bench: rename one of the two.");
            Err(row.error("place_name", message))
        };
    }
    let new = crate::new_uid();
    let id = insert_place(connection, if uid.is_empty() { &new } else { uid }, &draft).await?;
    note_added(connection, import_id, Added::Place, id).await?;
    Ok(Some(id))
}

fn told(row: &Row<'_>, column: &str, error: StoreError) -> ImportError {
    if let StoreError::Conflict(message) = error {
        row.error(column, message)
    } else if let StoreError::Refused(refused) = error {
        row.error(column, refused.sentence)
    } else {
        error.into()
    }
}

async fn all_panels(connection: &mut SqliteConnection) -> Result<Vec<Panel>, StoreError> {
    crate::panels::all(connection).await
}

/// A panel with its label, as a file brings it.
struct BroughtPanel {
    uid: String,
    kind: KindDraft,
    /// Without its kind's id.
    panel: PanelDraft,
}

/// The panel of this identity on this bench; made where there is none.
async fn bring_panel(
    connection: &mut SqliteConnection,
    import_id: i64,
    there: Option<Panel>,
    uid: &str,
    brought: &BroughtPanel,
    imported: &mut Imported,
) -> Result<i64, StoreError> {
    match there {
        Some(panel) if panel.uid == uid || *panel.label() == brought.kind.nameplate => Ok(panel.id),
        Some(_) => {
            let message = format!("a panel with the tag \"{}\" and another label is on this bench already.", brought.panel.tag);
            Err(StoreError::Conflict(message))
        }
        None => {
            imported.panels_added += 1;
            let (kind_id, is_new) = find_or_insert_kind(connection, &crate::new_uid(), &brought.kind).await?;
            if is_new {
                note_added(connection, import_id, Added::Kind, kind_id).await?;
            }
            let panel_id = insert_panel(connection, uid, &PanelDraft { kind_id, ..brought.panel.clone() }).await?;
            note_added(connection, import_id, Added::Panel, panel_id).await?;
            Ok(panel_id)
        }
    }
}

/// Panels of the other levels of a test.
fn other_panels(row: &Row<'_>) -> Result<Vec<BroughtPanel>, ImportError> {
    let text = row.text("other_panels");
    if text.is_empty() {
        return Ok(Vec::new());
    }
    let refused = || row.error("other_panels", "these panels cannot be read.");
    let list: Vec<HashMap<String, String>> = serde_json::from_str(text).map_err(|_| refused())?;
    list.iter()
        .map(|cells| {
            let of = |column: &str| cells.get(column).cloned().unwrap_or_default();
            brought_panel(&of).map_err(|(column, message)| row.error("other_panels", format!("{column}: {message}")))
        })
        .collect()
}

/// A panel out of cells by their columns. The error names the column.
fn brought_panel(of: &dyn Fn(&str) -> String) -> Result<BroughtPanel, (String, String)> {
    let mut typed = LabelTyped::default();
    for field in LabelTyped::FIELDS {
        typed.set(field, of(&format!("label_{field}")));
    }
    let nameplate = label::kept(&typed).ok_or_else(|| {
        let notes = label::check(&typed).notes;
        let refused = notes.into_iter().find(|note| note.severity == Severity::Error);
        refused.map_or_else(
            || ("label_rated_w".to_owned(), "this cell must not be empty.".to_owned()),
            |note| (format!("label_{}", note.field), note.text),
        )
    })?;
    let number = |column: &str| match of(column).as_str() {
        "" => Ok(None),
        text => Decimal::parse(text).map(|number| Some(number.value())).map_err(|error| (column.to_owned(), format!("{error}."))),
    };
    let flag = |column: &str| match of(column).as_str() {
        "true" | "1" => Ok(true),
        "false" | "0" | "" => Ok(false),
        text => Err((column.to_owned(), format!("\"{text}\" is neither true nor false."))),
    };
    let needed = |column: &str| match of(column) {
        text if text.is_empty() => Err((column.to_owned(), "this cell must not be empty.".to_owned())),
        text => Ok(text),
    };
    let note = |column: &'static str| {
        let text = of(column);
        bounds::check_note(column, &text).map(|()| text).map_err(|refused| (column.to_owned(), refused.sentence))
    };
    let tag = needed("tag")?;
    let name = of("name");
    Ok(BroughtPanel {
        uid: needed("panel_uid")?,
        kind: KindDraft {
            name: if name.is_empty() { tag.clone() } else { name },
            nameplate,
            doubts_kept: flag("doubts_kept")?,
            price: None,
        },
        panel: PanelDraft {
            tag,
            kind_id: 0,
            is_used: flag("is_used")?,
            age_years: number("age_years")?,
            price: number("price")?,
            notes: note("panel_notes")?,
            provenance: note("provenance")?,
            wear: Defect::list_from(&of("wear")),
        },
    })
}

fn setup_of(row: &Row<'_>) -> Result<setup::Setup, ImportError> {
    let mut typed = SetupTyped::default();
    for field in SetupTyped::FIELDS {
        typed.set(field, row.text(&format!("setup_{field}")));
    }
    setup::check(&typed).map_err(|notes| match notes.first() {
        Some(note) => row.error(&format!("setup_{}", note.field), note.text.clone()),
        None => row.error("setup_tilt_deg", "this set-up cannot be read."),
    })
}

/// A reading with its identity, and when it was first accepted.
fn whole_reading(row: &Row<'_>) -> Result<(NewReading, Option<Timestamp>), ImportError> {
    let replaces_uid = row.text("replaces_uid");
    let withdrawn = row.flag("withdrawn")?;
    let revision = if replaces_uid.is_empty() {
        if withdrawn {
            return Err(row.error("withdrawn", "a withdrawal has to say which reading it replaces."));
        }
        None
    } else {
        Some(Revision { replaces_uid: replaces_uid.to_owned(), reason: row.required("reason")?.to_owned(), withdrawn })
    };
    let reading = NewReading {
        uid: row.required("reading_uid")?.to_owned(),
        taken_utc: row.time("taken_utc")?,
        typed: row.text("typed").to_owned(),
        note: row.text("note").to_owned(),
        sky: row.sky()?,
        figures: figures(row)?,
        run_id: None,
        revision,
    };
    Ok((reading, Some(row.time("accepted_utc")?)))
}

/// The run a reading belongs to; none for a test without runs.
fn run_of(row: &Row<'_>) -> Result<Option<NewRun>, ImportError> {
    let Some(place) = row.number("run_place")? else { return Ok(None) };
    let number = |column: &str| row.number(column).map(|number| number.unwrap_or(0.0));
    let (level, rig) = (number("run_level")?, number("run_rig")?);
    let sound = |number: f64, high: f64| number.fract() == 0.0 && (0.0..=high).contains(&number);
    if !sound(place, 10_000.0) || !sound(level, 100.0) || !sound(rig, 2.0) {
        return Err(row.error(
            "run_place",
            "run_place, run_level and run_rig are whole numbers, the level from 0 and the rig from 0 to 2.",
        ));
    }
    Ok(Some(NewRun {
        place: place as i64,
        level: level as usize,
        rig: rig as u8,
        is_added: false,
        planned_utc: None,
        state: None,
    }))
}

/// A reading from a table of figures alone. Its identity is made from the test and the row, so that the same row a second
/// time is the same reading.
fn plain_reading(row: &Row<'_>, test: &Test) -> Result<(NewReading, Option<Timestamp>), ImportError> {
    let mut hash = Sha256::new();
    hash.update(test.uid.as_bytes());
    for cell in &row.record {
        hash.update([0]);
        hash.update(cell.trim().as_bytes());
    }
    let uid: String = hash.finalize().iter().take(16).map(|byte| format!("{byte:02x}")).collect();
    let reading = NewReading {
        uid: format!("row-{uid}"),
        taken_utc: row.time("taken_utc")?,
        typed: row.text("typed").to_owned(),
        note: row.text("note").to_owned(),
        sky: row.sky()?,
        figures: figures(row)?,
        run_id: None,
        revision: None,
    };
    Ok((reading, None))
}

fn figures(row: &Row<'_>) -> Result<flindo_core::measure::quantity::Figures, ImportError> {
    let figures = row.figures()?;
    if figures.is_empty() { Err(row.error("voltage_v", "this line has no figure in any column.")) } else { Ok(figures) }
}
