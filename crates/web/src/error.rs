//! What a handler can fail with. The status is decided in one place; people get a page, programs get JSON.

use axum::http::StatusCode;
use axum::http::header::{self, HeaderValue};
use axum::response::{IntoResponse, Response};
use flindo_core::measure::entry::EntryError;
use flindo_store::StoreError;
use flindo_store::exchange::ImportError;

/// Every way to fail; each prints as a sentence for the person.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    #[error("There is no such page.")]
    NoSuchPage,
    #[error(transparent)]
    Store(StoreError),
    #[error(transparent)]
    Import(#[from] ImportError),
    #[error("{0}")]
    Input(InputError),
    /// A fault of the program, with the number under which the log has it.
    #[error("Something went wrong here. It is written in the log of the server under {0}.")]
    Failed(String),
    /// Programs have asked for more than is worked on at once.
    #[error("Too much is asked for at once: ask again in {after_s} s, or for less.")]
    TooMuch { after_s: u64 },
    /// A name that another record carries.
    #[error("{0}")]
    Taken(InputError),
}

/// Goes with an answer that met damage in the file of the bench.
#[derive(Debug, Clone, Copy)]
pub struct IsDamage;

/// An input that was refused.
#[derive(Debug, Clone, Default)]
pub struct InputError {
    pub message: String,
    pub field: Option<String>,
    /// As it was sent.
    pub value: Option<serde_json::Value>,
    pub allowed: Option<String>,
    /// In an array of inputs, which.
    pub index: Option<usize>,
}

impl std::fmt::Display for InputError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.message)
    }
}

impl AppError {
    pub fn input(field: &str, value: &str, message: impl Into<String>) -> Self {
        AppError::Input(InputError {
            message: message.into(),
            field: Some(field.to_owned()),
            value: Some(value.into()),
            ..InputError::default()
        })
    }

    /// A fault of the program: logged once, under a number that the answer tells.
    pub fn failed(why: &dyn std::fmt::Display) -> Self {
        let number = flindo_store::new_uid();
        tracing::error!(%number, %why, "failed");
        AppError::Failed(number)
    }

    /// A line that was not understood.
    pub fn entry(typed: &str, error: &EntryError) -> Self {
        AppError::input("typed", typed, format!("{error}."))
    }

    pub fn status(&self) -> StatusCode {
        match self {
            AppError::NoSuchPage | AppError::Store(StoreError::NotFound(_)) => StatusCode::NOT_FOUND,
            AppError::Import(ImportError::Store(StoreError::NotFound(_))) => StatusCode::NOT_FOUND,
            AppError::Store(StoreError::Conflict(_)) | AppError::Taken(_) => StatusCode::CONFLICT,
            AppError::Store(StoreError::Refused(_))
            | AppError::Import(ImportError::At { .. } | ImportError::File(_) | ImportError::Store(StoreError::Refused(_)))
            | AppError::Input(_) => StatusCode::UNPROCESSABLE_ENTITY,
            AppError::Store(
                StoreError::Full | StoreError::Disk | StoreError::ReadOnly | StoreError::Gone | StoreError::LogGone,
            )
            | AppError::Import(ImportError::Store(
                StoreError::Full | StoreError::Disk | StoreError::ReadOnly | StoreError::Gone | StoreError::LogGone,
            )) => StatusCode::INSUFFICIENT_STORAGE,
            AppError::TooMuch { .. } => StatusCode::TOO_MANY_REQUESTS,
            AppError::Store(StoreError::Busy) | AppError::Import(ImportError::Store(StoreError::Busy)) => {
                StatusCode::SERVICE_UNAVAILABLE
            }
            AppError::Failed(_) | AppError::Store(_) | AppError::Import(ImportError::Store(_)) => {
                StatusCode::INTERNAL_SERVER_ERROR
            }
        }
    }
}

impl From<StoreError> for AppError {
    fn from(error: StoreError) -> Self {
        let StoreError::Refused(refused) = error else { return AppError::Store(error) };
        let field = Some(refused.field.to_owned());
        AppError::Input(InputError { message: refused.sentence, field, ..InputError::default() })
    }
}

impl IntoResponse for AppError {
    fn into_response(self) -> Response {
        let status = self.status();
        if status.is_server_error() && !matches!(self, AppError::Failed(_)) {
            tracing::error!(error = ?self, "failed");
        }
        let is_damage =
            matches!(self, AppError::Store(StoreError::Damaged) | AppError::Import(ImportError::Store(StoreError::Damaged)));
        let after_s = if let AppError::TooMuch { after_s } = &self { Some(*after_s) } else { None };
        let details = if let AppError::Input(details) | AppError::Taken(details) = self {
            details
        } else {
            InputError { message: self.to_string(), ..InputError::default() }
        };
        let mut response = status.into_response();
        response.extensions_mut().insert(details);
        if let Some(after_s) = after_s {
            response.headers_mut().insert(header::RETRY_AFTER, HeaderValue::from(after_s));
        }
        if is_damage {
            response.extensions_mut().insert(IsDamage);
        }
        response
    }
}
