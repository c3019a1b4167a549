//! Typed keys of the maps in a scene: 1 to 40 of a-z, 0-9 and `-`.
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

macro_rules! id {
    ($name:ident, $what:literal) => {
        #[doc = concat!("Key of a ", $what, " in its scene.")]
        #[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
        #[serde(transparent)]
        pub struct $name(#[schemars(regex(pattern = r"^[a-z0-9][a-z0-9-]{0,39}$"))] pub String);

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(&self.0)
            }
        }
        // A map of these is asked by plain text, too.
        impl std::borrow::Borrow<str> for $name {
            fn borrow(&self) -> &str {
                &self.0
            }
        }
        impl From<&str> for $name {
            fn from(s: &str) -> Self {
                $name(s.to_owned())
            }
        }
    };
}

id!(BodyId, "body");
id!(GripId, "grip");
id!(FieldId, "field");
id!(ColliderId, "collider");
id!(HandleId, "handle");
id!(FigureId, "figure");
id!(CameraId, "camera");
id!(MapId, "map");
id!(ChoiceId, "choice");
id!(SeamId, "seam");
id!(ChamberId, "chamber");

/// True for a key that the maps of a scene accept.
pub(crate) fn is_key(s: &str) -> bool {
    let ok = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit();
    s.len() <= 40 && s.starts_with(ok) && s.chars().all(|c| ok(c) || c == '-')
}
