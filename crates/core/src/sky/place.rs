//! A place on Earth, and what stands around it.

use crate::error::{Error, check_range};
use crate::named::named;

/// Where a bench stands.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Place {
    /// North positive, -90 to 90.
    pub lat_deg: f64,
    /// East positive, -180 to 180.
    pub lon_deg: f64,
    /// Above the sea, -450 to 9000 m.
    pub elevation_m: f64,
}

impl Place {
    pub fn check(lat_deg: f64, lon_deg: f64, elevation_m: f64) -> Result<Self, Error> {
        Ok(Place {
            lat_deg: check_range("lat_deg", lat_deg, -90.0, 90.0)?,
            lon_deg: check_range("lon_deg", lon_deg, -180.0, 180.0)?,
            elevation_m: check_range("elevation_m", elevation_m, -450.0, 9000.0)?,
        })
    }

    /// The distance to another place along the ground, km: the haversine formula (Sinnott 1984) on a sphere of 6371 km.
    pub fn distance_km(&self, lat_deg: f64, lon_deg: f64) -> f64 {
        const EARTH_KM: f64 = 6371.0;
        let half = |degrees: f64| (degrees.to_radians() / 2.0).sin().powi(2);
        let across = self.lat_deg.to_radians().cos() * lat_deg.to_radians().cos() * half(lon_deg - self.lon_deg);
        2.0 * EARTH_KM * (half(lat_deg - self.lat_deg) + across).sqrt().min(1.0).asin()
    }

    /// The azimuth that faces the noon sun: south in the northern half, north in the southern, degrees.
    pub fn equatorward_deg(&self) -> f64 {
        if self.lat_deg < 0.0 { 0.0 } else { 180.0 }
    }
}

/// What lies in front of the panel.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ground {
    #[default]
    Grass,
    Soil,
    Sand,
    Gravel,
    Concrete,
    Asphalt,
    Water,
    Snow,
    OldSnow,
    WhiteRoof,
}

named!(Ground {
    Grass = "grass", "grass";
    Soil = "soil", "bare soil";
    Sand = "sand", "sand";
    Gravel = "gravel", "light gravel";
    Concrete = "concrete", "concrete";
    Asphalt = "asphalt", "asphalt";
    Water = "water", "water";
    Snow = "snow", "fresh snow";
    OldSnow = "old_snow", "old snow";
    WhiteRoof = "white_roof", "white roof";
});

impl Ground {
    /// The share of light it throws back (Iqbal 1983, An Introduction to Solar Radiation, table of albedos; from memory, middle of
    /// each range).
    pub fn albedo(self) -> f64 {
        match self {
            Ground::Grass => 0.20,
            Ground::Soil => 0.17,
            Ground::Sand => 0.40,
            Ground::Gravel => 0.30,
            Ground::Concrete => 0.30,
            Ground::Asphalt => 0.12,
            Ground::Water => 0.07,
            Ground::Snow => 0.80,
            Ground::OldSnow => 0.55,
            Ground::WhiteRoof => 0.65,
        }
    }
}

/// What stands around: a line through a few points of azimuth and height.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Horizon(Vec<(f64, f64)>);

impl Horizon {
    /// Reads points such as "120 5, 150 18, 180 4": azimuth from north and height, degrees. Empty text is a free horizon.
    /// The error quotes the point at fault.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut points = Vec::new();
        for part in text.split([',', ';', '\n']).map(str::trim).filter(|part| !part.is_empty()) {
            let unclear = || format!("\"{part}\" is not a point: write azimuth and height, such as 150 18");
            let numbers: Vec<f64> = part.split_whitespace().map(str::parse).collect::<Result<_, _>>().map_err(|_| unclear())?;
            match numbers[..] {
                [azimuth_deg, height_deg] if (0.0..=360.0).contains(&azimuth_deg) && (0.0..90.0).contains(&height_deg) => {
                    points.push((azimuth_deg % 360.0, height_deg));
                }
                [_, _] => return Err(format!("\"{part}\" is outside 0 to 360 and 0 to 89 degrees")),
                _ => return Err(unclear()),
            }
        }
        points.sort_by(|a, b| a.0.total_cmp(&b.0));
        if let Some(pair) = points.windows(2).find(|pair| pair[0].0 == pair[1].0) {
            return Err(format!("azimuth {} is there twice", pair[0].0));
        }
        Ok(Horizon(points))
    }

    /// As it is typed; [`Horizon::parse`] reads it back.
    pub fn as_text(&self) -> String {
        self.0.iter().map(|(azimuth_deg, height_deg)| format!("{azimuth_deg} {height_deg}")).collect::<Vec<_>>().join(", ")
    }

    /// The height of the line at an azimuth, degrees; 0 without points, that of the one point with one.
    pub fn height_deg(&self, azimuth_deg: f64) -> f64 {
        let (Some(first), Some(last)) = (self.0.first(), self.0.last()) else { return 0.0 };
        let azimuth_deg = azimuth_deg.rem_euclid(360.0);
        let after = self.0.partition_point(|point| point.0 < azimuth_deg);
        let left = if after == 0 { (last.0 - 360.0, last.1) } else { self.0[after - 1] };
        let right = self.0.get(after).copied().unwrap_or((first.0 + 360.0, first.1));
        if right.0 <= left.0 { left.1 } else { left.1 + (azimuth_deg - left.0) / (right.0 - left.0) * (right.1 - left.1) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_off_the_globe_is_refused() {
        assert_eq!(Place::check(91.0, 0.0, 0.0).unwrap_err().to_string(), "lat_deg is 91, outside -90 to 90");
        assert!(Place::check(0.0, 181.0, 0.0).is_err() && Place::check(0.0, 0.0, f64::NAN).is_err());
    }

    #[test]
    fn the_horizon_runs_straight_between_its_points_and_around_north() {
        let horizon = Horizon::parse("350 10, 10 20\n180 0").unwrap();
        assert_eq!(horizon.height_deg(0.0), 15.0);
        assert_eq!(horizon.height_deg(360.0), 15.0);
        assert_eq!(horizon.height_deg(95.0), 10.0);
        assert_eq!(horizon.height_deg(180.0), 0.0);
        assert_eq!(Horizon::default().height_deg(77.0), 0.0);
        assert_eq!(Horizon::parse(&horizon.as_text()), Ok(horizon));
    }

    #[test]
    fn a_wrong_point_is_quoted() {
        for text in ["tree", "120", "120 95", "400 5", "10 5, 10 6"] {
            assert!(Horizon::parse(text).is_err(), "{text}");
        }
    }
}
