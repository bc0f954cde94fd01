//! Every route on one screen.

use crate::{api, assets, pages, refused, security, state::AppState};
use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::middleware::{from_fn, from_fn_with_state};
use axum::routing::{get, post};
use std::time::Duration;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::csrf::CsrfLayer;
use tower_http::timeout::{RequestBodyDeadlineLayer, RequestBodyTimeoutLayer};
use tower_http::trace::TraceLayer;

/// Forms and API calls are small; an array of 10,000 inputs fits.
const MOST_BYTES: usize = 4 * 1024 * 1024;

/// What is sent may pause this long, and take this long altogether.
const LONGEST_PAUSE: Duration = Duration::from_secs(20);
const LONGEST_BODY: Duration = Duration::from_secs(300);

/// The whole application.
pub fn router(state: AppState) -> Router {
    let import_limit = DefaultBodyLimit::max(pages::import::MOST_BYTES);
    let log_limit = DefaultBodyLimit::max(pages::log_import::MOST_BYTES);
    let photo_limit = DefaultBodyLimit::max(pages::photos::MOST_BYTES);
    let pages = Router::new()
        .route("/", get(pages::home::page))
        .route("/measure", get(pages::home::measure))
        .route("/results", get(pages::results::page))
        .route("/league", get(pages::league::page))
        .route("/again", get(pages::league::again_page))
        .route("/reviews", get(pages::reviews::list).post(pages::reviews::add))
        .route("/reviews/{id}", get(pages::reviews::page).post(pages::reviews::change))
        .route("/reviews/{id}/table.csv", get(pages::reviews::csv))
        .route("/kinds", get(pages::kinds::list))
        .route("/kinds/{id}", get(pages::kinds::page))
        .route("/panels", get(pages::panels::page).post(pages::panel_form::add))
        .route("/panels/new", get(pages::panel_form::new))
        .route("/panels/answer", post(pages::panel_form::answer))
        .route("/panels/{id}", get(pages::panel::page).post(pages::panel_form::change))
        .route("/panels/{id}/edit", get(pages::panel_form::edit))
        .route("/panels/{id}/events", post(pages::panel::add_event))
        .route("/panels/{id}/events/{event}/remove", post(pages::panel::remove_event))
        .route("/tests", post(pages::test_form::add))
        .route("/tests/new", get(pages::test_form::new))
        .route("/tests/{id}", get(pages::capture::page).post(pages::test_form::change))
        .route("/tests/{id}/edit", get(pages::test_form::edit))
        .route("/tests/{id}/understood", get(pages::capture::understood))
        .route("/tests/{id}/readings", get(pages::capture::readings).post(pages::capture::add))
        .route("/tests/{id}/readings/{uid}/correct", post(pages::correction::correct))
        .route("/tests/{id}/readings/{uid}/withdraw", post(pages::correction::withdraw))
        .route("/tests/{id}/sheet", get(pages::sheet::page))
        .route("/tests/{id}/preflight", get(pages::preflight::page).post(pages::preflight::acknowledge))
        .route("/tests/{id}/next", post(pages::guided::next))
        .route("/tests/{id}/repeat", post(pages::guided::repeat))
        .route("/tests/{id}/take", post(pages::guided::take))
        .route("/tests/{id}/runs/{run}", post(pages::guided::happened))
        .route("/tests/{id}/events", get(pages::live::test_events))
        .route("/tests/{id}/photos", post(pages::photos::add).layer(photo_limit))
        .route("/tests/{id}/photos/{photo}", get(pages::photos::file))
        .route("/tests/{id}/photos/{photo}/thumbnail", get(pages::photos::thumbnail))
        .route("/tests/{id}/photos/{photo}/remove", post(pages::photos::remove))
        .route("/tests/{id}/result", get(pages::result::page))
        .route("/tests/{id}/report", get(pages::report::page))
        .route("/tests/{id}/assessment.csv", get(api::assessment_table))
        .route("/tests/{id}/readings.csv", get(pages::report::csv))
        .route("/tests/{id}/import", get(pages::import::page_of_test).post(pages::import::add_to_test).layer(import_limit))
        .route("/import", get(pages::import::page).post(pages::import::add).layer(import_limit))
        .route("/import/{number}", get(pages::import::under_way))
        .route("/plan", get(pages::plan::questions))
        .route("/plan/{question}", get(pages::plan::page).post(pages::plan::add))
        .route("/gear", get(pages::gear::page).post(pages::gear::add))
        .route("/gear/new", get(pages::gear::new))
        .route("/gear/{id}", get(pages::gear_piece::page).post(pages::gear::change))
        .route("/gear/{id}/edit", get(pages::gear::edit))
        .route("/rigs", post(pages::rig::add))
        .route("/rigs/new", get(pages::rig::new))
        .route("/rigs/{id}", get(pages::rig::page).post(pages::rig::change))
        .route("/meters", get(pages::live::page))
        .route("/meters/events", get(pages::live::meters_events))
        .route("/meters/{id}/hold", post(pages::live::hold))
        .route("/meters/{id}/peak", post(pages::live::reset_peak))
        .route("/meters/{id}/record", post(pages::live::record))
        .route("/meters/{id}/stop", post(pages::live::stop))
        .route("/logs", get(pages::logs::list))
        .route("/logs/import", get(pages::log_import::page).post(pages::log_import::add).layer(log_limit))
        .route("/logs/files/{id}", get(pages::log_import::file).post(pages::log_import::confirm))
        .route("/logs/files/{id}/stop", post(pages::log_import::stop))
        .route("/logs/files/{id}/go-on", post(pages::log_import::go_on))
        .route("/logs/files/{id}/remove", post(pages::log_import::remove))
        .route("/logs/{id}", get(pages::log::page).post(pages::log::change))
        .route("/logs/{id}/chart", get(pages::log_chart::chart))
        .route("/logs/{id}/take", post(pages::log_take::take))
        .route("/logs/{id}/samples.csv", get(pages::log_tables::csv))
        .route("/logs/{id}/hours.csv", get(pages::log_tables::hours))
        .route("/logs/{id}/days.csv", get(pages::log_tables::days))
        .route("/hours", get(pages::hours::page))
        .route("/keep-up", get(pages::keep_up::page))
        .route("/calculations", post(pages::calculations::add))
        .route("/shade", get(pages::shade::page))
        .route("/ways", get(pages::ways::page))
        .route("/shadow", get(pages::shadow::page))
        .route("/strings", get(pages::strings::page).post(pages::keeping::strings))
        .route("/used", get(pages::used::page).post(pages::keeping::used))
        .route("/unlike", get(pages::unlike::page).post(pages::keeping::unlike))
        .route("/controllers", get(pages::controllers::page).post(pages::keeping::controller))
        .route("/today", get(pages::today::page))
        .route("/today.ics", get(pages::today::ics))
        .route("/aim", get(pages::aim::page))
        .route("/tilt", get(pages::tilt::page))
        .route("/tilt.ics", get(pages::tilt::ics))
        .route("/weather", post(pages::tilt::add_weather).layer(import_limit))
        .route("/places", post(pages::place_form::add))
        .route("/places/new", get(pages::place_form::new))
        .route("/places/{id}", post(pages::place_form::change))
        .route("/places/{id}/edit", get(pages::place_form::edit))
        .route("/places/{id}/use", post(pages::place_form::choose))
        .route("/bench", get(pages::bench::page).post(pages::bench::change))
        .route("/bench/copies", post(pages::bench::copy))
        .route("/bench/sessions/{id}/end", post(pages::bench::end_session))
        .route("/enter", get(pages::enter::page).post(pages::enter::try_key))
        .route("/help", get(pages::help::page))
        .route("/theme", post(pages::theme::choose));

    Router::new()
        .merge(pages)
        .merge(api::routes())
        .route("/static/{*path}", get(assets::asset))
        .route("/healthz", get(|| async { "ok" }))
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .layer(CsrfLayer::new())
        .layer(RequestBodyTimeoutLayer::new(LONGEST_PAUSE))
        .layer(RequestBodyDeadlineLayer::new(LONGEST_BODY))
        .layer(from_fn_with_state(state.clone(), pages::enter::guard))
        .layer(CatchPanicLayer::custom(refused::panicked))
        .layer(from_fn_with_state(state.clone(), refused::as_page_or_json))
        .layer(from_fn(security::known_host))
        .layer(CompressionLayer::new())
        .layer(from_fn(security::headers))
        .layer(TraceLayer::new_for_http())
        .with_state(state)
}
