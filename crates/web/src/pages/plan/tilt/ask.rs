//! What the planner is asked, as typed and as checked.

use crate::door::typed::{Notes, Pairs, needed_number, value};
use flindo_core::decimal::Decimal;
use flindo_core::energy::climate::{CLIMATES, USUAL_CLIMATE, weather_of};
use flindo_core::energy::hardware::Hardware;
use flindo_core::sky::aim::usual_plane;
use flindo_core::sky::place::Place;
use flindo_store::{PlaceRow, WeatherRow};

/// Where the light of the year comes from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum SkyChoice {
    Clear,
    /// By month, of the light above the air.
    Climate([f64; 12]),
    Weather(i64),
}

/// The question, checked.
#[derive(Debug, Clone, PartialEq)]
pub struct Question {
    pub azimuth_deg: f64,
    pub tilt_deg: f64,
    pub sky: SkyChoice,
    pub array_w: f64,
    /// 0 to 0.9.
    pub loss_rel: f64,
    pub hardware: Hardware,
    /// 0 to 11.
    pub month: u8,
}

/// The fields as typed, with what is wrong beside them.
pub struct Asked {
    typed: Pairs,
    pub notes: Notes,
    question: Option<Question>,
}

/// The sky of a place where nobody chose one: its weather file, or else the usual climate.
pub fn usual_sky(place: Option<&Place>, weathers: &[WeatherRow]) -> String {
    let stations = || weathers.iter().map(|row| (row.id, row.lat_deg, row.lon_deg));
    match place.and_then(|place| weather_of(place, stations())) {
        Some(id) => format!("weather:{id}"),
        None => format!("climate:{USUAL_CLIMATE}"),
    }
}

impl Asked {
    /// Reads the fields; what was not sent takes its usual value.
    pub fn read(mut typed: Pairs, place: &PlaceRow, weathers: &[WeatherRow]) -> Self {
        let plane = usual_plane(Some(&place.draft.place));
        let usual = [
            ("azimuth_deg", plane.azimuth_deg.to_string()),
            ("tilt_deg", plane.tilt_deg.to_string()),
            ("sky", usual_sky(Some(&place.draft.place), weathers)),
            ("clearness", String::new()),
            ("array_w", "400".to_owned()),
            ("loss_percent", "14".to_owned()),
            ("price", "120".to_owned()),
            ("minutes_per_change", "20".to_owned()),
            ("hour_price", "12".to_owned()),
            ("kwh_price", "0.25".to_owned()),
            ("month", "12".to_owned()),
            ("changes", "2".to_owned()),
        ];
        for (name, text) in usual {
            if !typed.iter().any(|(key, _)| key == name) {
                typed.push((name.to_owned(), text));
            }
        }
        let mut notes = Notes::default();
        let question = check(&typed, place.draft.place.lat_deg, &mut notes);
        Asked { typed, notes, question }
    }

    pub fn question(&self) -> Option<Question> {
        self.question.clone()
    }

    pub fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    pub fn changes(&self) -> usize {
        self.value("changes").parse().unwrap_or(2)
    }

    /// The question as a query, for the calendar file.
    pub fn query(&self, changes: &usize) -> String {
        let fields = ["azimuth_deg", "sky", "clearness"].map(|name| format!("{name}={}", encode(self.value(name))));
        format!("{}&changes={changes}", fields.join("&"))
    }
}

/// Percent-encodes what a query may not hold.
fn encode(text: &str) -> String {
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"-._~:".contains(&byte);
    text.bytes().map(|byte| if plain(byte) { char::from(byte).to_string() } else { format!("%{byte:02X}") }).collect()
}

fn check(typed: &Pairs, lat_deg: f64, notes: &mut Notes) -> Option<Question> {
    let azimuth = flindo_core::units::azimuth_deg(value(typed, "azimuth_deg"));
    if azimuth.is_none() {
        notes.add("azimuth_deg", "refused", "Write degrees from north, or a word such as S.".to_owned());
    }
    let tilt_deg = needed_number(typed, "tilt_deg", (0.0, 90.0), notes);
    let array_w = needed_number(typed, "array_w", (1.0, 1e7), notes);
    let loss_percent = needed_number(typed, "loss_percent", (0.0, 90.0), notes);
    let price = needed_number(typed, "price", (0.0, 1e6), notes);
    let minutes_per_change = needed_number(typed, "minutes_per_change", (0.0, 1440.0), notes);
    let hour_price = needed_number(typed, "hour_price", (0.0, 1e5), notes);
    let kwh_price = needed_number(typed, "kwh_price", (0.0, 100.0), notes);
    let month = needed_number(typed, "month", (1.0, 12.0), notes);
    let sky = sky(typed, lat_deg, notes);
    if notes.has("refused") {
        return None;
    }
    Some(Question {
        azimuth_deg: azimuth?,
        tilt_deg: tilt_deg?,
        sky: sky?,
        array_w: array_w?,
        loss_rel: loss_percent? / 100.0,
        hardware: Hardware {
            price: price?,
            minutes_per_change: minutes_per_change?,
            hour_price: hour_price?,
            kwh_price: kwh_price?,
        },
        month: month? as u8 - 1,
    })
}

fn sky(typed: &Pairs, lat_deg: f64, notes: &mut Notes) -> Option<SkyChoice> {
    let choice = value(typed, "sky");
    let own = value(typed, "clearness").trim();
    if choice == "clear" {
        return Some(SkyChoice::Clear);
    }
    if let Some(id) = choice.strip_prefix("weather:") {
        let id = id.parse().ok();
        if id.is_none() {
            notes.add("sky", "refused", "Choose one of the skies.".to_owned());
        }
        return id.map(SkyChoice::Weather);
    }
    if choice == "own" {
        let numbers: Result<Vec<f64>, _> = own.split_whitespace().map(|text| Decimal::parse(text).map(Decimal::value)).collect();
        let twelve = numbers.ok().and_then(|numbers| <[f64; 12]>::try_from(numbers).ok());
        let sound = twelve.filter(|months| months.iter().all(|share| (0.05..=0.85).contains(share)));
        if sound.is_none() {
            notes.add(
                "clearness",
                "refused",
                "Write twelve shares of 0.05 to 0.85, January first, with spaces between.".to_owned(),
            );
        }
        return sound.map(SkyChoice::Climate);
    }
    let climate = choice.strip_prefix("climate:").and_then(|name| CLIMATES.iter().find(|climate| climate.name == name));
    if climate.is_none() {
        notes.add("sky", "refused", "Choose one of the skies.".to_owned());
    }
    climate.map(|climate| SkyChoice::Climate(climate.clearness(lat_deg)))
}
