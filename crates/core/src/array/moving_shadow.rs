//! The shadow of something upright that passes over an array in a day.

use super::Array;
use crate::error::{Error, check_positive, check_range};
use crate::panel::face::Mounting;
use crate::panel::layout::{CellPosition, Layout, Panel};
use crate::panel::temperature::{USUAL_NOCT_C, cell_from_air_c};
use crate::sky::course::{Moment, Site, course};
use crate::sky::plane::Plane;
use crate::sky::sun::SunPosition;

/// A pole, a chimney, a tree trunk: where it stands from the middle of the array's lower edge, and how large it is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Obstacle {
    pub east_m: f64,
    pub north_m: f64,
    pub height_m: f64,
    pub width_m: f64,
}

/// Panels side by side on one plane, each of this size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Face {
    pub plane: Plane,
    pub width_m: f64,
    pub height_m: f64,
    /// Of the lower edge above the foot of the upright.
    pub lower_edge_m: f64,
    pub mounting: Mounting,
}

/// The sun's disc is 0.53 degrees wide: the soft edge of a shadow grows by this share of its way.
const PENUMBRA: f64 = 0.0093;

/// Points of a cell that are looked at, each way.
const POINTS: usize = 3;

impl Obstacle {
    /// Checks the sizes; the error names the field.
    pub fn check(east_m: f64, north_m: f64, height_m: f64, width_m: f64) -> Result<Self, Error> {
        Ok(Obstacle {
            east_m: check_range("east_m", east_m, -200.0, 200.0)?,
            north_m: check_range("north_m", north_m, -200.0, 200.0)?,
            height_m: check_positive("height_m", height_m, 300.0)?,
            width_m: check_positive("width_m", width_m, 50.0)?,
        })
    }

    /// Its shadow with the sun in one place.
    fn shadow(&self, sun: &SunPosition) -> Shadow {
        let (az_sin, az_cos) = sun.azimuth_deg.to_radians().sin_cos();
        let (el_sin, el_cos) = sun.elevation_deg().to_radians().sin_cos();
        Shadow { upright: *self, az_sin, az_cos, el_sin, el_cos }
    }
}

/// See [`Obstacle::shadow`]: sines and cosines of where the sun stands, taken once for all points.
struct Shadow {
    upright: Obstacle,
    az_sin: f64,
    az_cos: f64,
    el_sin: f64,
    el_cos: f64,
}

impl Shadow {
    /// How much of the sun's disc is hidden from a point (east, north, up; m), 0 to 1.
    fn hides(&self, point: [f64; 3]) -> f64 {
        let Shadow { upright, az_sin, az_cos, el_sin, el_cos } = self;
        let (dx, dy) = (upright.east_m - point[0], upright.north_m - point[1]);
        // Along the ground toward the sun, and beside it.
        let (ahead, beside) = (dx * az_sin + dy * az_cos, (dx * az_cos - dy * az_sin).abs());
        if ahead <= 0.0 || *el_sin <= 0.0 {
            return 0.0;
        }
        let soft = (ahead / el_cos.max(0.05) * PENUMBRA).max(1e-6);
        let within = |inside_m: f64| (inside_m / soft + 0.5).clamp(0.0, 1.0);
        let ray_m = point[2] + ahead * el_sin / el_cos.max(1e-6);
        within(upright.width_m / 2.0 - beside) * within(upright.height_m - ray_m)
    }
}

impl Shadow {
    /// Whether it surely passes by a rectangle, of which the corners are told. Each distance here is linear in the point, so that what
    /// holds at all corners holds between them.
    fn passes_by(&self, corners: &[[f64; 3]; 4]) -> bool {
        let Shadow { upright, az_sin, az_cos, el_sin, el_cos } = self;
        let distances = corners.map(|point| {
            let (dx, dy) = (upright.east_m - point[0], upright.north_m - point[1]);
            let (ahead, beside) = (dx * az_sin + dy * az_cos, dx * az_cos - dy * az_sin);
            let half_soft = ahead.max(0.0) / el_cos.max(0.05) * PENUMBRA / 2.0 + 1e-6;
            let over = point[2] + ahead * el_sin / el_cos.max(1e-6) - upright.height_m - half_soft;
            let half_width = upright.width_m / 2.0 + half_soft;
            [-ahead, beside - half_width, -beside - half_width, over]
        });
        (0..4).any(|side| distances.iter().all(|distance| distance[side] > 0.0))
    }
}

impl Face {
    /// Points of the face of one of `count` panels, from its left and its top (shares), as east, north and up.
    fn points(&self, nth: usize, count: usize) -> impl Fn(f64, f64) -> [f64; 3] {
        let (az_sin, az_cos) = self.plane.azimuth_deg.to_radians().sin_cos();
        let (tilt_sin, tilt_cos) = self.plane.tilt_deg.to_radians().sin_cos();
        let face = *self;
        move |x, y| {
            let along = (nth as f64 + x - count as f64 / 2.0) * face.width_m;
            let up = (1.0 - y) * face.height_m;
            // Seen from the front, right is 90 degrees before the azimuth; up the slope leads away from it.
            [-az_cos * along - az_sin * tilt_cos * up, az_sin * along - az_cos * tilt_cos * up, face.lower_edge_m + tilt_sin * up]
        }
    }

    /// Each cell's share of the light; `through` of it is diffuse and comes all the same.
    fn shares(&self, layout: &Layout, nth: usize, count: usize, upright: &Obstacle, sun: &SunPosition, through: f64) -> Vec<f64> {
        let step = |nth: usize| (nth as f64 + 0.5) / POINTS as f64;
        let (shadow, point) = (upright.shadow(sun), self.points(nth, count));
        let passes_by = |x0, x1, y0, y1| shadow.passes_by(&[point(x0, y0), point(x0, y1), point(x1, y0), point(x1, y1)]);
        if passes_by(0.0, 1.0, 0.0, 1.0) {
            return vec![1.0; layout.places.len()];
        }
        let share = |place: &CellPosition| {
            let (x0, x1, y0, y1) = match self.mounting {
                Mounting::Portrait => (place.x0, place.x1, place.y0, place.y1),
                Mounting::Landscape => (place.y0, place.y1, 1.0 - place.x1, 1.0 - place.x0),
            };
            if passes_by(x0, x1, y0, y1) {
                return 1.0;
            }
            let mut hidden = 0.0;
            for i in 0..POINTS {
                for j in 0..POINTS {
                    hidden += shadow.hides(point(x0 + (x1 - x0) * step(i), y0 + (y1 - y0) * step(j)));
                }
            }
            1.0 - hidden / (POINTS * POINTS) as f64 * (1.0 - through)
        };
        layout.places.iter().map(share).collect()
    }
}

/// The array at one moment of the day.
#[derive(Debug, Clone, PartialEq)]
pub struct Now {
    pub unix_s: f64,
    /// In the shadow as it falls; its light that of the clear sky.
    pub array: Array,
}

/// The array at a moment; `None` while the sun is down.
pub fn at(
    panels: &[Panel],
    face: &Face,
    upright: &Obstacle,
    site: &Site,
    unix_s: f64,
    day_of_year: f64,
    air_c: f64,
) -> Result<Option<Now>, Error> {
    Ok(in_light(panels, face, upright, &Moment::at(site, unix_s, day_of_year)?, air_c))
}

fn in_light(panels: &[Panel], face: &Face, upright: &Obstacle, moment: &Moment, air_c: f64) -> Option<Now> {
    let on = moment.on(&face.plane);
    if on.poa_w_m2 < 5.0 {
        return None;
    }
    let through = ((on.sky_w_m2 + on.ground_w_m2) / on.poa_w_m2).clamp(0.0, 1.0);
    let count = panels.len();
    let lit = panels
        .iter()
        .enumerate()
        .map(|(nth, panel)| (panel.clone(), face.shares(&panel.layout, nth, count, upright, &moment.sun_position, through)));
    let cell_c = cell_from_air_c(air_c, on.poa_w_m2, USUAL_NOCT_C, None);
    let array = Array { panels: lit.collect(), poa_w_m2: on.poa_w_m2, cell_c, lead_ohm: 0.0, is_blocked: false };
    Some(Now { unix_s: moment.unix_s, array })
}

/// The array from `start_s` to `end_s` in steps of `step_s`, while the sun is up.
#[allow(clippy::too_many_arguments, reason = "a day is made of all of these")]
pub fn moments(
    panels: &[Panel],
    face: &Face,
    upright: &Obstacle,
    site: &Site,
    start_s: f64,
    end_s: f64,
    step_s: f64,
    day_of_year: f64,
    air_c: f64,
) -> Result<Vec<Now>, Error> {
    let day = course(site, start_s, end_s, step_s, day_of_year)?;
    Ok(day.iter().filter_map(|moment| in_light(panels, face, upright, moment, air_c)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::example::saffron;
    use crate::panel::shade::{Pattern, Shade};
    use crate::sky::place::Place;

    fn site() -> Site {
        Site { place: Place::check(38.6, -7.9, 300.0).unwrap(), albedo: 0.2, linke_turbidity: 3.0, ..Site::default() }
    }

    fn face() -> Face {
        let plane = Plane { tilt_deg: 35.0, azimuth_deg: 180.0 };
        Face { plane, width_m: 1.0, height_m: 1.6, lower_edge_m: 0.3, mounting: Mounting::Portrait }
    }

    fn panels(count: usize) -> Vec<Panel> {
        vec![saffron(); count]
    }

    /// 2026-12-21 12:29 UTC: noon over the workshop, the sun at 28 degrees in the south.
    const WINTER_NOON_S: f64 = 1_797_856_140.0;

    #[test]
    fn a_pole_to_the_south_throws_its_shadow_at_noon_and_one_to_the_north_never() {
        let lit = |north_m: f64| {
            let upright = Obstacle::check(0.0, north_m, 4.0, 0.3).unwrap();
            let now = at(&panels(1), &face(), &upright, &site(), WINTER_NOON_S, 355.0, 10.0).unwrap().unwrap();
            now.array.panels[0].1.iter().sum::<f64>() / 36.0
        };
        // 0.3 m of a face 1 m wide, less the diffuse light.
        assert!((0.68..0.85).contains(&lit(-3.0)), "{}", lit(-3.0));
        assert_eq!(lit(3.0), 1.0);
    }

    /// A short pole's shadow reaches only the foot of the face: by hand, 2 m at 3.1 m throws its tip to 2 - 3.1 tan 28 = 0.35 m, where a plane
    /// of 35 degrees that begins at 0.3 m is 0.09 m up its 1.6 m: half of the last of nine rows.
    #[test]
    fn the_tip_of_the_shadow_lies_where_the_tangent_puts_it() {
        let upright = Obstacle::check(0.0, -3.0, 2.0, 5.0).unwrap();
        let now = at(&panels(1), &face(), &upright, &site(), WINTER_NOON_S, 355.0, 10.0).unwrap().unwrap();
        let layout = &now.array.panels[0].0.layout;
        let mut dark = 0;
        for (place, share) in layout.places.iter().zip(&now.array.panels[0].1) {
            if place.y1 < 0.75 {
                assert_eq!(*share, 1.0, "{place:?}");
            }
            if place.y0 > 0.85 {
                assert!((0.4..0.9).contains(share), "{place:?} {share}");
                dark += 1;
            }
        }
        assert_eq!(dark, 4, "a row of four cells");
    }

    /// Looked at point by point on a grid of 20 each way: where the shadow is said to pass by, nothing is hidden; and it is not said of
    /// most that is.
    #[test]
    fn what_the_shadow_passes_by_is_in_the_sun() {
        let upright = Obstacle::check(0.4, -1.5, 2.2, 0.3).unwrap();
        let (face, mut passed, mut hit) = (face(), 0, 0);
        let point = face.points(0, 1);
        for hour in 0..40 {
            let (zenith, azimuth_deg) = (35.0 + 1.3 * f64::from(hour), 95.0 + 4.3 * f64::from(hour));
            let sun = SunPosition { zenith_true_deg: zenith, zenith_apparent_deg: zenith, azimuth_deg };
            let shadow = upright.shadow(&sun);
            for nth in 0..36 {
                let (x, y) = (f64::from(nth % 6) / 6.0, f64::from(nth / 6) / 6.0);
                let at = |i: i32, j: i32| point(x + f64::from(i) / 120.0, y + f64::from(j) / 120.0);
                let passes_by = shadow.passes_by(&[at(0, 0), at(0, 20), at(20, 0), at(20, 20)]);
                let most = (0..=400).map(|of| shadow.hides(at(of % 21, of / 21 % 21))).fold(0.0, f64::max);
                assert!(!passes_by || most == 0.0, "{sun:?} {x} {y} {most}");
                passed += i32::from(passes_by);
                hit += i32::from(most > 0.0);
            }
        }
        assert!(hit > 50 && passed + hit > 1300, "{passed} passed by and {hit} hit of 1440");
    }

    #[test]
    fn the_moments_of_a_day_are_those_with_sun() {
        let upright = Obstacle::check(1.0, -3.0, 5.0, 0.4).unwrap();
        let (start_s, end_s) = (WINTER_NOON_S - 43_200.0, WINTER_NOON_S + 43_200.0);
        let found = moments(&panels(2), &face(), &upright, &site(), start_s, end_s, 1800.0, 355.0, 10.0).unwrap();
        // Nine and a half hours of sun in December.
        assert!((17..=20).contains(&found.len()), "{}", found.len());
        assert!(found.windows(2).all(|pair| pair[0].unix_s < pair[1].unix_s));
        assert!(Obstacle::check(0.0, 0.0, -1.0, 0.1).unwrap_err().to_string().contains("height_m"));
    }

    /// What is passed by without a look is what a look finds free, to the edge of the half shadow on each side and at the top.
    #[test]
    fn a_shadow_passes_by_exactly_what_it_does_not_touch() {
        let upright = Obstacle::check(0.4, -3.0, 2.0, 0.5).unwrap();
        let mut touched = 0;
        for hour in 0..6 {
            let shadow = upright.shadow(&sun_position(WINTER_NOON_S + 1200.0 * f64::from(hour)));
            for east in -60..60 {
                for up in 0..40 {
                    let point = [f64::from(east) * 0.05, 0.1, f64::from(up) * 0.05];
                    let hidden = shadow.hides(point);
                    assert_eq!(shadow.passes_by(&[point; 4]), hidden <= 0.0, "{point:?} {hidden}");
                    touched += u32::from(hidden > 0.0 && hidden < 1.0);
                }
            }
        }
        assert!(touched > 50, "{touched}: edges were looked at");
        // A rectangle of which a corner is touched is not passed by.
        let shadow = upright.shadow(&sun_position(WINTER_NOON_S));
        let (free, dark) = ([5.0, 0.1, 0.1], [0.4, 0.1, 0.1]);
        assert!(shadow.hides(dark) > 0.9 && !shadow.passes_by(&[free, free, free, dark]));
    }

    /// A long low wall to the south darkens the lower cells, whichever way the panel lies: those that a strip along its bottom covers.
    #[test]
    fn a_low_wall_darkens_the_cells_along_the_lower_edge() {
        let panel = saffron();
        for mounting in [Mounting::Portrait, Mounting::Landscape] {
            let face = Face { mounting, ..face() };
            let wall = Obstacle { east_m: 0.0, north_m: -1.0, height_m: 1.15, width_m: 40.0 };
            let sun = sun_position(WINTER_NOON_S);
            let dark: Vec<bool> = face.shares(&panel.layout, 0, 1, &wall, &sun, 0.0).iter().map(|share| *share < 0.5).collect();
            let strip = Shade { pattern: Pattern::Bottom, size: 0.5, ..Shade::default() }.shares(&panel.layout, mounting);
            let lowest: Vec<bool> = strip.iter().map(|share| *share < 1.0).collect();
            assert!(dark.iter().any(|dark| *dark) && dark.iter().any(|dark| !*dark), "{mounting:?} {dark:?}");
            // Some of the lower cells, none of the others; and all of the lowest.
            assert!(dark.iter().zip(&lowest).all(|(dark, low)| !*dark || *low), "{mounting:?} {dark:?}");
            let under = Shade { pattern: Pattern::Bottom, size: 0.05, ..Shade::default() }.shares(&panel.layout, mounting);
            assert!(dark.iter().zip(&under).all(|(dark, share)| *dark || *share == 1.0), "{mounting:?} {dark:?}");
        }
    }

    fn sun_position(unix_s: f64) -> SunPosition {
        Moment::at(&site(), unix_s, 355.0).unwrap().sun_position
    }
}
