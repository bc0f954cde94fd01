//! Many moments of sky at once: the factors of [`SkyNow`] as arrays, so that one loop without a branch brings them onto a plane.

use super::plane::{PlaneReady, SkyNow};
use super::sun::Direction;

/// Skies in the order in which they were added.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Skies {
    up: Vec<f64>,
    north: Vec<f64>,
    east: Vec<f64>,
    beam_w_m2: Vec<f64>,
    circumsolar_w_m2: Vec<f64>,
    dome_w_m2: Vec<f64>,
    horizon_w_m2: Vec<f64>,
    ground_w_m2: Vec<f64>,
}

impl Skies {
    /// None yet, with room for so many.
    pub fn with_capacity(count: usize) -> Self {
        let room = || Vec::with_capacity(count);
        Skies {
            up: room(),
            north: room(),
            east: room(),
            beam_w_m2: room(),
            circumsolar_w_m2: room(),
            dome_w_m2: room(),
            horizon_w_m2: room(),
            ground_w_m2: room(),
        }
    }

    pub fn push(&mut self, sky: &SkyNow) {
        self.up.push(sky.toward.up);
        self.north.push(sky.toward.north);
        self.east.push(sky.toward.east);
        self.beam_w_m2.push(sky.beam_w_m2);
        self.circumsolar_w_m2.push(sky.circumsolar_w_m2);
        self.dome_w_m2.push(sky.dome_w_m2);
        self.horizon_w_m2.push(sky.horizon_w_m2);
        self.ground_w_m2.push(sky.ground_w_m2);
    }

    pub fn clear(&mut self) {
        let Skies { up, north, east, beam_w_m2, circumsolar_w_m2, dome_w_m2, horizon_w_m2, ground_w_m2 } = self;
        for factor in [up, north, east, beam_w_m2, circumsolar_w_m2, dome_w_m2, horizon_w_m2, ground_w_m2] {
            factor.clear();
        }
    }

    pub fn len(&self) -> usize {
        self.up.len()
    }

    pub fn is_empty(&self) -> bool {
        self.up.is_empty()
    }

    /// One of them, as it was added.
    pub fn get(&self, nth: usize) -> Option<SkyNow> {
        let of = |factor: &[f64]| factor.get(nth).copied();
        Some(SkyNow {
            toward: Direction { up: of(&self.up)?, north: of(&self.north)?, east: of(&self.east)? },
            beam_w_m2: of(&self.beam_w_m2)?,
            circumsolar_w_m2: of(&self.circumsolar_w_m2)?,
            dome_w_m2: of(&self.dome_w_m2)?,
            horizon_w_m2: of(&self.horizon_w_m2)?,
            ground_w_m2: of(&self.ground_w_m2)?,
        })
    }

    /// What falls on a plane under each of them, W/m2, written over `poa_w_m2`: [`SkyNow::onto`], the plain form, for all.
    pub fn onto(&self, plane: &PlaneReady, poa_w_m2: &mut Vec<f64>) {
        let count = self.len();
        poa_w_m2.clear();
        poa_w_m2.resize(count, 0.0);
        let PlaneReady { normal: Direction { up, north, east }, sin_tilt } = *plane;
        let (above, below) = (1.0 + up, 1.0 - up);
        // Slices of one length, so that no index is checked in the loop.
        let (sun_up, sun_north, sun_east) = (&self.up[..count], &self.north[..count], &self.east[..count]);
        let (beam, circumsolar, dome) = (&self.beam_w_m2[..count], &self.circumsolar_w_m2[..count], &self.dome_w_m2[..count]);
        let (horizon, ground) = (&self.horizon_w_m2[..count], &self.ground_w_m2[..count]);
        for (nth, total) in poa_w_m2.iter_mut().enumerate() {
            let lit = (sun_up[nth] * up + sun_north[nth] * north + sun_east[nth] * east).max(0.0);
            let sky = dome[nth] * above + circumsolar[nth] * lit + horizon[nth] * sin_tilt;
            *total = beam[nth] * lit + sky.max(0.0) + ground[nth] * below;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sky::clear_sky::Irradiance;
    use crate::sky::plane::{Plane, SkyModel};

    /// Every model, suns high, low and set, planes to every side: the loop gives what each sky gives by itself.
    #[test]
    fn many_skies_at_once_give_what_each_gives_by_itself() {
        let light = Irradiance { ghi_w_m2: 620.0, dni_w_m2: 710.0, dhi_w_m2: 140.0 };
        let mut skies = Skies::default();
        let mut each = Vec::new();
        for model in SkyModel::ALL {
            for zenith_deg in [0.0, 34.0, 71.0, 86.5, 90.0, 93.0] {
                let sky = SkyNow::new(light, zenith_deg, 3.0 * zenith_deg, 172.0, 0.2, *model).unwrap();
                skies.push(&sky);
                each.push(sky);
            }
        }
        let mut poa_w_m2 = vec![7.0; 3];
        for (tilt_deg, azimuth_deg) in [(0.0, 0.0), (35.0, 180.0), (90.0, 300.0), (180.0, 77.0)] {
            let plane = Plane { tilt_deg, azimuth_deg }.ready();
            skies.onto(&plane, &mut poa_w_m2);
            let alone: Vec<f64> = each.iter().map(|sky| sky.onto(&plane).poa_w_m2).collect();
            assert_eq!(poa_w_m2, alone);
        }
        assert_eq!((skies.get(7), skies.get(each.len())), (Some(each[7]), None));
    }
}
