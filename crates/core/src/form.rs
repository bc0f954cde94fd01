//! Forms as typed: every field is the text a person wrote, reachable by its name.

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
