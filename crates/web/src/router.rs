//! Every route on one screen.

use crate::gate::{enter, refused, rest, security};
use crate::{api, assets, door, pages, state::AppState};
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
    let import_limit = DefaultBodyLimit::max(door::file::MOST_BYTES);
    let log_limit = DefaultBodyLimit::max(door::log_file::MOST_BYTES);
    let photo_limit = DefaultBodyLimit::max(door::photo::MOST_BYTES);
    let pages = Router::new()
        .route("/", get(pages::today::overview::page))
        .route("/now", get(pages::measure::now::now).post(pages::measure::now::begin))
        .route("/now/new", get(pages::measure::now::new))
        .route("/now/notebook", get(pages::measure::notebook::page).post(pages::measure::notebook::add))
        .route("/measure", get(pages::today::overview::measure))
        .route("/results", get(pages::results::logbook::page))
        .route("/league", get(pages::results::league::page))
        .route("/again", get(pages::results::league::again_page))
        .route("/reviews", get(pages::results::reviews::list).post(pages::results::reviews::add))
        .route("/reviews/{id}", get(pages::results::reviews::page).post(pages::results::reviews::change))
        .route("/reviews/{id}/report.html", get(pages::results::reviews::one_file))
        .route("/reviews/{id}/table.csv", get(pages::results::reviews::csv))
        .route("/kinds", get(pages::bench::kinds::list))
        .route("/kinds/{id}", get(pages::bench::kinds::page))
        .route("/panels", get(pages::bench::panels::page).post(pages::bench::panel_form::add))
        .route("/panels/new", get(pages::bench::panel_form::new))
        .route("/panels/import", post(api::panels_from_table))
        .route("/panels/answer", post(pages::bench::panel_form::answer))
        .route("/panels/{id}", get(pages::bench::panel::page).post(pages::bench::panel_form::change))
        .route("/panels/{id}/edit", get(pages::bench::panel_form::edit))
        .route("/panels/{id}/events", post(pages::bench::panel::add_event))
        .route("/panels/{id}/events/{event}/remove", post(pages::bench::panel::remove_event))
        .route("/tests", post(pages::plan::test_form::add))
        .route("/tests/new", get(pages::plan::test_form::new))
        .route("/tests/{id}", get(pages::measure::work::page).post(pages::plan::test_form::change))
        .route("/tests/{id}/edit", get(pages::plan::test_form::edit))
        .route("/tests/{id}/understood", get(pages::measure::understood::understood))
        .route("/tests/{id}/readings", get(pages::measure::work::readings).post(pages::measure::work::add))
        .route("/tests/{id}/readings/{uid}/correct", post(pages::measure::correction::correct))
        .route("/tests/{id}/readings/{uid}/withdraw", post(pages::measure::correction::withdraw))
        .route("/tests/{id}/sheet", get(pages::plan::sheet::page))
        .route("/tests/{id}/preflight", get(pages::measure::preflight::page).post(pages::measure::preflight::acknowledge))
        .route("/tests/{id}/next", post(pages::measure::runs::next))
        .route("/tests/{id}/repeat", post(pages::measure::runs::repeat))
        .route("/tests/{id}/take", post(pages::measure::runs::take))
        .route("/tests/{id}/states", get(pages::measure::state_correction::asked).post(pages::measure::state_correction::correct))
        .route("/tests/{id}/runs/{run}", post(pages::measure::runs::happened))
        .route("/tests/{id}/events", get(pages::measure::live::test_events))
        .route("/tests/{id}/photos", post(pages::measure::photos::add).layer(photo_limit))
        .route("/tests/{id}/photos/{photo}", get(pages::measure::photos::file))
        .route("/tests/{id}/photos/{photo}/thumbnail", get(pages::measure::photos::thumbnail))
        .route("/tests/{id}/photos/{photo}/remove", post(pages::measure::photos::remove))
        .route("/tests/{id}/result", get(pages::results::result::page))
        .route("/tests/{id}/report", get(pages::results::report::page))
        .route("/tests/{id}/report.html", get(pages::results::report::one_file))
        .route("/search", get(pages::results::search::page))
        .route("/recompute", get(pages::results::recompute::page).post(pages::results::recompute::add).layer(import_limit))
        .route("/tests/{id}/assessment.csv", get(api::assessment_table))
        .route("/tests/{id}/readings.csv", get(pages::results::report::csv))
        .route(
            "/tests/{id}/import",
            get(pages::measure::import::page_of_test).post(pages::measure::import::add_to_test).layer(import_limit),
        )
        .route("/import", get(pages::measure::import::page).post(pages::measure::import::add).layer(log_limit))
        .route("/import/{number}", get(pages::measure::import::under_way))
        .route("/plan", get(pages::plan::plan_form::questions))
        .route("/plan/{question}", get(pages::plan::plan_form::page).post(pages::plan::plan_form::add))
        .route("/gear", get(pages::bench::gear::page).post(pages::bench::gear::add))
        .route("/gear/new", get(pages::bench::gear::new))
        .route("/gear/{id}", get(pages::bench::gear_piece::page).post(pages::bench::gear::change))
        .route("/gear/{id}/edit", get(pages::bench::gear::edit))
        .route("/rigs", post(pages::bench::rig::add))
        .route("/rigs/new", get(pages::bench::rig::new))
        .route("/rigs/{id}", get(pages::bench::rig::page).post(pages::bench::rig::change))
        .route("/meters", get(pages::measure::live::page))
        .route("/meters/events", get(pages::measure::live::meters_events))
        .route("/meters/{id}", get(pages::measure::live::one))
        .route("/meters/{id}/events", get(pages::measure::live::meter_events))
        .route("/meters/{id}/hold", post(pages::measure::live::hold))
        .route("/meters/{id}/peak", post(pages::measure::live::reset_peak))
        .route("/meters/{id}/record", post(pages::measure::live::record))
        .route("/meters/{id}/stop", post(pages::measure::live::stop))
        .route("/logs", get(pages::measure::logs::list))
        .route("/logs/import", get(pages::measure::log_import::page).post(pages::measure::log_import::add).layer(log_limit))
        .route("/logs/files/{id}", get(pages::measure::log_import::file).post(pages::measure::log_import::confirm))
        .route("/logs/files/{id}/stop", post(pages::measure::log_import::stop))
        .route("/logs/files/{id}/go-on", post(pages::measure::log_import::go_on))
        .route("/logs/files/{id}/remove", post(pages::measure::log_import::remove))
        .route("/logs/{id}", get(pages::measure::log::page).post(pages::measure::log::change))
        .route("/logs/{id}/chart", get(pages::measure::log_chart::chart))
        .route("/logs/{id}/take", post(pages::measure::log_take::take))
        .route("/logs/{id}/samples.csv", get(pages::measure::log_tables::csv))
        .route("/logs/{id}/hours.csv", get(pages::measure::log_tables::hours))
        .route("/logs/{id}/days.csv", get(pages::measure::log_tables::days))
        .route("/hours", get(pages::measure::hours::page))
        .route("/keep-up", get(pages::plan::keep_up::page))
        .route("/calculations", post(pages::plan::calculations::add))
        .route("/shade", get(pages::plan::shade::page))
        .route("/ways", get(pages::plan::ways::page))
        .route("/shadow", get(pages::plan::shadow::page))
        .route("/strings", get(pages::plan::strings::page).post(pages::plan::keeping::strings))
        .route("/used", get(pages::plan::used::page).post(pages::plan::keeping::used))
        .route("/unlike", get(pages::plan::unlike::page).post(pages::plan::keeping::unlike))
        .route("/controllers", get(pages::plan::controllers::page).post(pages::plan::keeping::controller))
        .route("/today", get(pages::today::good_hours::page))
        .route("/today.ics", get(pages::today::good_hours::ics))
        .route("/aim", get(pages::plan::aim::page))
        .route("/tilt", get(pages::plan::tilt::page))
        .route("/tilt.ics", get(pages::plan::tilt::ics))
        .route("/weather", post(pages::plan::tilt::add_weather).layer(import_limit))
        .route("/places", post(pages::bench::place_form::add))
        .route("/places/new", get(pages::bench::place_form::new))
        .route("/places/{id}", post(pages::bench::place_form::change))
        .route("/places/{id}/edit", get(pages::bench::place_form::edit))
        .route("/places/{id}/use", post(pages::bench::place_form::choose))
        .route("/bench", get(pages::bench::places::page).post(pages::bench::places::change))
        .route("/withdrawn", get(pages::bench::withdrawn::list))
        .route("/withdrawn/{what}/{id}", get(pages::bench::withdrawn::ask).post(pages::bench::withdrawn::withdraw))
        .route("/withdrawn/{what}/{id}/restore", post(pages::bench::withdrawn::restore))
        .route(
            "/bench/package",
            get(pages::bench::package::page)
                .post(pages::bench::package::add)
                .layer(DefaultBodyLimit::max(door::log_file::MOST_BYTES)),
        )
        .route("/bench/package/{uid}", get(pages::bench::package::waits).post(pages::bench::package::decide))
        .route("/bench.zip", get(pages::bench::package::download))
        .route("/bench/copies", post(pages::bench::places::copy))
        .route("/bench/sessions/{id}", post(pages::bench::places::name_session))
        .route("/bench/sessions/{id}/end", post(pages::bench::places::end_session))
        .route("/enter", get(enter::page).post(enter::try_key))
        .route("/help", get(pages::help::page))
        .route("/theme", post(pages::theme::choose));

    Router::new()
        .merge(pages)
        .merge(api::routes())
        .route("/static/{*path}", get(assets::asset))
        .route("/healthz", get(|| async { "ok" }))
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .layer(CsrfLayer::new())
        .layer(from_fn(rest::take_rest))
        .layer(RequestBodyTimeoutLayer::new(LONGEST_PAUSE))
        .layer(RequestBodyDeadlineLayer::new(LONGEST_BODY))
        .layer(from_fn_with_state(state.clone(), enter::guard))
        .layer(CatchPanicLayer::custom(refused::panicked))
        .layer(from_fn_with_state(state.clone(), refused::as_page_or_json))
        .layer(from_fn(security::known_host))
        .layer(CompressionLayer::new())
        .layer(from_fn(security::headers))
        .layer(TraceLayer::new_for_http())
        .with_state(state)
}
