//! Will it keep up? A load, a battery and an array through years of days; and what an array gives by month, at several places.

use crate::door::typed::{Notes, Pairs, number, value};
use crate::draw::store_of_charge;
use crate::error::AppError;
use crate::figures::{between, computed, month_name, percent, rough};
use crate::frame::Frame;
use crate::heavy;
use crate::pages::plan::tilt::ask::usual_sky;
use crate::state::AppState;
use crate::views::measured::measured;
use askama::Template;
use askama_web::WebTemplate;
use axum::extract::{Query, State};
use flindo_core::energy::climate::{CLIMATES, Climate, usual_months_c};
use flindo_core::energy::epw;
use flindo_core::energy::keep_up::{Answer, Bank, Load, Question, Sky, keep_up};
use flindo_core::energy::planned::{
    Air, AirYear, PlannedArray, USUAL_GAMMA_PER_K, USUAL_NOCT_C, USUAL_SYSTEM_SHARE, month_interval,
};
use flindo_core::energy::tilt_year::{Light, Year};
use flindo_core::gear::Gear;
use flindo_core::gear::battery::Chemistry;
use flindo_core::sky::aim::usual_plane;
use flindo_core::sky::clear_sky::Irradiance;
use flindo_core::sky::course::Site;
use flindo_core::sky::plane::Plane;
use flindo_store::{PlaceRow, Store, WeatherRow};
use jiff::Timestamp;
use std::ops::RangeInclusive;

#[derive(Template, WebTemplate)]
#[template(path = "keep_up.html")]
pub struct KeepUpPage {
    frame: Frame,
    typed: Pairs,
    notes: Notes,
    panels: Vec<(i64, String)>,
    batteries: Vec<(i64, String)>,
    weathers: Vec<(i64, String)>,
    answer: Option<Shown>,
    /// Names, and a row for each month and the year: what, kWh by place.
    place_names: Vec<String>,
    place_months: Vec<(String, Vec<String>)>,
    assumed: Vec<String>,
}

struct Shown {
    word: String,
    facts: Vec<(&'static str, String)>,
    /// Month, array a day, load a day, years flat, days flat.
    months: Vec<[String; 5]>,
    svg: String,
}

impl KeepUpPage {
    fn value(&self, name: &str) -> &str {
        value(&self.typed, name)
    }

    fn is_chosen(&self, name: &str, id: &i64) -> bool {
        self.value(name) == id.to_string()
    }

    fn climates(&self) -> &'static [Climate] {
        &CLIMATES
    }
}

/// What a question is checked to.
struct Asked {
    site: Site,
    utc_offset_h: f64,
    sky: SkyOf,
    air: AirYear,
    array: PlannedArray,
    watts_u_percent: f64,
    load: Load,
    bank: Bank,
}

enum SkyOf {
    Climate(&'static Climate),
    Weather { hours: Vec<Irradiance>, air_c: Vec<f64> },
}

pub async fn page(State(state): State<AppState>, frame: Frame, Query(mut typed): Query<Pairs>) -> Result<KeepUpPage, AppError> {
    let register = state.store.register().await?;
    let mut notes = Notes::default();
    let weathers = state.store.weathers().await?;
    let usual = usual(&frame, &weathers);
    for (name, text) in &usual {
        if !typed.iter().any(|(field, _)| field == name) {
            typed.push((name.clone(), text.clone()));
        }
    }
    let mut assumed = Vec::new();
    let places = register.places.clone();
    let asked = match frame.place.clone() {
        Some(place) => asked(&state, &place, &mut typed, &mut notes, &mut assumed).await?,
        None => None,
    };
    let (mut answer, mut by_place) = (None, Vec::new());
    if let Some(asked) = asked.filter(|_| !notes.has("refused")) {
        let worked = heavy::run(move |_| work_out(&asked, &places)).await?;
        match worked {
            Ok((found, months, load_wh)) => {
                answer = Some(shown(&found, load_wh));
                by_place = months;
            }
            Err(error) => notes.add("watts", "refused", format!("{error}.")),
        }
    }
    let panels = register.panels.iter().map(|panel| (panel.id, format!("{} \u{b7} {}", panel.draft.tag, panel.name()))).collect();
    let battery = |row: &&flindo_store::GearRow| matches!(row.gear, Gear::Battery(_));
    let batteries = register.gear.iter().filter(battery).map(|row| (row.id, row.draft.name.clone())).collect();
    let weathers = weathers.into_iter().map(|row| (row.id, row.name)).collect();
    let place_names = by_place.iter().map(|place| place.0.clone()).collect();
    let mut place_months: Vec<(String, Vec<String>)> =
        (0..12).map(|month| (month_name(month), by_place.iter().map(|place| place.1[month].clone()).collect())).collect();
    place_months.push(("Year".to_owned(), by_place.iter().map(|place| place.2.clone()).collect()));
    Ok(KeepUpPage { frame, typed, notes, panels, batteries, weathers, answer, place_names, place_months, assumed })
}

/// Where no place is known: the coldest and the hottest month of one that runs from -5 to 40 C.
const USUAL_MONTHS_C: RangeInclusive<f64> = 5.0..=25.0;

fn usual(frame: &Frame, weathers: &[WeatherRow]) -> Pairs {
    let place = frame.place.as_ref().map(|place| &place.draft);
    let text = |name: &str, value: String| (name.to_owned(), value);
    let plane = usual_plane(place.map(|place| &place.place));
    let months_c = place.map_or(USUAL_MONTHS_C, |place| usual_months_c(place.coldest_c, place.hottest_c));
    vec![
        text("tilt_deg", plane.tilt_deg.to_string()),
        text("azimuth_deg", plane.azimuth_deg.to_string()),
        text("spot_percent", "100".to_owned()),
        text("sky", usual_sky(place.map(|place| &place.place), weathers)),
        text("load", "duty".to_owned()),
        text("running_w", "45".to_owned()),
        text("day_percent", "40".to_owned()),
        text("night_percent", "25".to_owned()),
        text("per_day", "100".to_owned()),
        text("wh_each", "0.02".to_owned()),
        text("idle_w", "0.05".to_owned()),
        text("count", "1".to_owned()),
        text("usable_percent", "80".to_owned()),
        text("coldest_month_c", months_c.start().round().to_string()),
        text("hottest_month_c", months_c.end().round().to_string()),
    ]
}

async fn asked(
    state: &AppState,
    place: &PlaceRow,
    typed: &mut Pairs,
    notes: &mut Notes,
    assumed: &mut Vec<String>,
) -> Result<Option<Asked>, AppError> {
    let register = state.store.register().await?;
    let panel = value(typed, "panel").parse::<i64>().ok().and_then(|id| register.panel(id)).or(register.panels.first());
    if let Some(panel) = panel
        && value(typed, "panel").is_empty()
    {
        typed.push(("panel".to_owned(), panel.id.to_string()));
        typed.retain(|(name, text)| name != "panel" || !text.is_empty());
    }
    let of = |field: &'static str, range, notes: &mut Notes| number(typed, field, range, notes);
    let count = of("count", (1.0, 1000.0), notes).unwrap_or(1.0);
    let typed_w = of("watts", (0.1, 1e6), notes);
    let (stc_w, watts_u_percent) = match (typed_w, panel) {
        (Some(watts), _) => (watts, 3.0),
        (None, Some(panel)) => match (measured(state, panel.tag()).await?, panel.label().rated_w) {
            (Some((watts, u)), _) => (watts * count, u),
            (None, Some(rated_w)) => {
                assumed.push(format!("{}: no rating measured yet, so that the label\u{2019}s watts stand.", panel.draft.tag));
                (rated_w * count, 5.0)
            }
            (None, None) => {
                notes.add("watts", "refused", format!("Nobody has read the label of {}: type its watts.", panel.draft.tag));
                return Ok(None);
            }
        },
        (None, None) => {
            notes.add("watts", "refused", "Add a panel first, or type its watts.".to_owned());
            return Ok(None);
        }
    };
    let label = panel.map(|panel| panel.label());
    let spot = of("spot_percent", (1.0, 120.0), notes).unwrap_or(100.0);
    let plane = Plane {
        tilt_deg: of("tilt_deg", (0.0, 90.0), notes).unwrap_or(35.0),
        azimuth_deg: of("azimuth_deg", (0.0, 360.0), notes).unwrap_or(180.0),
    };
    let system = of("system_percent", (10.0, 100.0), notes).map_or(USUAL_SYSTEM_SHARE, |percent| percent / 100.0);
    let array = PlannedArray {
        stc_w,
        spot_share: spot / 100.0,
        plane,
        gamma_per_k: label.map_or(USUAL_GAMMA_PER_K, |label| label.gamma().per_k),
        noct_c: label.and_then(|label| label.noct_c).unwrap_or(USUAL_NOCT_C),
        system_share: system,
        most_w: of("most_w", (1.0, 1e6), notes),
    };
    let Some(load) = load(typed, notes) else { return Ok(None) };
    if load.daily_wh() == 0.0 && !notes.has("refused") {
        let field = match load {
            Load::ByHour(_) => "by_hour",
            Load::Events { .. } => "per_day",
            Load::Duty { .. } => "running_w",
        };
        notes.add(field, "refused", "This load takes nothing: what does it take, and how long?".to_owned());
        return Ok(None);
    }
    let Some(bank) = bank(&register.gear, typed, notes, assumed) else { return Ok(None) };
    let Some((sky, utc_offset_h)) = sky(&state.store, typed, place, notes).await? else { return Ok(None) };
    let air = AirYear {
        coldest_month_c: of("coldest_month_c", (-40.0, 40.0), notes).unwrap_or(*USUAL_MONTHS_C.start()),
        hottest_month_c: of("hottest_month_c", (-20.0, 50.0), notes).unwrap_or(*USUAL_MONTHS_C.end()),
        is_south: place.draft.place.lat_deg < 0.0,
    };
    Ok(Some(Asked { site: place.draft.site(), utc_offset_h, sky, air, array, watts_u_percent, load, bank }))
}

fn load(typed: &Pairs, notes: &mut Notes) -> Option<Load> {
    match value(typed, "load") {
        "hours" => {
            let text = value(typed, "by_hour");
            let figures: Vec<f64> = text
                .split(|c: char| c.is_whitespace() || c == ';')
                .filter(|part| !part.is_empty())
                .filter_map(|part| part.replace(',', ".").parse().ok())
                .collect();
            let hours: Option<[f64; 24]> = match figures.len() {
                1 => Some([figures[0]; 24]),
                24 => figures.try_into().ok(),
                _ => None,
            };
            let hours = hours.filter(|hours| hours.iter().all(|watts| (0.0..=1e6).contains(watts)));
            if hours.is_none() {
                notes.add("by_hour", "refused", "Write 24 figures, W from 0 to 1 h on, or one for all hours.".to_owned());
            }
            hours.map(Load::ByHour)
        }
        "events" => Some(Load::Events {
            per_day: number(typed, "per_day", (0.0, 100_000.0), notes).unwrap_or(0.0),
            wh_each: number(typed, "wh_each", (0.0, 10_000.0), notes).unwrap_or(0.0),
            idle_w: number(typed, "idle_w", (0.0, 10_000.0), notes).unwrap_or(0.0),
        }),
        "duty" => Some(Load::Duty {
            running_w: number(typed, "running_w", (0.0, 100_000.0), notes).unwrap_or(0.0),
            day_percent: number(typed, "day_percent", (0.0, 100.0), notes).unwrap_or(0.0),
            night_percent: number(typed, "night_percent", (0.0, 100.0), notes).unwrap_or(0.0),
        }),
        other => {
            notes.add("load", "refused", format!("\u{201c}{other}\u{201d} is none of the loads: choose one."));
            None
        }
    }
}

fn bank(gear: &[flindo_store::GearRow], typed: &Pairs, notes: &mut Notes, assumed: &mut Vec<String>) -> Option<Bank> {
    let named = value(typed, "battery").parse::<i64>().ok().and_then(|id| gear.iter().find(|row| row.id == id));
    let battery = named.and_then(|row| if let Gear::Battery(battery) = &row.gear { Some(battery) } else { None });
    let typed_wh = number(typed, "capacity_wh", (0.1, 1e7), notes);
    let own_wh = battery.and_then(|battery| Some(battery.capacity_ah? * battery.nominal_v));
    let capacity_wh = typed_wh.or(own_wh).unwrap_or_else(|| {
        assumed.push("No battery chosen: 1,200 Wh of lithium iron phosphate stand for it.".to_owned());
        1200.0
    });
    let chemistry = battery.map_or(Chemistry::LithiumIronPhosphate, |battery| battery.chemistry);
    Some(Bank {
        capacity_wh,
        usable_share: number(typed, "usable_percent", (1.0, 100.0), notes).unwrap_or(80.0) / 100.0,
        chemistry,
        most_charge_w: battery.and_then(|battery| Some(battery.max_charge_a? * battery.nominal_v)),
        lowest_charge_c: battery.map_or(chemistry.usual_lowest_charge_c(), |battery| battery.lowest_charge_c),
        efficiency: Bank::usual_efficiency(chemistry),
    })
}

async fn sky(store: &Store, typed: &Pairs, place: &PlaceRow, notes: &mut Notes) -> Result<Option<(SkyOf, f64)>, AppError> {
    let choice = value(typed, "sky");
    if let Some(id) = choice.strip_prefix("weather:").and_then(|id| id.parse().ok()) {
        return match epw::parse(&store.weather_file(id).await?) {
            Ok(weather) => {
                let sky = SkyOf::Weather { hours: weather.hours, air_c: weather.air_c };
                Ok(Some((sky, weather.utc_offset_h)))
            }
            Err(sentence) => {
                notes.add("sky", "refused", sentence);
                Ok(None)
            }
        };
    }
    let climate = choice.strip_prefix("climate:").and_then(|name| CLIMATES.iter().find(|climate| climate.name == name));
    let Some(climate) = climate else {
        notes.add("sky", "refused", format!("\u{201c}{choice}\u{201d} is not one of the choices."));
        return Ok(None);
    };
    // Solar hours are near enough for a load by the hour: the zone's own offset to the hour.
    Ok(Some((SkyOf::Climate(climate), (place.draft.place.lon_deg / 15.0).round())))
}

type Worked = (Answer, Vec<(String, Vec<String>, String)>, f64);

fn work_out(asked: &Asked, places: &[PlaceRow]) -> Result<Worked, flindo_core::error::Error> {
    let year = Timestamp::now().to_zoned_datetime(jiff::tz::TimeZone::UTC).year();
    let air = match &asked.sky {
        SkyOf::Climate(_) => Air::Months(asked.air),
        SkyOf::Weather { air_c, .. } => Air::Hours(air_c),
    };
    let question = Question {
        site: &asked.site,
        utc_offset_h: asked.utc_offset_h,
        year,
        sky: match &asked.sky {
            SkyOf::Climate(climate) => Sky::Climate(climate.clearness(asked.site.place.lat_deg)),
            SkyOf::Weather { hours, .. } => Sky::Weather(hours),
        },
        air,
        array: asked.array,
        load: asked.load,
        bank: asked.bank,
    };
    let found = keep_up(&question)?;
    let mut by_place = Vec::new();
    for place in places {
        let clearness;
        let light = match &asked.sky {
            SkyOf::Climate(climate) => {
                clearness = climate.clearness(place.draft.place.lat_deg);
                Light::Clearness { by_month: &clearness }
            }
            // A file is of one place.
            SkyOf::Weather { hours, .. } if place.draft.place == asked.site.place => Light::Hours(hours),
            SkyOf::Weather { .. } => continue,
        };
        let offset_h = (place.draft.place.lon_deg / 15.0).round();
        let of_place = Year::of(&place.draft.place, offset_h, year, light, place.draft.ground.albedo())?;
        let air = match air {
            Air::Months(year) => Air::Months(AirYear { is_south: place.draft.place.lat_deg < 0.0, ..year }),
            Air::Hours(hours) => Air::Hours(hours),
        };
        let months = asked.array.monthly_kwh(&of_place, &air);
        let words = months.iter().map(|kwh| rough(*kwh, "").value).collect();
        by_place.push((
            place.draft.name.clone(),
            words,
            between(month_interval(months.iter().sum(), asked.watts_u_percent), "kWh"),
        ));
    }
    Ok((found, by_place, asked.bank.capacity_wh))
}

fn shown(found: &Answer, capacity_wh: f64) -> Shown {
    let word = if found.keeps_up() {
        format!("Keeps up in all {} years", found.years)
    } else {
        let worst = (0..12).max_by(|a, b| found.flat_years_percent[*a].total_cmp(&found.flat_years_percent[*b])).unwrap_or(0);
        let years = (found.flat_years_percent[worst] / 100.0 * found.years as f64).round();
        format!("Goes flat: empty at least once in {years} of {} {}s", found.years, month_name(worst))
    };
    let enough = |value: Option<f64>, unit: &'static str| {
        value.map_or_else(|| "not with 30 times as much".to_owned(), |value| rough(value, unit).to_string())
    };
    let frost = found.frost_days.iter().sum::<f64>();
    let mut facts = vec![
        ("Load", format!("{} a day", computed(found.load_wh, "Wh"))),
        ("Days without sun from a full battery", rough(found.days_of_autonomy, "days").to_string()),
        ("Load not met", format!("{} of the energy", percent(found.unmet_percent))),
        ("Enough array, with this battery", enough(found.enough_w, "W")),
        ("Enough battery, with this array", format!("{} (now {})", enough(found.enough_wh, "Wh"), rough(capacity_wh, "Wh"))),
    ];
    if frost > 0.0 {
        let flat = (0..12).filter(|month| found.frost_days[*month] > 0.0).map(|month| found.flat_days[month]).sum::<f64>();
        let months = if flat > 0.0 { format!("; {} flat in those months", rough(flat, "days")) } else { String::new() };
        facts.push(("Too cold to charge", format!("{} a year{months}", rough(frost, "days"))));
    }
    let months = (0..12)
        .map(|month| {
            [
                month_name(month),
                computed(found.array_wh[month], "Wh").to_string(),
                computed(found.load_wh, "Wh").to_string(),
                rough(found.flat_years_percent[month], "%").to_string(),
                rough(found.flat_days[month], "days").to_string(),
            ]
        })
        .collect();
    Shown { word, facts, months, svg: store_of_charge::draw(&found.worst_year_percent) }
}
