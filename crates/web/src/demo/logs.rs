//! Logs of the demo: one day of two controllers on equal panels, one of which does not track, and the battery of the other full in the
//! afternoon.

use flindo_core::simulate::day::{Happens, LoggedRig};
use flindo_store::{Belongs, NewSample, Store, StoreError};
use jiff::Timestamp;

/// 2026-09-18, midnight to midnight by the clock of the workshop (UTC+1).
const BEGIN_S: f64 = 1_789_686_000.0;
const END_S: f64 = BEGIN_S + 86_400.0;

pub async fn fill(store: &Store, place_id: i64) -> Result<(), StoreError> {
    let place = store.place(place_id).await?;
    let panels = store.panels().await?;
    let (tilt_deg, azimuth_deg) = (35.0, 180.0);
    let clouds = Happens::Clouds { count: 3, share: 0.4 };
    for (name, tag, tracks, happens) in [
        ("Lathe 30, array and battery side", "S-1", true, vec![clouds, Happens::FullAfter { wh: 690.0 }]),
        ("Gimlet 20, array and battery side", "S-2", false, vec![clouds]),
    ] {
        let panel = panels.iter().find(|panel| panel.tag() == tag).ok_or(StoreError::NotFound("panel"))?;
        let rig = LoggedRig {
            site: place.draft.site(),
            plane: flindo_core::sky::plane::Plane { tilt_deg, azimuth_deg },
            rated_w: 200.0,
            own_share: 0.97,
            gamma_per_k: -0.0036,
            air_c: 24.0,
            battery_v: 12.6,
            tracks,
            happens,
            every_s: 60.0,
            with_irradiance: tracks,
            with_temperatures: tracks,
            noise_rel: 0.002,
            seed: 11,
        };
        let made = rig.samples(BEGIN_S, END_S - 60.0).map_err(|error| StoreError::Corrupt(format!("the demo's log: {error}")))?;
        let samples: Vec<NewSample> = made
            .into_iter()
            .map(|(quantity, at_s, value)| NewSample {
                quantity,
                at_ms: (at_s * 1000.0) as i64,
                value: (value * 1000.0).round() / 1000.0,
            })
            .collect();
        let at = |unix_s: f64| Timestamp::from_second(unix_s as i64).map_err(|_| StoreError::NotFound("time"));
        let id = store.begin_log(None, None, name, at(BEGIN_S)?).await?;
        store.add_samples(id, &samples).await?;
        store.end_log(id, at(END_S)?).await?;
        let belongs = Belongs {
            panel_id: Some(panel.id),
            place_id: Some(place_id),
            tilt_deg: Some(tilt_deg),
            azimuth_deg: Some(azimuth_deg),
            ..Belongs::default()
        };
        store.bind_log(id, &belongs).await?;
    }
    Ok(())
}
