use crate::{Beyond, Formula, Key, Moment, keys};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Serialize};

/// A number that may change over time.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Value {
    Still(f64),
    Moving(Motion),
}

/// How a number changes: by keys, by a formula, or by the formula added to the keys.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Motion {
    /// One after the other.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub keys: Vec<Key>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub formula: Option<Formula>,
    /// How it goes before the first key.
    #[serde(default, skip_serializing_if = "Beyond::is_hold")]
    pub before: Beyond,
    /// How it goes after the last key.
    #[serde(default, skip_serializing_if = "Beyond::is_hold")]
    pub after: Beyond,
    /// What the formula calls `seed`: another is another of the same kind.
    #[serde(default, skip_serializing_if = "none")]
    pub seed: u32,
}

fn none(seed: &u32) -> bool {
    *seed == 0
}

impl Value {
    /// The number at a moment.
    pub fn at(&self, moment: &Moment) -> f64 {
        match self {
            Value::Still(v) => *v,
            Value::Moving(m) => {
                let formula = m.formula.as_ref().map(|f| f.at(moment, m.seed));
                match (keys::at(&m.keys, [m.before, m.after], moment.frame), formula) {
                    (Some(k), Some(f)) => k + f,
                    (Some(k), None) => k,
                    (None, Some(f)) => f,
                    (None, None) => 0.0,
                }
            }
        }
    }

    /// The way that it goes as a speed, in its unit times seconds, from the first frame to a moment: by parts of at most a frame
    /// (T. Simpson's rule), so that what it was before is the same whatever comes after.
    pub fn way(&self, moment: &Moment) -> f64 {
        match self {
            Value::Still(v) => v * moment.seconds(),
            Value::Moving(_) => self.way_beside(0.0, moment),
        }
    }

    /// How much further it goes than one that always is `beside`: nothing at all where it was that all the while.
    pub fn way_beside(&self, beside: f64, moment: &Moment) -> f64 {
        let Moment { frame, first, rate } = *moment;
        let back = frame < first;
        let (from, to) = if back { (frame, first) } else { (first, frame) };
        let at = |frame: f64| self.at(&Moment { frame, ..*moment }) - beside;
        let (mut sum, mut a, mut begins) = (0.0, from, at(from));
        while a < to {
            let b = (a.floor() + 1.0).min(to);
            let ends = at(b);
            sum += (b - a) / 6.0 * (begins + 4.0 * at(0.5 * (a + b)) + ends);
            (a, begins) = (b, ends);
        }
        if back { -sum / rate } else { sum / rate }
    }

    /// Whether it is the same at all moments.
    pub fn is_still(&self) -> bool {
        matches!(self, Value::Still(_))
    }

    pub fn is(&self, number: f64) -> bool {
        *self == Value::Still(number)
    }
}

impl Default for Value {
    fn default() -> Self {
        Value::Still(0.0)
    }
}

impl From<f64> for Value {
    fn from(v: f64) -> Self {
        Value::Still(v)
    }
}

/// Three plain numbers.
pub fn stills(v: [f64; 3]) -> [Value; 3] {
    v.map(Value::Still)
}

// Written by hand, so that the limits of a field reach it as those of a number do.
impl JsonSchema for Value {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Value".into()
    }
    fn json_schema(g: &mut SchemaGenerator) -> Schema {
        let (key, formula, beyond) =
            (g.subschema_for::<Key>(), g.subschema_for::<Formula>(), g.subschema_for::<Beyond>());
        json_schema!({
            "type": ["number", "object"],
            "format": "double",
            "animatable": true,
            "properties": {
                "keys": {"type": "array", "title": "Keys", "items": key, "maxItems": 20_000},
                "formula": formula,
                "before": beyond.clone(),
                "after": beyond,
                "seed": {"type": "integer", "title": "Seed", "minimum": 0, "maximum": 1_000_000}
            },
            "additionalProperties": false,
            "minProperties": 1
        })
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::Way;
    use serde_json::json;

    fn at(v: &serde_json::Value, frame: f64) -> f64 {
        let v: Value = serde_json::from_value(v.clone()).unwrap();
        v.at(&Moment { frame, first: 1.0, rate: 24.0 })
    }

    #[test]
    fn a_value_goes_its_way_from_key_to_key_and_stays_at_the_ends() {
        let keys = json!({"keys": [{"frame": 10, "value": 1}, {"frame": 20, "value": 3, "then": "step"},
            {"frame": 24, "value": 0, "then": "smooth"}, {"frame": 28, "value": 4}]});
        for (frame, value) in [
            (0.0, 1.0),
            (10.0, 1.0),
            (12.5, 1.5),
            (20.0, 3.0),
            (23.9, 3.0),
            (24.0, 0.0),
            (25.0, 4.0 * 0.15625),
            (26.0, 2.0),
            (30.0, 4.0),
        ] {
            assert_eq!(at(&keys, frame), value, "{frame}");
        }
        assert_eq!(at(&json!(7.5), 12.0), 7.5);
    }

    #[test]
    fn the_way_of_a_speed_is_its_sum_over_time() {
        let way = |v: &serde_json::Value, frame: f64| {
            let v: Value = serde_json::from_value(v.clone()).unwrap();
            v.way(&Moment { frame, first: 1.0, rate: 24.0 })
        };
        assert_eq!(way(&json!(3), 49.0), 6.0);
        let keys = json!({"keys": [{"frame": 1, "value": 0}, {"frame": 25, "value": 2}]});
        for (frame, sum) in [(25.0, 1.0), (13.0, 0.25), (37.5, 1.0 + 2.0 * 12.5 / 24.0)] {
            assert!((way(&keys, frame) - sum).abs() < 1e-12, "{frame}: {}", way(&keys, frame));
        }
        let formula = json!({"formula": "3 * t ^ 2"});
        assert!((way(&formula, 49.0) - 8.0).abs() < 1e-9);
        assert!((way(&formula, -23.0) + 1.0).abs() < 1e-9);
    }

    #[test]
    fn formulas_are_plain_maths_of_time_and_add_to_keys() {
        for (text, value) in [
            ("2 + 3 * 4", 14.0),
            ("7 - 2 - 1", 4.0),
            ("8 / 4 / 2", 1.0),
            ("2 ^ 3 + 1", 9.0),
            ("(1 + 2) * -3", -9.0),
            ("f", 13.0),
            ("t", 0.5),
            ("sin(pi * t)", libm::sin(std::f64::consts::PI * 0.5)),
            ("abs(-2) + floor(1.7) + sign(-3)", 2.0),
        ] {
            assert_eq!(at(&json!({"formula": text}), 13.0), value, "{text}");
        }
        let both =
            json!({"keys": [{"frame": 1, "value": 1}, {"frame": 25, "value": 3}], "formula": "10 * t"});
        assert_eq!(at(&both, 13.0), 2.0 + 5.0);
    }

    #[test]
    fn a_formula_that_is_none_is_told_and_counts_as_nothing() {
        for (text, words) in [
            ("sin(", "number is missing"),
            ("2 *", "number is missing"),
            ("wind * 2", "names \"wind\""),
            (&"1+".repeat(300), "letters"),
        ] {
            let why = Formula::new(text).check().unwrap_err().to_string();
            assert!(why.contains(words), "{text}: {why}");
            assert_eq!(at(&json!({"formula": text}), 3.0), 0.0);
        }
        let moment = Moment { frame: 1.0, first: 1.0, rate: 24.0 };
        assert!(Formula::new("1 / t").check().is_ok());
        assert_eq!(Formula::new("1 / t").try_at(&moment, 0), None);
        assert_eq!(Formula::new("1 / t").at(&moment, 0), 0.0);
    }

    #[test]
    fn json_keeps_what_was_said() {
        for v in [
            json!(3.5),
            json!({"keys": [{"frame": 2, "value": 1.0}]}),
            json!({"keys": [{"frame": 2, "value": 1.0, "then": "step"}], "formula": "t"}),
            json!({"keys": [{"frame": 2, "value": 1.0, "then": "curve", "arrive": {"frames": 1.0, "value": 0.5}}],
                "before": "on", "after": "repeat", "seed": 7}),
        ] {
            let read: Value = serde_json::from_value(v.clone()).unwrap();
            assert_eq!(serde_json::to_value(&read).unwrap(), v);
        }
        assert!(serde_json::from_value::<Value>(json!({"keys": [], "ease": 1})).is_err());
        assert_eq!(Way::default(), Way::Straight);
    }
}
