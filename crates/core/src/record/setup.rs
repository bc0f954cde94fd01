//! The set-up of a test: aim, load, and what tells the sun and the cell temperature. It decides what a reading can prove.

use crate::form::{FieldNote, FieldNotes, form};
use crate::gear::controller::Controller;
use crate::measure::entry::Meaning;
use crate::measure::instrument::{Accuracy, Instruments};
use crate::measure::quantity::{Quantity, UnsteadyPolicy};
use crate::named::named;
use crate::panel::face::Mounting;
use crate::sky::plane::Plane;
use crate::units::azimuth_deg;

/// What the panel works into.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Load {
    /// A load that finds the maximum power point and stops there.
    #[default]
    LoadTester,
    /// A tracking charge controller; it sits near the peak, not on it, and may be limited by its battery.
    TrackingController,
    /// A tracking controller that comes down from open circuit and stays on the first local maximum worth the name; under shade that
    /// may be far below the best.
    LocalTrackingController,
    /// A controller that ties the panel to the battery's volts: what it takes is not the panel's best.
    PwmController,
    /// Nothing: a multimeter reads Voc and Isc, one after the other.
    MultimeterOnly,
}

impl Load {
    /// It seeks the maximum power point for a battery, over the whole curve or not.
    pub fn is_tracking_controller(self) -> bool {
        matches!(self, Load::TrackingController | Load::LocalTrackingController)
    }

    /// How a controller loads the panels.
    pub fn of(controller: &Controller) -> Self {
        match (controller.tracking, controller.is_local) {
            (true, false) => Load::TrackingController,
            (true, true) => Load::LocalTrackingController,
            (false, _) => Load::PwmController,
        }
    }

    /// It charges a battery, and may be limited by it.
    pub fn is_charging(self) -> bool {
        self.is_tracking_controller() || self == Load::PwmController
    }
}

/// What tells the strength of the sun.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum IrradianceSource {
    #[default]
    PlaneMeter,
    /// A meter lying flat; brought onto the plane through the sun's place and Erbs' split.
    FlatMeter,
    /// A panel or cell of known short-circuit current or power, in the plane beside the panel under test.
    Reference,
    /// The model of a clear sky over the bench, with the sky as noted.
    ClearSky,
    Nothing,
}

/// A reference panel or cell, as it was calibrated.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reference {
    pub by: ReferenceBy,
    /// Within which the calibration holds, percent of it either way; 0.1 to 20.
    pub limit_percent: f64,
}

/// What of a reference is read, with its figure at STC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ReferenceBy {
    Isc { isc_a: f64 },
    Power { pmax_w: f64 },
}

/// The calibration of a reference that nobody stated, percent: a panel with its label, or a cell with a certificate of some years. Common
/// practice, no source.
pub const USUAL_REFERENCE_PERCENT: f64 = 2.0;

/// What tells the temperature of the cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum CellTemperatureSource {
    /// A probe taped to the back of the module, behind a cell.
    #[default]
    BackProbe,
    /// An infrared thermometer held at the glass or the back.
    Infrared,
    /// The air in the shade, and the NOCT of the label.
    Air,
    /// The panel's own open-circuit voltage, which then proves nothing about itself.
    OwnVoc,
    Nothing,
}

named!(Load {
    LoadTester = "load_tester", "load tester";
    TrackingController = "tracking_controller", "tracking controller";
    LocalTrackingController = "local_tracking_controller", "tracking controller that stays on a local maximum";
    PwmController = "tied_controller", "non-tracking (PWM) controller";
    MultimeterOnly = "multimeter_only", "multimeter only (Voc and Isc)";
});

named!(IrradianceSource {
    PlaneMeter = "plane_meter", "meter in the plane";
    FlatMeter = "flat_meter", "horizontal meter";
    Reference = "reference", "reference panel or cell";
    ClearSky = "clear_sky", "clear-sky model";
    Nothing = "nothing", "not measured";
});

named!(CellTemperatureSource {
    BackProbe = "back_probe", "probe on the back";
    Infrared = "infrared", "infrared thermometer";
    Air = "air", "air temperature and NOCT";
    OwnVoc = "own_voc", "the panel's own Voc";
    Nothing = "nothing", "not measured";
});

/// The conditions of a test of one panel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Setup {
    /// From flat, 0 to 90.
    pub tilt_deg: f64,
    /// From north, clockwise, 0 to below 360.
    pub azimuth_deg: f64,
    pub load: Load,
    pub irradiance_source: IrradianceSource,
    pub cell_temperature: CellTemperatureSource,
    pub unsteady: UnsteadyPolicy,
    pub instruments: Instruments,
    /// Its Isc at STC, A, or its maximum power at STC, W, of a reference panel or cell; see [`Setup::reference`].
    pub reference_isc_a: Option<f64>,
    pub reference_pmax_w: Option<f64>,
    /// See [`Reference::limit_percent`].
    pub reference_percent: Option<f64>,
    /// Which way round the panel stands: what a strip of shade covers depends on it.
    pub mounting: Mounting,
}

impl Default for Setup {
    fn default() -> Self {
        Setup {
            tilt_deg: 35.0,
            azimuth_deg: 180.0,
            load: Load::default(),
            irradiance_source: IrradianceSource::default(),
            cell_temperature: CellTemperatureSource::default(),
            unsteady: UnsteadyPolicy::default(),
            instruments: Instruments::default(),
            reference_isc_a: None,
            reference_pmax_w: None,
            reference_percent: None,
            mounting: Mounting::default(),
        }
    }
}

impl Setup {
    /// What figures without a name mean in this test.
    pub fn meaning(&self) -> Meaning {
        let (volts, amps) = match self.load {
            Load::MultimeterOnly => (Quantity::Voc, Quantity::Isc),
            Load::LoadTester | Load::TrackingController | Load::LocalTrackingController | Load::PwmController => {
                (Quantity::Voltage, Quantity::Current)
            }
        };
        let degrees = match self.cell_temperature {
            CellTemperatureSource::BackProbe => Quantity::Back,
            CellTemperatureSource::Infrared | CellTemperatureSource::OwnVoc | CellTemperatureSource::Nothing => Quantity::Cell,
            CellTemperatureSource::Air => Quantity::Air,
        };
        let light = if self.irradiance_source == IrradianceSource::FlatMeter { Quantity::Ghi } else { Quantity::Poa };
        Meaning { volts, amps, degrees, light }
    }

    /// The reference that tells the light of this test, where it is one: by its amps, or by its watts where no Isc is stated.
    pub fn reference(&self) -> Option<Reference> {
        if self.irradiance_source != IrradianceSource::Reference {
            return None;
        }
        let by_isc = self.reference_isc_a.map(|isc_a| ReferenceBy::Isc { isc_a });
        let by = by_isc.or(self.reference_pmax_w.map(|pmax_w| ReferenceBy::Power { pmax_w }))?;
        Some(Reference { by, limit_percent: self.reference_percent.unwrap_or(USUAL_REFERENCE_PERCENT) })
    }

    /// How the panel stands.
    pub fn plane(&self) -> Plane {
        Plane { tilt_deg: self.tilt_deg, azimuth_deg: self.azimuth_deg }
    }

    /// Units of the figures that a reading of this test can have, the likeliest first.
    pub fn units_read(&self) -> Vec<&'static str> {
        let electric: &[&str] = match self.load {
            Load::MultimeterOnly => &["V", "A"],
            Load::LoadTester | Load::TrackingController | Load::LocalTrackingController | Load::PwmController => {
                &["W", "V", "A", "Wh"]
            }
        };
        let light: &[&str] = match self.irradiance_source {
            IrradianceSource::PlaneMeter | IrradianceSource::FlatMeter => &["W/m2"],
            IrradianceSource::Reference | IrradianceSource::ClearSky | IrradianceSource::Nothing => &[],
        };
        let warmth: &[&str] = match self.cell_temperature {
            CellTemperatureSource::BackProbe | CellTemperatureSource::Infrared | CellTemperatureSource::Air => &["C"],
            CellTemperatureSource::OwnVoc | CellTemperatureSource::Nothing => &[],
        };
        [electric, light, warmth].concat()
    }

    /// A line that would be a whole reading in this test, to show what to type.
    pub fn example(&self) -> String {
        let electric = match self.load {
            Load::MultimeterOnly => "Voc 22.1 Isc 5.9",
            Load::PwmController => "13.6 V 5.8 A",
            Load::LoadTester | Load::TrackingController | Load::LocalTrackingController => "18.4 V 5.6 A",
        };
        let light = match self.irradiance_source {
            IrradianceSource::PlaneMeter | IrradianceSource::FlatMeter => " 880 W/m2",
            IrradianceSource::Reference if self.reference_isc_a.is_some() => " ref 5.2 A ref 48 C",
            IrradianceSource::Reference => " ref 88 W ref 48 C",
            IrradianceSource::ClearSky => " clear",
            IrradianceSource::Nothing => "",
        };
        let cell_temperature = match self.cell_temperature {
            CellTemperatureSource::BackProbe | CellTemperatureSource::Infrared => " 52 C",
            CellTemperatureSource::Air => " 24 C",
            CellTemperatureSource::OwnVoc if self.load != Load::MultimeterOnly => " Voc 22.1",
            CellTemperatureSource::OwnVoc | CellTemperatureSource::Nothing => "",
        };
        format!("{electric}{light}{cell_temperature}")
    }
}

form!(
    /// The fields of the set-up form, as typed.
    SetupTyped {
        tilt_deg,
        azimuth_deg,
        load,
        sun,
        cell_temperature,
        unsteady,
        volts_percent,
        volts_digits,
        amps_percent,
        amps_digits,
        watts_percent,
        watts_digits,
        sun_percent,
        thermometer_k,
        mounting,
        reference_isc_a,
        reference_pmax_w,
        reference_percent,
    }
);

impl SetupTyped {
    /// A set-up as it would be typed; [`check`] reads it back.
    pub fn of(setup: &Setup) -> Self {
        let gear = &setup.instruments;
        SetupTyped {
            tilt_deg: setup.tilt_deg.to_string(),
            azimuth_deg: setup.azimuth_deg.to_string(),
            load: setup.load.name().to_owned(),
            sun: setup.irradiance_source.name().to_owned(),
            cell_temperature: setup.cell_temperature.name().to_owned(),
            unsteady: setup.unsteady.name().to_owned(),
            volts_percent: gear.volts.percent.to_string(),
            volts_digits: gear.volts.digits.to_string(),
            amps_percent: gear.amps.percent.to_string(),
            amps_digits: gear.amps.digits.to_string(),
            watts_percent: gear.watts.percent.to_string(),
            watts_digits: gear.watts.digits.to_string(),
            sun_percent: gear.sun_percent.to_string(),
            thermometer_k: gear.thermometer_k.to_string(),
            mounting: setup.mounting.name().to_owned(),
            reference_isc_a: optional_text(setup.reference_isc_a),
            reference_pmax_w: optional_text(setup.reference_pmax_w),
            reference_percent: optional_text(setup.reference_percent),
        }
    }
}

fn optional_text(value: Option<f64>) -> String {
    value.map(|value| value.to_string()).unwrap_or_default()
}

/// Checks a set-up as typed. An empty field takes its default.
pub fn check(typed: &SetupTyped) -> Result<Setup, Vec<FieldNote>> {
    let usual = Setup::default();
    let gear = usual.instruments;
    let mut notes = FieldNotes::default();
    let azimuth = typed.azimuth_deg.trim();
    let azimuth_deg = if azimuth.is_empty() { Some(usual.azimuth_deg) } else { azimuth_deg(azimuth) };
    if azimuth_deg.is_none() {
        notes.add(
            "azimuth_deg",
            format!("\"{azimuth}\" is not a direction: write degrees from north (180 is south) or a word such as S or SSW."),
        );
    }
    let irradiance_source = notes.choice("sun", &typed.sun, IrradianceSource::from_name).unwrap_or_default();
    if irradiance_source == IrradianceSource::Reference
        && typed.reference_isc_a.trim().is_empty()
        && typed.reference_pmax_w.trim().is_empty()
    {
        notes.add(
            "reference_isc_a",
            "A reference needs its Isc at STC, or its watts: of its certificate or its label.".to_owned(),
        );
    }
    let setup = Setup {
        tilt_deg: notes.number("tilt_deg", &typed.tilt_deg, 0.0, 90.0).unwrap_or(usual.tilt_deg),
        azimuth_deg: azimuth_deg.unwrap_or(usual.azimuth_deg),
        load: notes.choice("load", &typed.load, Load::from_name).unwrap_or_default(),
        irradiance_source,
        reference_isc_a: notes.number("reference_isc_a", &typed.reference_isc_a, 0.001, 100.0),
        reference_pmax_w: notes.number("reference_pmax_w", &typed.reference_pmax_w, 0.01, 2000.0),
        reference_percent: notes.number("reference_percent", &typed.reference_percent, 0.1, 20.0),
        cell_temperature: notes
            .choice("cell_temperature", &typed.cell_temperature, CellTemperatureSource::from_name)
            .unwrap_or_default(),
        unsteady: notes.choice("unsteady", &typed.unsteady, UnsteadyPolicy::from_name).unwrap_or_default(),
        instruments: Instruments {
            volts: Accuracy {
                percent: notes.number("volts_percent", &typed.volts_percent, 0.0, 50.0).unwrap_or(gear.volts.percent),
                digits: notes.number("volts_digits", &typed.volts_digits, 0.0, 50.0).unwrap_or(gear.volts.digits),
            },
            amps: Accuracy {
                percent: notes.number("amps_percent", &typed.amps_percent, 0.0, 50.0).unwrap_or(gear.amps.percent),
                digits: notes.number("amps_digits", &typed.amps_digits, 0.0, 50.0).unwrap_or(gear.amps.digits),
            },
            watts: Accuracy {
                percent: notes.number("watts_percent", &typed.watts_percent, 0.0, 50.0).unwrap_or(gear.watts.percent),
                digits: notes.number("watts_digits", &typed.watts_digits, 0.0, 50.0).unwrap_or(gear.watts.digits),
            },
            sun_percent: notes.number("sun_percent", &typed.sun_percent, 0.1, 50.0).unwrap_or(gear.sun_percent),
            thermometer_k: notes.number("thermometer_k", &typed.thermometer_k, 0.1, 20.0).unwrap_or(gear.thermometer_k),
        },
        mounting: notes.choice("mounting", &typed.mounting, Mounting::from_name).unwrap_or_default(),
    };
    notes.give(setup)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::entry::understand;

    #[test]
    fn an_empty_form_is_the_usual_setup() {
        assert_eq!(check(&SetupTyped::default()), Ok(Setup::default()));
        assert_eq!(check(&SetupTyped::of(&Setup::default())), Ok(Setup::default()));
    }

    #[test]
    fn every_wrong_field_is_named() {
        let typed = SetupTyped {
            tilt_deg: "95".into(),
            azimuth_deg: "up".into(),
            load: "lamp".into(),
            sun_percent: "five".into(),
            ..SetupTyped::default()
        };
        let fields: Vec<_> = check(&typed).unwrap_err().into_iter().map(|note| note.field).collect();
        assert_eq!(fields, ["azimuth_deg", "tilt_deg", "load", "sun_percent"]);
    }

    #[test]
    fn the_example_of_every_setup_is_understood_in_it() {
        for &load in Load::ALL {
            for &cell_temperature in CellTemperatureSource::ALL {
                for &irradiance_source in IrradianceSource::ALL {
                    let setup = Setup { load, cell_temperature, irradiance_source, ..Setup::default() };
                    assert!(understand(&setup.example(), &setup.meaning()).is_ok(), "{}", setup.example());
                }
            }
        }
    }
}
