//! Values fixed by nature or by a standard, each with its unit and source.

/// Irradiance at standard test conditions, W/m2 (IEC 60904-3: AM1.5, 1000 W/m2, 25 C).
pub const STC_POA_W_M2: f64 = 1000.0;

/// Cell temperature at standard test conditions, C (IEC 60904-3).
pub const STC_CELL_C: f64 = 25.0;

/// Lowest irradiance at which a reading may speak about a rating, W/m2 (IEC 61829:2015, clause on ambient conditions; from memory).
pub const RATING_MIN_POA_W_M2: f64 = 700.0;

/// Irradiance of the NOCT definition, W/m2 (IEC 61215:2005, 10.5).
pub const NOCT_POA_W_M2: f64 = 800.0;

/// Air temperature of the NOCT definition, C (IEC 61215:2005, 10.5).
pub const NOCT_AIR_C: f64 = 20.0;

/// Wind at NOCT, m/s (IEC 61215:2005, 10.5).
pub const NOCT_WIND_M_S: f64 = 1.0;

/// Thermal voltage kT/q of one junction at 25 C, V (CODATA 2018 exact k and q: 1.380649e-23 x 298.15 / 1.602176634e-19).
pub const THERMAL_VOLTAGE_25C_V: f64 = 1.380_649e-23 * 298.15 / 1.602_176_634e-19;

/// The fill factor no crystalline or thin-film cell in trade exceeds. The best laboratory silicon cells reach 0.86 to
/// 0.87 (Green et al., Solar cell efficiency tables, from memory); modules stay below 0.83.
pub const FILL_FACTOR_MAX: f64 = 0.87;
