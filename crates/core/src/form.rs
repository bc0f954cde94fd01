//! Forms as typed: every field is the text a person wrote, reachable by its name.

use crate::decimal::Decimal;

/// A struct of texts, with `FIELDS`, `get` and `set` by the field's name.
macro_rules! form {
    ($(#[$doc:meta])* $form:ident { $($field:ident),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, Default)]
        pub struct $form {
            $(pub $field: String),+
        }

        impl $form {
            /// The names of all fields, in the order of the form.
            pub const FIELDS: &'static [&'static str] = &[$(stringify!($field)),+];

            /// The text of a field; `None` where there is no such field.
            pub fn get(&self, name: &str) -> Option<&str> {
                match name { $(stringify!($field) => Some(&self.$field),)+ _ => None }
            }

            /// Sets a field. `false` where there is no such field.
            pub fn set(&mut self, name: &str, text: impl Into<String>) -> bool {
                match name { $(stringify!($field) => self.$field = text.into(),)+ _ => return false }
                true
            }
        }
    };
}
pub(crate) use form;

/// What is wrong with one field, as a sentence.
#[derive(Debug, Clone, PartialEq)]
pub struct FieldNote {
    pub field: &'static str,
    pub text: String,
}

/// Collects what is wrong while the fields of a form are read.
#[derive(Debug, Default)]
pub struct FieldNotes(pub(crate) Vec<FieldNote>);

impl FieldNotes {
    pub fn add(&mut self, field: &'static str, text: String) {
        self.0.push(FieldNote { field, text });
    }

    /// A number within `low..=high`; `None` for an empty field, and with a note for a wrong one.
    pub fn number(&mut self, field: &'static str, typed: &str, low: f64, high: f64) -> Option<f64> {
        let typed = typed.trim();
        if typed.is_empty() {
            return None;
        }
        match Decimal::parse(typed.trim_end_matches('\u{b0}')).map(Decimal::value) {
            Ok(value) if (low..=high).contains(&value) => return Some(value),
            Ok(_) => self.add(field, format!("{typed} is outside {low} to {high}.")),
            Err(error) => self.add(field, format!("{error}.")),
        }
        None
    }

    /// One of a closed set; `None` for an empty field, and with a note for a wrong one.
    pub fn choice<T>(&mut self, field: &'static str, typed: &str, from_name: impl Fn(&str) -> Option<T>) -> Option<T> {
        let typed = typed.trim();
        if typed.is_empty() {
            return None;
        }
        let choice = from_name(typed);
        if choice.is_none() {
            self.add(field, format!("\"{typed}\" is not one of the choices."));
        }
        choice
    }

    /// What was read, if nothing was wrong.
    pub fn give<T>(self, value: T) -> Result<T, Vec<FieldNote>> {
        if self.0.is_empty() { Ok(value) } else { Err(self.0) }
    }
}

#[cfg(test)]
mod tests {
    form!(Slip { voc_v, isc_a });

    #[test]
    fn every_field_is_reached_by_its_name() {
        let mut slip = Slip::default();
        assert!(Slip::FIELDS.iter().all(|name| slip.set(name, *name)));
        assert_eq!((slip.voc_v.as_str(), slip.get("isc_a")), ("voc_v", Some("isc_a")));
        assert!(!slip.set("pmax_w", "1") && slip.get("pmax_w").is_none());
    }
}
