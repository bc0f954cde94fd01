//! JSON for programs: the computations of the core under `/api/v1/compute`, described at `/api/v1/openapi.json`.

pub mod compute;
