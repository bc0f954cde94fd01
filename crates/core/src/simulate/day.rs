//! A day, or several, of a rig as a logger sees it: made up by a seed, with what a person may meet in it.

use super::instrument::Draws;
use crate::energy::log::sky::clear_poa_w_m2;
use crate::error::Error;
use crate::measure::quantity::Quantity;
use crate::panel::temperature::faiman_c;
use crate::seed::hashed;
use crate::sky::course::Site;
use crate::sky::plane::Plane;

/// What happens on a day.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Happens {
    /// So many clouds, each some minutes long.
    Clouds { count: usize, share: f64 },
    /// Something stands in the way of the sun over this azimuth each day.
    Shade { from_deg: f64, to_deg: f64, share: f64 },
    /// The controller gives no more amps into the battery.
    ControllerAmps { most_a: f64 },
    /// A port or an inverter takes no more watts.
    Port { most_w: f64 },
    /// The battery is full once it has taken so many watt-hours; its controller holds its volts from there.
    FullAfter { wh: f64 },
    /// The tracker swings by this share of the power, to either side.
    Hunts { rel: f64 },
    /// Snow lies on the panel until this solar hour.
    SnowUntil { solar_h: f64 },
    /// Each day this share of the light is lost to dirt.
    Soils { per_day: f64 },
    /// The logger writes nothing between these solar hours.
    Gap { from_h: f64, to_h: f64 },
    /// It starts only with so many watts at hand.
    StartsAt { w: f64 },
}

/// A rig and its logger.
#[derive(Debug, Clone, PartialEq)]
pub struct LoggedRig {
    pub site: Site,
    pub plane: Plane,
    pub rated_w: f64,
    /// Of its rating, what the panel really gives.
    pub own_share: f64,
    pub gamma_per_k: f64,
    pub air_c: f64,
    pub battery_v: f64,
    /// Otherwise the controller holds the panel at the battery's volts.
    pub tracks: bool,
    pub happens: Vec<Happens>,
    /// s.
    pub every_s: f64,
    pub with_irradiance: bool,
    pub with_temperatures: bool,
    /// The meter's scatter from sample to sample, relative.
    pub noise_rel: f64,
    pub seed: u64,
}

/// What a panel held at its battery gives of what it could. Common practice, no source.
const TIED_SHARE: f64 = 0.74;

/// Volts at which a full 12 V battery is held; that for each nominal 12.
const CHARGE_LIMIT_V: f64 = 14.4;

impl LoggedRig {
    /// Samples (quantity, Unix seconds, value) from `from_s` to `to_s`, in order of time.
    ///
    /// # Errors
    /// As [`clear_poa_w_m2`].
    pub fn samples(&self, from_s: f64, to_s: f64) -> Result<Vec<(Quantity, f64, f64)>, Error> {
        let mut draws = Draws::of(self.seed);
        let mut samples = Vec::new();
        let mut charged_wh = 0.0;
        let mut day = i64::MIN;
        let mut is_awake = false;
        let steps = ((to_s - from_s) / self.every_s).floor() as usize;
        for step in 0..=steps {
            let at_s = from_s + step as f64 * self.every_s;
            let moment = crate::sky::course::Moment::at(&self.site, at_s, crate::sky::daylight::day_of_year(at_s))?;
            let solar_day = ((at_s + self.site.place.lon_deg * 240.0) / 86_400.0).floor() as i64;
            if solar_day != day {
                (day, charged_wh) = (solar_day, 0.0);
            }
            let clear_w_m2 = clear_poa_w_m2(&self.site, &self.plane, at_s)?;
            let light = clear_w_m2 * self.clouds(solar_day, moment.solar_time_h);
            let on_panel = light * self.in_the_way(moment.sun_position.azimuth_deg, moment.solar_time_h, at_s - from_s);
            let cell_c = faiman_c(on_panel, self.air_c, 1.5, 25.0, 6.84);
            let mut watts = self.rated_w * self.own_share * on_panel / 1000.0 * (1.0 + self.gamma_per_k * (cell_c - 25.0));
            let starts_w = self.happens.iter().find_map(|one| if let Happens::StartsAt { w } = one { Some(*w) } else { None });
            is_awake = watts > 0.5 && (is_awake || starts_w.is_none_or(|starts_w| watts > starts_w)) && on_panel > 2.0;
            if !self.tracks {
                watts *= TIED_SHARE;
            }
            let mut output_v = self.battery_v + 0.6 * charged_wh / (10.0 * self.rated_w);
            for one in &self.happens {
                match one {
                    Happens::Port { most_w } => watts = watts.min(*most_w),
                    Happens::ControllerAmps { most_a } => watts = watts.min(most_a * output_v / 0.97),
                    Happens::FullAfter { wh } if charged_wh > *wh => {
                        let limit_v = CHARGE_LIMIT_V * (self.battery_v / 12.6).round().max(1.0);
                        output_v = limit_v;
                        // The acceptance falls off with what goes in after.
                        watts = watts.min(self.rated_w * 0.7 * (-(charged_wh - wh) / (0.3 * self.rated_w)).exp() + 3.0);
                    }
                    // Evenly, with a period that no whole number of samples fits.
                    Happens::Hunts { rel } => watts *= 1.0 + rel * (at_s * std::f64::consts::TAU / 23.7).sin(),
                    Happens::FullAfter { .. }
                    | Happens::Clouds { .. }
                    | Happens::Shade { .. }
                    | Happens::SnowUntil { .. }
                    | Happens::Soils { .. }
                    | Happens::Gap { .. }
                    | Happens::StartsAt { .. } => {}
                }
            }
            if !is_awake {
                watts = 0.0;
            }
            charged_wh += watts * 0.97 * self.every_s / 3600.0;
            if self.is_missing(moment.solar_time_h) {
                continue;
            }
            let mut noisy = |value: f64| value * (1.0 + draws.normal(self.noise_rel));
            let voltage_v = match () {
                () if on_panel < 2.0 => 0.0,
                () if watts <= 0.0 => 1.75 * self.battery_v,
                () if self.tracks => 1.45 * self.battery_v,
                () => output_v + 0.3,
            };
            let shown_w = noisy(watts).max(0.0);
            let current_a = if voltage_v > 0.0 { shown_w / voltage_v } else { 0.0 };
            for (quantity, value) in [
                (Quantity::Voltage, voltage_v),
                (Quantity::Current, current_a),
                (Quantity::Power, shown_w),
                (Quantity::OutputVoltage, output_v),
                (Quantity::OutputCurrent, shown_w * 0.97 / output_v),
            ] {
                samples.push((quantity, at_s, value));
            }
            if self.with_irradiance {
                samples.push((Quantity::Poa, at_s, noisy(light)));
            }
            if self.with_temperatures {
                samples.push((Quantity::Cell, at_s, cell_c));
                samples.push((Quantity::Air, at_s, self.air_c));
            }
        }
        Ok(samples)
    }

    /// Share of the clear light that the clouds of a day let through.
    fn clouds(&self, day: i64, solar_h: f64) -> f64 {
        let mut share = 1.0_f64;
        for one in &self.happens {
            let Happens::Clouds { count, share: through } = one else { continue };
            for cloud in 0..*count as u64 {
                let key = |nth: u64| hashed(self.seed ^ (day as u64).wrapping_mul(31), cloud * 3 + nth);
                let (middle_h, half_h) = (8.5 + 7.5 * key(0), (4.0 + 14.0 * key(1)) / 60.0);
                // Edges of a minute.
                let inside = ((half_h - (solar_h - middle_h).abs()) * 60.0).clamp(0.0, 1.0);
                share = share.min(1.0 - inside * (1.0 - through * (0.7 + 0.6 * key(2))));
            }
        }
        share.clamp(0.05, 1.0)
    }

    fn in_the_way(&self, azimuth_deg: f64, solar_h: f64, after_s: f64) -> f64 {
        self.happens.iter().fold(1.0, |share, one| match one {
            Happens::Shade { from_deg, to_deg, share: through } if (*from_deg..*to_deg).contains(&azimuth_deg) => share * through,
            Happens::SnowUntil { solar_h: until_h } if solar_h < *until_h => share * 0.04,
            Happens::Soils { per_day } => share * (1.0 - per_day * after_s / 86_400.0),
            Happens::Clouds { .. }
            | Happens::Shade { .. }
            | Happens::ControllerAmps { .. }
            | Happens::Port { .. }
            | Happens::FullAfter { .. }
            | Happens::Hunts { .. }
            | Happens::SnowUntil { .. }
            | Happens::Gap { .. }
            | Happens::StartsAt { .. } => share,
        })
    }

    fn is_missing(&self, solar_h: f64) -> bool {
        self.happens.iter().any(|one| matches!(one, Happens::Gap { from_h, to_h } if (*from_h..*to_h).contains(&solar_h)))
    }
}
