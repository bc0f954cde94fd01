//! A log as the core wants it: its row with what it belongs to as a record, and its days.

use crate::connections::Store;
use crate::error::StoreError;
use crate::record::rig_of;
use crate::rows::log::LogRow;
use crate::rows::panel::Panel;
use crate::rows::place::PlaceRow;
use crate::rows::register::Register;
use crate::rows::rig::RigRow;
use crate::rows::test::Test;
use crate::samples::Bucket;
use flindo_core::energy::log::event::Known;
use flindo_core::energy::log::grid::Step;
use flindo_core::energy::log::record::{LogDay, LogRecord, USUAL_METER_PERCENT, USUAL_POA_PERCENT};
use flindo_core::energy::log::samples::{LogSamples, with_watts};
use flindo_core::gear::battery::charging_v;
use flindo_core::measure::quantity::Quantity;
use flindo_core::rig::{Rig, Sink};
use flindo_core::sky::plane::Plane;
use flindo_core::window::Window;
use jiff::tz::TimeZone;
use std::collections::BTreeMap;

/// A log with everything that it belongs to.
#[derive(Debug, Clone)]
pub struct LogRecorded {
    pub row: LogRow,
    pub test: Option<Test>,
    pub panel: Option<Panel>,
    pub rig: Option<RigRow>,
    pub place: Option<PlaceRow>,
    /// Of the place, and else of the bench.
    pub zone: TimeZone,
    pub record: LogRecord,
}

/// What is known of the watts behind a log: of its panel, or of its rig with what it ends in.
fn known(panel: Option<&Panel>, rig: Option<&Rig>) -> Known {
    let mut known = Known {
        rated_w: panel.and_then(|panel| panel.label().rated_w),
        gamma_per_k: panel.map(|panel| panel.label().gamma().per_k),
        ..Known::default()
    };
    let Some(rig) = rig else { return known };
    let of_rig_w: Option<f64> = rig.strings.iter().flatten().map(|module| module.nameplate.rated_w).sum();
    known.rated_w = of_rig_w.filter(|watts_w| *watts_w > 0.0).or(known.rated_w);
    match &rig.sink {
        Sink::Controller { controller, battery, .. } => {
            known.most_w = controller.max_input_w;
            known.most_output_a = controller.max_battery_a;
            known.charge_limit_v = battery.as_ref().map(|battery| charging_v(battery.nominal_v));
        }
        Sink::Station { station, .. } => known.most_w = Some(station.max_input_w),
        Sink::Load(_) | Sink::Open => {}
    }
    known
}

impl Register {
    /// A log with what it belongs to: itself, and else its test. `zone`: of the bench.
    fn log_recorded(&self, row: LogRow, test: Option<Test>, zone: &str) -> LogRecorded {
        let belongs = &row.belongs;
        let of_test = test.as_ref();
        let place_id = belongs.place_id.or(of_test.and_then(|test| test.place_id)).or(self.place_id);
        let place = self.places.iter().find(|place| Some(place.id) == place_id).cloned();
        let panel = belongs.panel_id.or(of_test.map(|test| test.panel_id)).and_then(|id| self.panel(id));
        let rig_row = belongs.rig_id.or(of_test.and_then(|test| test.rig_id)).and_then(|id| self.rig(id));
        let rig = rig_row.and_then(|row| rig_of(&row.draft, &self.panels, &self.gear, place.as_ref()).ok());
        let own_plane = belongs.tilt_deg.zip(belongs.azimuth_deg);
        let own_plane = own_plane.map(|(tilt_deg, azimuth_deg)| Plane { tilt_deg, azimuth_deg });
        let instruments = of_test.map(|test| test.setup.instruments);
        let record = LogRecord {
            site: place.as_ref().map(|place| place.draft.site()),
            plane: own_plane.or(of_test.map(|test| test.setup.plane())),
            known: known(panel, rig.as_ref()),
            watts_u_percent: belongs
                .meter_percent
                .or(instruments.map(|known| known.watts.percent))
                .unwrap_or(USUAL_METER_PERCENT),
            poa_u_percent: instruments.map_or(USUAL_POA_PERCENT, |known| known.sun_percent),
        };
        let zone = place.as_ref().map_or(zone, |place| &place.draft.time_zone);
        let zone = TimeZone::get(zone).unwrap_or(TimeZone::UTC);
        LogRecorded { panel: panel.cloned(), rig: rig_row.cloned(), row, test, place, zone, record }
    }
}

impl Store {
    /// A log with everything that it belongs to.
    pub async fn log_recorded(&self, id: i64) -> Result<LogRecorded, StoreError> {
        let row = self.log(id).await?;
        self.of_log(row).await
    }

    /// The same of a row that was read.
    pub async fn of_log(&self, row: LogRow) -> Result<LogRecorded, StoreError> {
        let register = self.register().await?;
        let test = match row.belongs.test_id {
            Some(id) => match self.test(id).await {
                Ok(test) => Some(test),
                Err(StoreError::NotFound(_)) => None,
                Err(error) => return Err(error),
            },
            None => None,
        };
        let zone = self.bench().await?.time_zone;
        Ok(register.log_recorded(row, test, &zone))
    }

    /// The samples of a log between two moments of true time.
    pub async fn log_samples_between(&self, log: &LogRow, window: Window) -> Result<LogSamples, StoreError> {
        let ahead_s = log.belongs.ahead_s;
        let ms = |unix_s: f64| ((unix_s + ahead_s) * 1000.0) as i64;
        let mut all = Vec::new();
        for quantity in self.log_quantities(log.id).await? {
            let came = self.samples_as_they_came(log.id, quantity, (ms(window.from_s), ms(window.to_s))).await?;
            let on_true_time = came.into_iter().map(|(at_ms, value)| (at_ms as f64 / 1000.0 - ahead_s, value));
            all.push((quantity, on_true_time.collect()));
        }
        Ok(LogSamples::of(all))
    }

    /// A day of a log, to be judged. Of one that is still recorded, by its steps.
    pub async fn log_day(&self, log: &LogRow, window: Window) -> Result<LogDay, StoreError> {
        let steps = self.log_steps(log).await?;
        let samples = match log.ended_utc {
            None => LogSamples::of_steps(&steps, window),
            Some(_) => self.log_samples_between(log, window).await?,
        };
        Ok(LogDay::new(window, samples, &steps))
    }

    /// Every quantity of a log from a moment to another (ms of true time), in about `most` stretches each, with the watts of volts and
    /// amps.
    pub async fn log_drawn(
        &self,
        log: &LogRow,
        (from_ms, to_ms): (i64, i64),
        most: i64,
    ) -> Result<BTreeMap<Quantity, Vec<Bucket>>, StoreError> {
        let ahead_ms = (log.belongs.ahead_s * 1000.0) as i64;
        let mut stretches: BTreeMap<Quantity, Vec<(f64, Step)>> = BTreeMap::new();
        for quantity in self.log_quantities(log.id).await? {
            let found = self.log_window(log, quantity, (from_ms + ahead_ms, to_ms + ahead_ms), most).await?;
            let step =
                |(at_ms, low, mean, high): Bucket| ((at_ms - ahead_ms) as f64 / 1000.0, Step { mean, low, high, samples: 1 });
            stretches.insert(quantity, found.into_iter().map(step).collect());
        }
        with_watts(&mut stretches);
        let bucket = |(at_s, step): (f64, Step)| ((at_s * 1000.0).round() as i64, step.low, step.mean, step.high);
        Ok(stretches.into_iter().map(|(quantity, steps)| (quantity, steps.into_iter().map(bucket).collect())).collect())
    }
}
