//! What can be wrong with an input, as values with a sentence for the person.

/// An input the computation refuses. The sentence says what was wrong, where, and what is allowed.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Error {
    /// A number outside the range in which the model means anything.
    #[error("{field} is {value}, outside {low} to {high}")]
    OutOfRange { field: &'static str, value: f64, low: f64, high: f64 },
    /// A number that has to be more than nothing; `high` is infinite where there is no upper limit.
    #[error("{field} is {value}, and has to be {}", above_zero(*high))]
    NotAboveZero { field: &'static str, value: f64, high: f64 },
    /// Inputs that are each possible, but not together.
    #[error("{field}: {why}")]
    Inconsistent { field: &'static str, why: String },
}

impl Error {
    /// The name of the input at fault, as it stands in the contract.
    pub fn field(&self) -> &'static str {
        match self {
            Error::OutOfRange { field, .. } | Error::NotAboveZero { field, .. } | Error::Inconsistent { field, .. } => field,
        }
    }
}

impl Error {
    /// The number at fault; `None` where it is no single one.
    pub fn value(&self) -> Option<f64> {
        match self {
            Error::OutOfRange { value, .. } | Error::NotAboveZero { value, .. } => Some(*value),
            Error::Inconsistent { .. } => None,
        }
    }

    /// What is allowed, in words; `None` where it is no range.
    pub fn allowed(&self) -> Option<String> {
        match self {
            Error::OutOfRange { low, high, .. } => Some(format!("{low} to {high}")),
            Error::NotAboveZero { high, .. } => Some(above_zero(*high)),
            Error::Inconsistent { .. } => None,
        }
    }
}

fn above_zero(high: f64) -> String {
    if high.is_finite() { format!("more than 0, and {high} at most") } else { "more than 0".to_owned() }
}

/// Passes `value` on when it is finite and within `low..=high`.
pub fn check_range(field: &'static str, value: f64, low: f64, high: f64) -> Result<f64, Error> {
    if value.is_finite() && (low..=high).contains(&value) {
        Ok(value)
    } else {
        Err(Error::OutOfRange { field, value, low, high })
    }
}

/// Passes `value` on when it is finite, above zero and at most `high`, which may be infinite.
pub fn check_positive(field: &'static str, value: f64, high: f64) -> Result<f64, Error> {
    if value.is_finite() && value > 0.0 && value <= high { Ok(value) } else { Err(Error::NotAboveZero { field, value, high }) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_error_names_the_field_the_value_and_the_range() {
        let error = check_range("tilt_deg", 91.5, 0.0, 90.0).unwrap_err();
        assert_eq!(error.to_string(), "tilt_deg is 91.5, outside 0 to 90");
        assert_eq!(error.field(), "tilt_deg");
    }

    #[test]
    fn what_has_to_be_above_zero_says_so() {
        let error = check_positive("u0", 0.0, 1000.0).unwrap_err();
        assert_eq!(error.to_string(), "u0 is 0, and has to be more than 0, and 1000 at most");
        assert_eq!(check_positive("u0", -1.0, f64::INFINITY).unwrap_err().allowed().as_deref(), Some("more than 0"));
        assert!(check_positive("u0", f64::MIN_POSITIVE, 1000.0).is_ok() && check_positive("u0", 1000.1, 1000.0).is_err());
    }

    #[test]
    fn not_a_number_is_never_in_range() {
        assert!(check_range("poa_w_m2", f64::NAN, 0.0, 1600.0).is_err());
        assert!(check_positive("poa_w_m2", f64::INFINITY, f64::INFINITY).is_err());
    }
}
