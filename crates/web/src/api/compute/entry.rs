//! One typed line as a reading.

use super::{Body, one_or_many};
use crate::error::{AppError, InputError};
use axum::Json;
use flindo_core::measure::entry::{Meaning, understand};
use flindo_core::measure::quantity::{Quantity, UnsteadyPolicy};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EntryInput {
    /// The line, such as "153-156 W 52 C".
    text: String,
    /// What volts without a name are: voltage_v (the default) or voc_v.
    volts: Option<String>,
    /// What amps without a name are: current_a (the default) or isc_a.
    amps: Option<String>,
    /// What degrees without a name are: cell_c (the default), back_c or air_c.
    degrees: Option<String>,
    /// What W/m2 without a name are: poa_w_m2 (the default) or ghi_w_m2.
    light: Option<String>,
    /// Which value of a range counts for power_w: middle (the default), peak or settled.
    unsteady: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct EntryOutput {
    figures: Vec<FigureOutput>,
    /// Watts into the load; absent where the line has none. Voc times Isc is never one.
    #[serde(skip_serializing_if = "Option::is_none")]
    power_w: Option<f64>,
    /// Local time of day, as typed.
    #[serde(skip_serializing_if = "Option::is_none")]
    time: Option<String>,
    /// The sky as noted: clear, haze, thin_cloud, broken or overcast.
    #[serde(skip_serializing_if = "Option::is_none")]
    sky: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    note: Option<String>,
    /// The line written out in full; it reads back the same.
    printed: String,
}

#[derive(Serialize, ToSchema)]
pub struct FigureOutput {
    /// The name of the quantity with its unit, such as voltage_v.
    quantity: &'static str,
    low: f64,
    high: f64,
    /// The step of the last digit typed.
    step: f64,
    /// shown, range, peak or settled.
    how: &'static str,
}

/// Reads one typed line as a reading.
#[utoipa::path(
    post,
    path = "/entry",
    request_body = EntryInput,
    responses((status = 200, body = EntryOutput), (status = 422, description = "What was not understood"))
)]
pub async fn compute(body: Body) -> Result<Json<Value>, AppError> {
    one_or_many(body, entry, 10).await
}

fn entry(input: EntryInput) -> Result<EntryOutput, InputError> {
    let usual = Meaning::default();
    let meaning = Meaning {
        volts: choice("volts", input.volts, usual.volts, &[Quantity::Voltage, Quantity::Voc])?,
        amps: choice("amps", input.amps, usual.amps, &[Quantity::Current, Quantity::Isc])?,
        light: choice("light", input.light, usual.light, &[Quantity::Poa, Quantity::Ghi])?,
        degrees: choice("degrees", input.degrees, usual.degrees, &[Quantity::Cell, Quantity::Back, Quantity::Air])?,
    };
    let unsteady = match input.unsteady {
        None => UnsteadyPolicy::default(),
        Some(name) => {
            UnsteadyPolicy::from_name(&name).ok_or_else(|| not_one_of("unsteady", &name, "middle, peak, settled".to_owned()))?
        }
    };
    let entry = understand(&input.text, &meaning).map_err(|error| InputError {
        message: format!("{error}."),
        field: Some("text".to_owned()),
        value: Some(input.text.as_str().into()),
        ..InputError::default()
    })?;
    let figures = entry.figures();
    Ok(EntryOutput {
        power_w: figures.loaded_power_w(unsteady),
        time: entry.time.map(|time| format!("{:02}:{:02}:{:02}", time.hour, time.minute, time.second)),
        sky: entry.sky.map(flindo_core::sky::note::SkyNote::name),
        note: entry.note.clone(),
        printed: entry.to_string(),
        figures: figures
            .iter()
            .map(|(quantity, seen)| FigureOutput {
                quantity: quantity.name(),
                low: seen.low,
                high: seen.high,
                step: seen.step,
                how: seen.how.name(),
            })
            .collect(),
    })
}

fn choice(field: &str, name: Option<String>, usual: Quantity, allowed: &[Quantity]) -> Result<Quantity, InputError> {
    let Some(name) = name else { return Ok(usual) };
    let names: Vec<&str> = allowed.iter().map(|quantity| quantity.name()).collect();
    Quantity::from_name(&name)
        .filter(|quantity| allowed.contains(quantity))
        .ok_or_else(|| not_one_of(field, &name, names.join(", ")))
}

fn not_one_of(field: &str, name: &str, allowed: String) -> InputError {
    InputError {
        message: format!("\"{name}\" is not one of {allowed}."),
        field: Some(field.to_owned()),
        value: Some(name.into()),
        allowed: Some(allowed),
        index: None,
    }
}
