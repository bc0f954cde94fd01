//! Closed sets of choices, each with one name for machines (SQL, CSV, JSON) and one for people. In JSON a choice is its name.

/// Gives an enum `ALL`, `name`, `label` and `from_name` from one table.
macro_rules! named {
    ($set:ident { $($variant:ident = $name:literal, $label:literal;)+ }) => {
        impl $set {
            /// Every choice, in the order in which they are offered.
            pub const ALL: &'static [$set] = &[$($set::$variant),+];

            /// The name used in the store, in CSV and over HTTP.
            pub fn name(self) -> &'static str {
                match self { $($set::$variant => $name),+ }
            }

            /// What a person reads.
            pub fn label(self) -> &'static str {
                match self { $($set::$variant => $label),+ }
            }

            /// The choice of this [`name`](Self::name).
            pub fn from_name(name: &str) -> Option<Self> {
                match name { $($name => Some($set::$variant),)+ _ => None }
            }
        }

        impl serde::Serialize for $set {
            fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
                to.serialize_str(self.name())
            }
        }

        impl<'de> serde::Deserialize<'de> for $set {
            fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
                let name = <String as serde::Deserialize>::deserialize(from)?;
                $set::from_name(&name).ok_or_else(|| {
                    serde::de::Error::custom(format!("\"{name}\" is not one of {}", [$($name),+].join(", ")))
                })
            }
        }
    };
}
pub(crate) use named;

#[cfg(test)]
mod tests {
    #[derive(Debug, Clone, Copy, PartialEq)]
    enum Lamp {
        Off,
        On,
    }
    named!(Lamp { Off = "off", "switched off"; On = "on", "switched on"; });

    #[test]
    fn every_name_reads_back() {
        assert!(Lamp::ALL.iter().all(|lamp| Lamp::from_name(lamp.name()) == Some(*lamp)));
        assert_eq!(Lamp::from_name("dim"), None);
        assert_eq!(Lamp::On.label(), "switched on");
    }
}
