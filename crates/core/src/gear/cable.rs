//! Copper conductors by gauge: their resistance, and the amps they carry.

/// Resistivity of annealed copper at 20 C, ohm mm2/m (IEC 60028, the International Annealed Copper Standard).
const COPPER_OHM_MM2_PER_M: f64 = 0.017_241;

/// Change of copper's resistance for each kelvin, of that at 20 C (IEC 60028).
const COPPER_PER_K: f64 = 0.003_93;

/// A stranded conductor is this much longer than it looks (ASTM B8: the lay adds 2 %).
const STRANDING: f64 = 1.02;

/// The size of a conductor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Gauge {
    /// 40 to 0; 1/0 is 0, 2/0 is -1, 3/0 is -2, 4/0 is -3.
    Awg(i32),
    /// 0.5 to 240.
    Mm2(f64),
}

/// IEC 60228:2004, table 3, class 5 plain copper, ohm/km at 20 C, at most (from memory).
const CLASS_5: [(f64, f64); 14] = [
    (0.5, 39.0),
    (0.75, 26.0),
    (1.0, 19.5),
    (1.5, 13.3),
    (2.5, 7.98),
    (4.0, 4.95),
    (6.0, 3.30),
    (10.0, 1.91),
    (16.0, 1.21),
    (25.0, 0.780),
    (35.0, 0.554),
    (50.0, 0.386),
    (70.0, 0.272),
    (95.0, 0.206),
];

/// NEC 2020, table 310.16, copper, 75 C column, A (from memory). Below 14 AWG: common practice, no source.
const AWG_AMPS: [(i32, f64); 14] = [
    (20, 6.0),
    (18, 10.0),
    (16, 13.0),
    (14, 20.0),
    (12, 25.0),
    (10, 35.0),
    (8, 50.0),
    (6, 65.0),
    (4, 85.0),
    (2, 115.0),
    (1, 130.0),
    (0, 150.0),
    (-1, 175.0),
    (-3, 230.0),
];

/// IEC 60364-5-52:2009, table B.52.4, copper, two loaded conductors, method C, PVC, 30 C, A (from memory).
const MM2_AMPS: [(f64, f64); 11] = [
    (0.5, 6.0),
    (0.75, 9.0),
    (1.0, 13.5),
    (1.5, 19.5),
    (2.5, 27.0),
    (4.0, 36.0),
    (6.0, 46.0),
    (10.0, 63.0),
    (16.0, 85.0),
    (25.0, 112.0),
    (35.0, 138.0),
];

impl Gauge {
    /// "12 AWG", "AWG 12", "1/0 AWG", "4 mm2", "4". A number alone is square millimetres. The error is a sentence.
    pub fn parse(text: &str) -> Result<Self, String> {
        let wrong = || format!("\"{}\" is not a gauge: write it like 12 AWG, 1/0 AWG or 4 mm2.", text.trim());
        let plain = text.trim().to_lowercase().replace('\u{b2}', "2").replace(',', ".");
        if plain.contains("awg") {
            let size = plain.replace("awg", "");
            let size = size.trim().trim_start_matches('#');
            let awg = match size.strip_suffix("/0") {
                Some(zeros) => 1 - zeros.trim().parse::<i32>().map_err(|_| wrong())?,
                None => size.parse().map_err(|_| wrong())?,
            };
            return if (-3..=40).contains(&awg) { Ok(Gauge::Awg(awg)) } else { Err(wrong()) };
        }
        let mm2: f64 = plain.trim_end_matches("mm2").trim_end_matches("sqmm").trim().parse().map_err(|_| wrong())?;
        if (0.5..=240.0).contains(&mm2) { Ok(Gauge::Mm2(mm2)) } else { Err(wrong()) }
    }

    /// As a person writes it; [`Gauge::parse`] reads it back.
    pub fn as_text(self) -> String {
        match self {
            Gauge::Awg(awg) if awg <= 0 => format!("{}/0 AWG", 1 - awg),
            Gauge::Awg(awg) => format!("{awg} AWG"),
            Gauge::Mm2(mm2) => format!("{mm2} mm2"),
        }
    }

    /// Cross section of the copper, mm2. Of an AWG size by ASTM B258: the diameter is `0.127 mm x 92^((36 - n) / 39)`.
    pub fn area_mm2(self) -> f64 {
        match self {
            Gauge::Awg(awg) => {
                let diameter_mm = 0.127 * 92_f64.powf(f64::from(36 - awg) / 39.0);
                std::f64::consts::PI / 4.0 * diameter_mm * diameter_mm
            }
            Gauge::Mm2(mm2) => mm2,
        }
    }

    /// Of one stranded conductor, at this temperature of the copper, ohm/km. Of a metric size by IEC 60228 where it is one of
    /// the table's, and else by its area.
    pub fn ohm_per_km(self, copper_c: f64) -> f64 {
        let of_area = || COPPER_OHM_MM2_PER_M * 1000.0 / self.area_mm2() * STRANDING;
        let at_20 = match self {
            Gauge::Mm2(mm2) => CLASS_5.iter().find(|(size, _)| *size == mm2).map_or_else(of_area, |(_, ohm)| *ohm),
            Gauge::Awg(_) => of_area(),
        };
        at_20 * (1.0 + COPPER_PER_K * (copper_c - 20.0))
    }

    /// Amps it carries for long: those of the next size of the table that is not larger than it. Local codes come first.
    pub fn ampacity_a(self) -> f64 {
        match self {
            Gauge::Awg(awg) => AWG_AMPS.iter().rev().find(|(size, _)| *size >= awg).map_or(1.0, |(_, amps)| *amps),
            Gauge::Mm2(mm2) => MM2_AMPS.iter().rev().find(|(size, _)| *size <= mm2).map_or(1.0, |(_, amps)| *amps),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const OHM_PER_KFT: f64 = 3.280_84;

    /// NEC 2020, chapter 9, table 8, uncoated stranded copper at 75 C, ohm/kft (from memory).
    #[test]
    #[allow(clippy::approx_constant, reason = "3.14 ohm/kft is the resistance of 14 AWG")]
    fn resistances_are_those_of_the_code_table() {
        for (awg, ohm_per_kft) in [
            (18, 7.95),
            (16, 4.99),
            (14, 3.140),
            (12, 1.98),
            (10, 1.24),
            (8, 0.778),
            (6, 0.491),
            (4, 0.308),
            (2, 0.194),
            (0, 0.122),
            (-3, 0.0608),
        ] {
            let ours = Gauge::Awg(awg).ohm_per_km(75.0) / OHM_PER_KFT;
            assert!((ours / ohm_per_kft - 1.0).abs() < 0.02, "{awg} AWG: {ours} for {ohm_per_kft}");
        }
    }

    /// ASTM B258 (from memory): 36 AWG is 0.0050 in, 4/0 is 0.4600 in by definition; 10 AWG is 0.1019 in, 12 AWG 3.31 mm2.
    #[test]
    fn diameters_are_those_of_the_standard() {
        let inches = |awg| (Gauge::Awg(awg).area_mm2() * 4.0 / std::f64::consts::PI).sqrt() / 25.4;
        assert!((inches(36) - 0.0050).abs() < 1e-6 && (inches(-3) - 0.4600).abs() < 1e-4 && (inches(10) - 0.1019).abs() < 1e-4);
        assert!((Gauge::Awg(12).area_mm2() - 3.31).abs() < 0.005);
    }

    /// The table's limits are for real conductors: never below what pure copper of the nominal area would have less 8 %, and
    /// never above it by more than 15 %.
    #[test]
    fn metric_sizes_agree_with_their_own_area() {
        for (mm2, ohm_per_km) in CLASS_5 {
            let of_area = COPPER_OHM_MM2_PER_M * 1000.0 / mm2;
            assert!((0.92..1.16).contains(&(ohm_per_km / of_area)), "{mm2} mm2: {}", ohm_per_km / of_area);
        }
        assert_eq!(Gauge::Mm2(4.0).ohm_per_km(20.0), 4.95);
    }

    #[test]
    fn every_way_to_write_a_gauge_is_read() {
        for (text, gauge) in [
            ("12 AWG", Gauge::Awg(12)),
            ("awg12", Gauge::Awg(12)),
            ("#10 AWG", Gauge::Awg(10)),
            ("1/0 AWG", Gauge::Awg(0)),
            ("4/0 awg", Gauge::Awg(-3)),
            ("4 mm\u{b2}", Gauge::Mm2(4.0)),
            ("2,5", Gauge::Mm2(2.5)),
        ] {
            assert_eq!(Gauge::parse(text), Ok(gauge), "{text}");
            assert_eq!(Gauge::parse(&gauge.as_text()), Ok(gauge));
        }
        for text in ["", "thick", "99 AWG", "5/0 AWG", "0.1 mm2", "-4", "NaN"] {
            assert!(Gauge::parse(text).unwrap_err().contains("is not a gauge"), "{text}");
        }
    }

    #[test]
    fn a_thicker_conductor_never_carries_less_nor_resists_more() {
        for awg in -3..20 {
            assert!(Gauge::Awg(awg).ampacity_a() >= Gauge::Awg(awg + 1).ampacity_a());
            assert!(Gauge::Awg(awg).ohm_per_km(50.0) < Gauge::Awg(awg + 1).ohm_per_km(50.0));
        }
        assert_eq!((Gauge::Awg(10).ampacity_a(), Gauge::Mm2(5.0).ampacity_a()), (35.0, 36.0));
    }
}
