//! JSON for programs, described at `/api/v1/openapi.json`.
//!
//! | file | serves |
//! |---|---|
//! | `compute` | the computations of the core |
//! | `bench` | places, kinds of panel, panels, gear, rigs |
//! | `tests` | tests with their plan and runs |
//! | `readings` | readings into a test |
//! | `assessment` | what a test comes to |
//! | `reviews` | tests side by side |
//! | `stc_table` | the readings of a test at STC, for a spreadsheet |
//! | `lists` | lists as tables, and panels from one |
//! | `logs` | logs in, and what their days come to |
//! | `package` | the whole bench out and in |
//! | `working` | lines at work into an open test |
//! | `withdrawals` | records taken back and restored |
//! | `conditions` | conditions as JSON |
//! | `description` | what `/api/v1/openapi.json` says of every operation alike |
//! | `body` | a JSON body as the fields of a form, so that both pass the same checks |

mod assessment;
mod bench;
mod body;
pub mod compute;
mod conditions;
mod description;
mod lists;
mod logs;
mod package;
mod readings;
mod reviews;
mod revisions;
mod search;
mod stc_table;
mod tests;
mod withdrawals;
mod working;

pub use assessment::table as assessment_table;
pub use lists::from_page as panels_from_table;

use crate::state::AppState;
use axum::extract::DefaultBodyLimit;
use axum::routing::get;
use axum::{Json, Router};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Flindo",
        description = "The records and the computations behind the pages. A computation takes one object or an array of up to 10,000 objects, answered in the same shape and order.",
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
        .routes(routes!(bench::places, bench::add_place))
        .routes(routes!(bench::place))
        .routes(routes!(bench::kinds, bench::add_kind))
        .routes(routes!(bench::kind))
        .routes(routes!(bench::panels, bench::add_panel))
        .routes(routes!(bench::panel))
        .routes(routes!(lists::panel_table, lists::add_panel_table))
        .routes(routes!(lists::kind_table))
        .routes(routes!(lists::gear_table))
        .routes(routes!(lists::league_table))
        .routes(routes!(lists::logbook_table))
        .routes(routes!(bench::gear, bench::add_gear))
        .routes(routes!(bench::piece))
        .routes(routes!(bench::rigs, bench::add_rig))
        .routes(routes!(bench::rig))
        .routes(routes!(tests::list, tests::add))
        .routes(routes!(tests::one))
        .routes(routes!(revisions::list, readings::add))
        .routes(routes!(revisions::revise))
        .routes(routes!(assessment::one))
        .routes(routes!(stc_table::at_stc))
        .routes(routes!(reviews::list, reviews::add))
        .routes(routes!(reviews::one))
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
                .layer(DefaultBodyLimit::max(crate::door::log_file::MOST_BYTES)),
        )
        .routes(routes!(logs::one))
}
