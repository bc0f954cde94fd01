//! The bench itself for programs: its name and zone, its copies, its league, and set-ups of predicting pages that are kept.

use crate::api::bodies::{BenchBody, CalculationBody, known};
use crate::door::bench as bench_form;
use crate::door::calculation;
use crate::door::json::{Asked, Body, Part, field, object, object_of, only, refuse, refused_of, text};
use crate::door::typed::{Notes, Pairs, value};
use crate::error::{AppError, InputError};
use crate::state::AppState;
use axum::Json;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use flindo_core::energy::epw;
use flindo_core::review::league::{By, Entry, League, Ranked};
use flindo_store::{Calculation, WeatherRow};
use jiff::Timestamp;
use serde::Serialize;
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use std::sync::Arc;
use utoipa::ToSchema;

/// What the bench is called, and in what it counts.
#[derive(Debug, Serialize, ToSchema)]
pub struct BenchItem {
    name: String,
    time_zone: String,
    currency: String,
    /// Where tests are made now.
    place: Option<i64>,
}

/// The bench.
#[utoipa::path(get, path = "/bench", responses((status = 200, body = BenchItem)))]
pub async fn bench(State(state): State<AppState>) -> Result<Json<BenchItem>, AppError> {
    let bench = state.store.bench().await?;
    let place = state.store.current_place().await?.map(|place| place.id);
    Ok(Json(BenchItem { name: bench.name, time_zone: bench.time_zone, currency: bench.currency, place }))
}

/// Changes the bench: `{name, time_zone, currency}`. Its place is chosen by `POST /places/{id}/use`.
#[utoipa::path(
    put,
    path = "/bench",
    request_body(content = BenchBody, example = json!({"name": "Yard bench", "time_zone": "Europe/Lisbon", "currency": "EUR"})),
    responses((status = 200, body = BenchItem), (status = 422))
)]
pub async fn change_bench(State(state): State<AppState>, body: Body) -> Result<Json<BenchItem>, AppError> {
    let _turn = state.turn_to_edit().await;
    let mut map = object(body)?;
    map.remove("place");
    only(&map, &known::<BenchBody>())?;
    let typed = crate::door::json::pairs(&map, &["name", "time_zone", "currency"])?;
    let mut notes = Notes::default();
    bench_form::check(&typed, &mut notes);
    if let Some(error) = refused_of(&map, &notes) {
        return Err(error);
    }
    let text = |name| value(&typed, name).trim();
    state.store.change_bench(text("name"), text("time_zone"), text("currency")).await?;
    bench(State(state)).await
}

/// A copy of the bench that was made and verified.
#[derive(Debug, Serialize, ToSchema)]
pub struct CopyMade {
    readings: i64,
}

/// Makes a copy of the bench beside it now, as is done daily.
#[utoipa::path(
    post,
    path = "/bench/copies",
    responses((status = 201, body = CopyMade), (status = 409, description = "Copies are off here"), (status = 422))
)]
pub async fn copy(State(state): State<AppState>) -> Result<(StatusCode, Json<CopyMade>), AppError> {
    let copies = state.copies.as_ref().ok_or_else(|| {
        AppError::Taken(InputError {
            message: "Daily copies are off here: start without --daily-copies 0, or copy with `flindo backup FILE`.".to_owned(),
            ..InputError::default()
        })
    })?;
    let made =
        copies.make(&state.store, Timestamp::now()).await.map_err(|error| AppError::input("copies", "", error.to_string()))?;
    Ok((StatusCode::CREATED, Json(CopyMade { readings: made.readings })))
}

/// A line of the league.
#[derive(Debug, Serialize, ToSchema)]
pub struct LeagueEntry {
    /// The best place that it can have, and the worst.
    rank_low: usize,
    rank_high: usize,
    name: String,
    kind: String,
    value: f64,
    /// Half the 95 % interval.
    u: f64,
    tests: usize,
    newest_utc: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct LeagueAnswer {
    /// What is ranked, and by which figure.
    of: &'static str,
    by: &'static str,
    unit: String,
    #[serde(flatten)]
    part: Part<LeagueEntry>,
}

/// The league: panels, kinds or what else is ranked (`of`), by a figure of theirs (`by`).
#[utoipa::path(
    get,
    path = "/league",
    params(("of" = Option<String>, Query), ("by" = Option<String>, Query), Asked),
    responses((status = 200, body = LeagueAnswer), (status = 422))
)]
pub async fn league_of(State(state): State<AppState>, Query(typed): Query<Pairs>) -> Result<Json<LeagueAnswer>, AppError> {
    let AskedLeague { of, by, unit, found } = asked_league(&state, &typed).await?;
    let entry = |entry: Entry| LeagueEntry {
        rank_low: entry.rank,
        rank_high: entry.rank_high,
        name: entry.name,
        kind: entry.kind,
        value: entry.figure.value,
        u: entry.figure.u,
        tests: entry.tests.len(),
        newest_utc: entry.newest_utc.map(|at| at.to_string()),
    };
    let Json(part) = Asked::of(&typed)?.part(found.entries.clone(), entry);
    Ok(Json(LeagueAnswer { of: of.name(), by: by.name(), unit, part }))
}

/// A league as it was asked for.
pub(super) struct AskedLeague {
    pub of: Ranked,
    pub by: By,
    pub unit: String,
    pub found: Arc<League>,
}

/// The league that `of` and `by` ask for; the first of either where it is not said.
///
/// # Errors
/// For a name that is not ranked, with those that are.
pub(super) async fn asked_league(state: &AppState, typed: &Pairs) -> Result<AskedLeague, AppError> {
    let of = match value(typed, "of") {
        "" => Ranked::default(),
        name => Ranked::from_name(name).ok_or_else(|| {
            let known: Vec<&str> = Ranked::ALL.iter().map(|one| one.name()).collect();
            refuse("of", &name.into(), "This is not ranked.", Some(&known.join(", ")))
        })?,
    };
    let by = match value(typed, "by") {
        "" => of.figures()[0],
        name => By::from_name(name).filter(|by| of.figures().contains(by)).ok_or_else(|| {
            let known: Vec<&str> = of.figures().iter().map(|one| one.name()).collect();
            refuse("by", &name.into(), "They are not ranked by this.", Some(&known.join(", ")))
        })?,
    };
    let all = state.all_digests().await?;
    let register = state.store.register().await?;
    let currency = state.store.bench().await?.currency;
    let unit = if by == By::PricePerWatt { format!("{currency}/W") } else { by.unit().to_owned() };
    Ok(AskedLeague { of, by, unit, found: state.kept.leagues.of(&all, &register, of, by) })
}

/// A set-up of a predicting page that was kept.
#[derive(Debug, Serialize, ToSchema)]
pub struct CalculationItem {
    id: i64,
    name: String,
    /// The path of its page.
    page: String,
    /// The fields of its form as typed. Of fields that a form repeats, all.
    fields: BTreeMap<String, Vec<String>>,
    /// Tests that were made of it.
    tests: Vec<i64>,
}

fn item(one: Calculation) -> CalculationItem {
    let mut fields: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for (name, text) in form_urlencoded::parse(one.fields.as_bytes()).into_owned() {
        fields.entry(name).or_default().push(text);
    }
    CalculationItem { id: one.id, name: one.name, page: one.page, fields, tests: one.tests }
}

/// Set-ups that were kept, the newest first.
#[utoipa::path(get, path = "/calculations", params(Asked), responses((status = 200, body = Part<CalculationItem>), (status = 422)))]
pub async fn calculations(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<CalculationItem>>, AppError> {
    Ok(asked.part(state.store.calculations(None).await?, item))
}

/// Keeps the set-up of a predicting page: `{page, name?, fields}`. The same name on the same page replaces it.
#[utoipa::path(
    post,
    path = "/calculations",
    request_body(
        content = CalculationBody,
        example = json!({"page": "/shade", "name": "towel", "fields": {"panel": ["1"], "pattern": ["band"]}})
    ),
    responses((status = 201, body = CalculationItem), (status = 422))
)]
pub async fn keep_calculation(
    State(state): State<AppState>,
    body: Body,
) -> Result<(StatusCode, Json<CalculationItem>), AppError> {
    let map = object(body)?;
    only(&map, &known::<CalculationBody>())?;
    let page = field(&map, "page")?;
    let fields = typed(&object_of("fields", map.get("fields").cloned().unwrap_or(Value::Null))?)?;
    let id = calculation::keep(&state.store, &page, &field(&map, "name")?, &fields).await?;
    let all = state.store.calculations(None).await?;
    let kept = all.into_iter().find(|one| one.id == id).ok_or(AppError::NoSuchPage)?;
    Ok((StatusCode::CREATED, Json(item(kept))))
}

fn typed(map: &Map<String, Value>) -> Result<Pairs, AppError> {
    let mut pairs = Pairs::new();
    for (name, value) in map {
        let all = if let Value::Array(all) = value { all.as_slice() } else { std::slice::from_ref(value) };
        for one in all {
            pairs.push((name.clone(), text(name, one)?));
        }
    }
    Ok(pairs)
}

/// A year of weather.
#[derive(Debug, Serialize, ToSchema)]
pub struct WeatherItem {
    id: i64,
    name: String,
    /// Of its station.
    lat_deg: f64,
    lon_deg: f64,
}

/// The years of weather that are kept, by name.
#[utoipa::path(get, path = "/weather", params(Asked), responses((status = 200, body = Part<WeatherItem>), (status = 422)))]
pub async fn weathers(State(state): State<AppState>, asked: Asked) -> Result<Json<Part<WeatherItem>>, AppError> {
    let item = |row: WeatherRow| WeatherItem { id: row.id, name: row.name, lat_deg: row.lat_deg, lon_deg: row.lon_deg };
    Ok(asked.part(state.store.weathers().await?, item))
}

/// Keeps a year of weather: an EPW file as the body. The same file again is the one that is there.
#[utoipa::path(post, path = "/weather", request_body(content = String, content_type = "text/plain"),
    responses((status = 201, body = WeatherItem), (status = 422)))]
pub async fn add_weather(State(state): State<AppState>, body: String) -> Result<(StatusCode, Json<WeatherItem>), AppError> {
    let weather =
        epw::parse(&body).map_err(|sentence| refuse("body", &Value::Null, format!("{sentence} Nothing was kept."), None))?;
    let id = state.store.add_weather(&weather, &body).await?;
    let (lat_deg, lon_deg) = (weather.place.lat_deg, weather.place.lon_deg);
    Ok((StatusCode::CREATED, Json(WeatherItem { id, name: weather.name, lat_deg, lon_deg })))
}
