//! What surrounds every page: the bench, its clock, the light it is shown in.

use crate::error::AppError;
use crate::state::AppState;
use axum::extract::FromRequestParts;
use axum::http::header;
use axum::http::request::Parts;
use flindo_store::Bench;
use jiff::tz::TimeZone;

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
    pub time_zone: TimeZone,
    pub theme: Theme,
    /// The path of this page, to come back to.
    pub path: String,
}

impl Frame {
    /// Whether a link of the navigation leads to the part this page belongs to.
    pub fn is_in(&self, part: &str) -> bool {
        if part == "/" { self.path == "/" } else { self.path.starts_with(part) }
    }
}

impl FromRequestParts<AppState> for Frame {
    type Rejection = AppError;

    async fn from_request_parts(parts: &mut Parts, state: &AppState) -> Result<Self, AppError> {
        let bench = state.store.bench().await?;
        let cookies = parts.headers.get(header::COOKIE).and_then(|cookies| cookies.to_str().ok()).unwrap_or_default();
        let theme = cookies
            .split(';')
            .filter_map(|cookie| cookie.trim().split_once('='))
            .find(|(name, _)| *name == Theme::COOKIE)
            .and_then(|(_, value)| Theme::from_name(value))
            .unwrap_or_default();
        let time_zone = TimeZone::get(&bench.time_zone).unwrap_or(TimeZone::UTC);
        Ok(Frame { bench, time_zone, theme, path: parts.uri.path().to_owned() })
    }
}
