//! What the description of the door says of every operation alike, said once: a name of its own, what each answer means, and how a
//! refusal looks.

use super::compute::{DiodeJson, WithDiodeJson};
use crate::door::json::MOST_ITEMS;
use serde::Serialize;
use serde_json::Value;
use utoipa::openapi::path::{Operation, PathItem};
use utoipa::openapi::schema::{ArrayBuilder, OneOfBuilder};
use utoipa::openapi::{Content, OpenApi, Ref, RefOr, Response, ResponseBuilder};
use utoipa::{PartialSchema, ToSchema};

/// Why something was refused, and what to do.
#[derive(Serialize, ToSchema)]
pub(super) struct ErrorJson {
    error: ErrorDetails,
}

#[derive(Serialize, ToSchema)]
pub(super) struct ErrorDetails {
    /// A sentence for a person.
    message: String,
    /// The field it is about.
    field: Option<String>,
    /// As it was sent.
    value: Value,
    /// What would be taken.
    allowed: Option<String>,
    /// Of a list of inputs, which.
    index: Option<usize>,
}

/// Status ranges that any operation can answer: what was sent, and what failed here.
const REFUSALS: [(&str, &str); 2] = [
    ("4XX", "Refused: what was wrong with the request, and what to do"),
    ("5XX", "Failed here: nothing was changed, or it is said what was"),
];

/// Completes what the handlers say of themselves.
pub(super) fn complete(description: &mut OpenApi) {
    if let Some(components) = &mut description.components {
        components.schemas.insert("ErrorJson".to_owned(), ErrorJson::schema());
        components.schemas.insert("ErrorDetails".to_owned(), ErrorDetails::schema());
        // A circuit holds circuits: what is named inside of itself is not found by itself.
        components.schemas.insert("WithDiodeJson".to_owned(), WithDiodeJson::schema());
        components.schemas.insert("DiodeJson".to_owned(), DiodeJson::schema());
    }
    for (path, item) in &mut description.paths.paths {
        for (method, operation) in operations(item) {
            operation.operation_id = Some(name_of(method, path));
            if path.starts_with("/api/v1/compute/") {
                one_or_many(operation);
            }
            answers(operation);
        }
    }
}

fn operations(item: &mut PathItem) -> impl Iterator<Item = (&'static str, &mut Operation)> {
    let PathItem { get, put, post, delete, patch, .. } = item;
    let all = [("get", get), ("put", put), ("post", post), ("delete", delete), ("patch", patch)];
    all.into_iter().filter_map(|(method, operation)| Some((method, operation.as_mut()?)))
}

/// A computation takes one object or a list of them, and answers in the same shape.
fn one_or_many(operation: &mut Operation) {
    if let Some(RefOr::T(body)) = &mut operation.request_body {
        body.content.values_mut().for_each(of_one_or_many);
    }
    if let Some(RefOr::T(answer)) = operation.responses.responses.get_mut("200") {
        answer.content.values_mut().for_each(of_one_or_many);
    }
}

fn of_one_or_many(content: &mut RefOr<Content>) {
    let RefOr::T(content) = content else { return };
    if let Some(one) = content.schema.take() {
        let many = ArrayBuilder::new().items(one.clone()).max_items(Some(MOST_ITEMS));
        content.schema = Some(RefOr::T(OneOfBuilder::new().item(one).item(many).into()));
    }
}

/// "get_tests_id_assessment": the method and the words of the path, which are one operation's alone.
fn name_of(method: &str, path: &str) -> String {
    let words =
        path.trim_start_matches("/api/v1").split(|sign: char| !sign.is_ascii_alphanumeric()).filter(|word| !word.is_empty());
    std::iter::once(method).chain(words).collect::<Vec<_>>().join("_")
}

fn answers(operation: &mut Operation) {
    for (status, response) in &mut operation.responses.responses {
        if let RefOr::T(response) = response {
            if response.description.is_empty() {
                response.description = meaning(status).to_owned();
            }
            if status.starts_with(['4', '5']) && response.content.is_empty() {
                response.content = refusal("").content;
            }
        }
    }
    for (status, says) in REFUSALS {
        operation.responses.responses.entry(status.to_owned()).or_insert_with(|| RefOr::T(refusal(says)));
    }
}

fn refusal(says: &str) -> Response {
    let content = Content::new(Some(Ref::from_schema_name("ErrorJson")));
    ResponseBuilder::new().description(says).content("application/json", content).build()
}

fn meaning(status: &str) -> &'static str {
    match status {
        "200" => "What was asked for",
        "201" => "It was added",
        "303" => "It is there: see the page",
        "404" => "There is no such record",
        "409" => "Another record already has this identity, or it was changed meanwhile",
        "413" => "Larger than is taken at once",
        "422" => "Which field was refused, and why",
        "429" => "Too much at once: when to ask again",
        _ => "See the sentence in the answer",
    }
}
