//! What surrounds every page: the bench, its clock, the light it is shown in.

use crate::day::Day;
use crate::draw::rail::{self, Subject};
use crate::error::AppError;
use crate::kept::rails::{Facts, Rail, RailOf};
use crate::rooms::Room;
use crate::state::AppState;
use crate::words;
use axum::extract::FromRequestParts;
use axum::http::header;
use axum::http::request::Parts;
use flindo_core::record::setup::Setup;
use flindo_core::sky::aim::usual_plane;
use flindo_core::sky::plane::Plane;
use flindo_store::{Bench, PlaceRow};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::sync::Arc;

/// The light a page is shown in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Theme {
    #[default]
    Paper,
    /// Black on white, heavy strokes, larger type: for glare.
    Sunlight,
    Evening,
}

impl Theme {
    pub const COOKIE: &'static str = "flindo-theme";
    pub const ALL: [Theme; 3] = [Theme::Paper, Theme::Sunlight, Theme::Evening];

    pub fn name(self) -> &'static str {
        match self {
            Theme::Paper => "paper",
            Theme::Sunlight => "sunlight",
            Theme::Evening => "evening",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Theme::Paper => "Paper",
            Theme::Sunlight => "Sunlight",
            Theme::Evening => "Evening",
        }
    }

    pub fn icon(self) -> &'static str {
        match self {
            Theme::Paper => "file-earmark",
            Theme::Sunlight => "sun-fill",
            Theme::Evening => "moon-stars",
        }
    }

    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|theme| theme.name() == name)
    }

    /// Which of Bootstrap's two modes it builds on.
    pub fn mode(self) -> &'static str {
        if self == Theme::Evening { "dark" } else { "light" }
    }
}

/// Taken by every page handler and handed to its template.
#[derive(Debug, Clone)]
pub struct Frame {
    pub bench: Bench,
    /// The place of the page's test, and else the one in use.
    pub place: Option<PlaceRow>,
    /// Of the place, and else of the bench.
    pub time_zone: TimeZone,
    pub time_zone_name: String,
    /// Today's sun, drawn; `None` without a place.
    pub rail: Option<Rail>,
    pub theme: Theme,
    /// The path of this page, to come back to.
    pub path: String,
}

impl Frame {
    /// The room this page belongs to.
    pub fn room(&self) -> Option<Room> {
        Room::of_path(&self.path)
    }

    /// Whether a page of the room's navigation is this one, or the one it hangs below.
    pub fn is_at(&self, page: &str) -> bool {
        self.path == page || page != "/" && self.path.strip_prefix(page).is_some_and(|rest| rest.starts_with('/'))
    }
}

impl FromRequestParts<AppState> for Frame {
    type Rejection = AppError;

    async fn from_request_parts(parts: &mut Parts, state: &AppState) -> Result<Self, AppError> {
        let cookies = parts.headers.get(header::COOKIE).and_then(|cookies| cookies.to_str().ok()).unwrap_or_default();
        let theme = cookies
            .split(';')
            .filter_map(|cookie| cookie.trim().split_once('='))
            .find(|(name, _)| *name == Theme::COOKIE)
            .and_then(|(_, value)| Theme::from_name(value))
            .unwrap_or_default();
        Frame::at(state, parts.uri.path(), theme).await
    }
}

impl Frame {
    /// What surrounds a page.
    ///
    /// # Errors
    /// As the store.
    pub async fn at(state: &AppState, path: &str, theme: Theme) -> Result<Self, AppError> {
        let path = path.to_owned();
        let facts = facts_of(state, &path).await?;
        let (bench, place) = (facts.bench.clone(), facts.place.clone());
        let time_zone_name = place.as_ref().map_or(&bench.time_zone, |place| &place.draft.time_zone).clone();
        let time_zone = TimeZone::get(&time_zone_name).unwrap_or(TimeZone::UTC);
        let rail = match facts.place.as_ref().zip(facts.plane) {
            Some((place, plane)) => Some(rail_of(state, place, plane, &time_zone).await?),
            None => None,
        };
        Ok(Frame { bench, place, time_zone, time_zone_name, rail, theme, path })
    }
}

/// What the frame shows of the bench, from memory until something is written.
async fn facts_of(state: &AppState, path: &str) -> Result<Arc<Facts>, AppError> {
    let test = test_of(path);
    let before = state.store.writes();
    if let Some(kept) = before.and_then(|writes| state.kept.rails.facts(writes, test)) {
        return Ok(kept);
    }
    let place = place_of(state, path).await?;
    let plane = match &place {
        Some(place) => Some(plane_of(state, place, path).await?),
        None => None,
    };
    let facts = Arc::new(Facts { bench: state.store.bench().await?, place, plane });
    // Read while nothing was written: only then they are of one state.
    if let Some(writes) = before.filter(|before| state.store.writes() == Some(*before)) {
        state.kept.rails.keep_facts(writes, test, Arc::clone(&facts));
    }
    Ok(facts)
}

/// The place a page is about: that of its test, also after another place came into use, and else the one in use.
async fn place_of(state: &AppState, path: &str) -> Result<Option<PlaceRow>, AppError> {
    if let Some(id) = test_of(path)
        && let Ok(test) = state.store.test(id).await
        && let Some(place_id) = test.place_id
    {
        return Ok(Some(state.store.place(place_id).await?));
    }
    Ok(state.store.current_place().await?)
}

/// The test a path is about.
fn test_of(path: &str) -> Option<i64> {
    let path = path.strip_prefix("/api/v1").unwrap_or(path);
    path.strip_prefix("/tests/")?.split('/').next()?.parse().ok()
}

/// Today's sun on the plane that the page is about: that of its test, and else that of the last one. Drawn once a minute, and after a new
/// reading.
async fn rail_of(state: &AppState, place: &PlaceRow, plane: Plane, zone: &TimeZone) -> Result<Rail, AppError> {
    let now = Timestamp::now();
    let reading_writes = state.store.reading_writes();
    let of = RailOf {
        site: place.draft.site(),
        zone: place.draft.time_zone.clone(),
        minute: now.as_second().div_euclid(60),
        reading_writes: reading_writes.unwrap_or_default(),
    };
    if let Some(drawn) = reading_writes.and_then(|_| state.kept.rails.drawn(&plane, &of)) {
        return Ok(drawn);
    }
    let day = Day::of(now, zone);
    let readings = state.store.taken_between(day.start, day.end).await?;
    let plane_words = words::aim(&Setup { tilt_deg: plane.tilt_deg, azimuth_deg: plane.azimuth_deg, ..Setup::default() });
    let subject = Subject { site: &of.site, plane, plane_words, zone, now, readings: &readings };
    let drawn: Rail = rail::draw(&subject).map(Arc::from).map_err(|error| {
        // The only time in it is that of now.
        if error.field() == "time_utc" { words::wrong_clock(now, zone).into() } else { error.to_string().into() }
    });
    // One that was drawn while a reading was being written may lack it.
    if reading_writes.is_some() && state.store.reading_writes() == reading_writes {
        state.kept.rails.keep_drawn(&plane, of, drawn.clone());
    }
    Ok(drawn)
}

/// The clock of the bench alone, for answers that are not whole pages.
pub struct Clock(pub TimeZone);

impl FromRequestParts<AppState> for Clock {
    type Rejection = AppError;

    async fn from_request_parts(parts: &mut Parts, state: &AppState) -> Result<Self, AppError> {
        let facts = facts_of(state, parts.uri.path()).await?;
        let name = facts.place.as_ref().map_or(&facts.bench.time_zone, |place| &place.draft.time_zone);
        Ok(Clock(TimeZone::get(name).unwrap_or(TimeZone::UTC)))
    }
}

/// The plane a page is about: that of its test, and else that of the newest test, and else one as steep as the latitude.
pub async fn plane_of(state: &AppState, place: &PlaceRow, path: &str) -> Result<Plane, AppError> {
    let of_page = match test_of(path) {
        Some(id) => state.store.test(id).await.ok(),
        None => None,
    };
    let test = match of_page {
        Some(test) => Some(test),
        None => state.store.newest_test().await?,
    };
    let place = &place.draft.place;
    Ok(test.map_or_else(|| usual_plane(Some(place)), |test| test.setup.plane()))
}
