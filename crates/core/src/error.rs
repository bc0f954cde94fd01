//! What can be wrong with an input, as values with a sentence for the person.

/// An input the computation refuses. The sentence says what was wrong, where, and what is allowed.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Error {
    /// A number outside the range in which the model means anything.
    #[error("{field} is {value}, outside {low} to {high}")]
    OutOfRange { field: &'static str, value: f64, low: f64, high: f64 },
    /// Inputs that are each possible, but not together.
    #[error("{field}: {why}")]
    Inconsistent { field: &'static str, why: String },
}

impl Error {
    /// The name of the input at fault, as it stands in the contract.
    pub fn field(&self) -> &'static str {
        match self {
            Error::OutOfRange { field, .. } | Error::Inconsistent { field, .. } => field,
        }
    }
}

/// Passes `value` on when it is finite and within `low..=high`.
pub fn check_range(field: &'static str, value: f64, low: f64, high: f64) -> Result<f64, Error> {
    if value.is_finite() && (low..=high).contains(&value) {
        Ok(value)
    } else {
        Err(Error::OutOfRange { field, value, low, high })
    }
}

/// Passes `value` on when it is finite, above zero and at most `high`.
pub fn check_positive(field: &'static str, value: f64, high: f64) -> Result<f64, Error> {
    if value.is_finite() && value > 0.0 && value <= high {
        Ok(value)
    } else {
        Err(Error::OutOfRange { field, value, low: f64::MIN_POSITIVE, high })
    }
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
    fn not_a_number_is_never_in_range() {
        assert!(check_range("poa_w_m2", f64::NAN, 0.0, 1600.0).is_err());
        assert!(check_positive("poa_w_m2", f64::INFINITY, f64::MAX).is_err());
    }
}
