//! JSON for programs, described at `/api/v1/openapi.json`.
//!
//! | file | serves |
//! |---|---|
//! | `compute` | the computations of the core |
//! | `bench` | places, kinds of panel, panels, gear, rigs |
//! | `tests`, `test_answer` | tests with their plan and runs |
//! | `readings` | readings into a test |
//! | `assessment`, `answer` | what a test comes to |
//! | `reviews` | tests side by side |
//! | `reports` | reports as files, and such a file held against its data |
//! | `stc_table` | the readings of a test at STC, for a spreadsheet |
//! | `lists` | lists as tables, and panels from one |
//! | `logs`, `log_answer` | logs in, and what their days come to |
//! | `acts` | what happens during tests: runs, panels, recordings, photos |
//! | `measuring` | what comes in without being typed line by line, and what stands before it |
//! | `keeping` | the bench itself, its copies, league and kept set-ups |
//! | `package` | the whole bench out and in |
//! | `working` | lines at work into an open test |
//! | `withdrawals` | records taken back and restored |
//! | `conditions` | conditions as JSON |
//! | `description` | what `/api/v1/openapi.json` says of every operation alike |

mod acts;
mod answer;
mod assessment;
mod bench;
mod bodies;
pub mod compute;
mod conditions;
mod description;
mod keeping;
mod lists;
mod log_answer;
mod logs;
mod measuring;
mod package;
mod readings;
mod reports;
mod reviews;
mod revisions;
mod search;
mod stc_table;
mod test_answer;
mod tests;
mod withdrawals;
mod working;

pub use assessment::table as assessment_table;
pub use lists::from_page as panels_from_table;

use crate::state::AppState;
use axum::extract::DefaultBodyLimit;
use axum::routing::get;
use axum::{Json, Router};
use bench::{gear, panels, places, rigs};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Flindo",
        description = "The records and the computations behind the pages. A computation takes one object or an array of up to \
            10,000 objects, answered in the same shape and order.",
        version = "1",
        license(name = "MIT OR Apache-2.0"),
        contact()
    ),
    servers((url = "/", description = "This bench"))
)]
struct Description;

/// Every route for programs, and their description.
pub fn routes() -> Router<AppState> {
    let (router, mut description) = OpenApiRouter::with_openapi(Description::openapi())
        .nest("/api/v1/compute", compute::routes())
        .nest("/api/v1", records())
        .split_for_parts();
    description::complete(&mut description);
    router.route("/api/v1/openapi.json", get(move || async move { Json(description) }))
}

fn records() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(places::list, places::add))
        .routes(routes!(places::one, places::change))
        .routes(routes!(places::choose))
        .routes(routes!(panels::kinds, panels::add_kind))
        .routes(routes!(panels::kind, panels::change_kind))
        .routes(routes!(panels::panels, panels::add_panel))
        .routes(routes!(panels::panel, panels::change_panel))
        .routes(routes!(lists::panel_table, lists::add_panel_table))
        .routes(routes!(lists::kind_table))
        .routes(routes!(lists::gear_table))
        .routes(routes!(lists::league_table))
        .routes(routes!(lists::logbook_table))
        .routes(routes!(gear::list, gear::add))
        .routes(routes!(gear::one, gear::change))
        .routes(routes!(rigs::list, rigs::add))
        .routes(routes!(rigs::one, rigs::change))
        .routes(routes!(tests::list, tests::add))
        .routes(routes!(tests::one))
        .routes(routes!(tests::change_setup))
        .routes(routes!(acts::run_event))
        .routes(routes!(acts::run_state))
        .routes(routes!(acts::photos))
        .merge(OpenApiRouter::new().routes(routes!(acts::add_photo)).layer(DefaultBodyLimit::max(crate::door::photo::MOST_BYTES)))
        .routes(routes!(acts::photo_file, acts::remove_photo))
        .routes(routes!(acts::panel_events, acts::add_panel_event))
        .routes(routes!(acts::remove_panel_event))
        .routes(routes!(acts::record))
        .routes(routes!(acts::stop))
        .routes(routes!(measuring::preflight, measuring::acknowledge))
        .routes(routes!(measuring::repeat))
        .routes(routes!(measuring::take))
        .routes(routes!(measuring::take_stretch))
        .routes(routes!(measuring::add_notebook))
        .routes(routes!(keeping::bench, keeping::change_bench))
        .routes(routes!(keeping::copy))
        .routes(routes!(keeping::league_of))
        .routes(routes!(keeping::calculations, keeping::keep_calculation))
        .routes(routes!(revisions::list, readings::add))
        .routes(routes!(revisions::revise))
        .routes(routes!(assessment::one))
        .routes(routes!(stc_table::at_stc))
        .routes(routes!(reviews::list, reviews::add))
        .routes(routes!(reviews::one, reviews::change))
        .routes(routes!(reports::of_test))
        .routes(routes!(reports::of_review))
        .routes(routes!(search::search))
        .routes(routes!(withdrawals::list))
        .routes(routes!(withdrawals::withdraw))
        .routes(routes!(withdrawals::restore))
        .merge(
            OpenApiRouter::new()
                .routes(routes!(logs::list, logs::add))
                .layer(DefaultBodyLimit::max(crate::door::log_file::MOST_BYTES)),
        )
        .merge(
            OpenApiRouter::new()
                .routes(routes!(package::export, package::import))
                .routes(routes!(reports::held_against))
                .layer(DefaultBodyLimit::max(crate::door::log_file::MOST_BYTES)),
        )
        .routes(routes!(logs::one, logs::change))
        .routes(routes!(logs::remove_file))
        .routes(routes!(keeping::weathers))
        .merge(
            OpenApiRouter::new()
                .routes(routes!(keeping::add_weather))
                .layer(DefaultBodyLimit::max(crate::door::file::MOST_BYTES)),
        )
}
