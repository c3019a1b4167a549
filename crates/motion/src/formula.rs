//! Plain maths of time. Read by `exmex`, which takes any operators: ours are those of `libm`, whose bits are the same
//! everywhere.
use crate::Moment;
use exmex::{BinOp, Express, FlatEx, MakeOperators, Operator};
use std::sync::{Arc, OnceLock};

/// Most letters of a formula.
pub const MOST_LETTERS: usize = 400;

/// A formula as it was typed: numbers, `+ - * / ^`, brackets, `t` in seconds from the first frame, `f` in frames, `pi`,
/// `e`, and `sin cos tan atan exp ln sqrt abs floor ceil sign`. A sign binds more tightly than `^`.
#[derive(Clone, Debug)]
pub struct Formula {
    text: String,
    /// Read when it is first asked.
    read: OnceLock<Option<Arc<FlatEx<f64, Operators>>>>,
}

/// Why a formula can't be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FormulaError(pub String);

impl std::fmt::Display for FormulaError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

type Function = fn(f64) -> f64;

#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct Operators;

impl MakeOperators<f64> for Operators {
    fn make<'a>() -> Vec<Operator<'a, f64>> {
        let op = |apply: fn(f64, f64) -> f64, prio, is_commutative| BinOp { apply, prio, is_commutative };
        let mut all = vec![
            Operator::make_bin_unary("+", op(|a, b| a + b, 0, true), |a: f64| a),
            Operator::make_bin_unary("-", op(|a, b| a - b, 1, false), |a: f64| -a),
            Operator::make_bin("*", op(|a, b| a * b, 2, true)),
            Operator::make_bin("/", op(|a, b| a / b, 3, false)),
            Operator::make_bin("^", op(libm::pow, 4, false)),
            Operator::make_constant("pi", std::f64::consts::PI),
            Operator::make_constant("e", std::f64::consts::E),
        ];
        let functions: [(&str, Function); 11] = [
            ("sin", libm::sin),
            ("cos", libm::cos),
            ("tan", libm::tan),
            ("atan", libm::atan),
            ("exp", libm::exp),
            ("ln", libm::log),
            ("sqrt", libm::sqrt),
            ("abs", libm::fabs),
            ("floor", libm::floor),
            ("ceil", libm::ceil),
            ("sign", |a| if a > 0.0 { 1.0 } else { -f64::from(a < 0.0) }),
        ];
        all.extend(functions.map(|(name, f)| Operator::make_unary(name, f)));
        all
    }
}

impl Formula {
    pub fn new(text: impl Into<String>) -> Formula {
        Formula { text: text.into(), read: OnceLock::new() }
    }

    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether it can be read.
    ///
    /// # Errors
    /// Why not.
    pub fn check(&self) -> Result<(), FormulaError> {
        let letters = self.text.chars().count();
        if letters > MOST_LETTERS {
            return Err(FormulaError(format!("has {letters} letters; the most is {MOST_LETTERS}")));
        }
        let read = FlatEx::<f64, Operators>::parse(&self.text)
            .map_err(|e| FormulaError(format!("can't be read: {e}")))?;
        match read.var_names().iter().find(|n| !["t", "f"].contains(&n.as_str())) {
            Some(name) => Err(FormulaError(format!(
                "names \"{name}\", which there is not; there are t in seconds and f in frames"
            ))),
            None => Ok(()),
        }
    }

    /// Its value at a moment. What can't be read, or gives no finite number, counts as nothing; a scene with one is
    /// refused (`nematon_document::validate`).
    pub fn at(&self, moment: &Moment) -> f64 {
        self.try_at(moment).unwrap_or(0.0)
    }

    /// The same; `None` where it counts as nothing.
    pub fn try_at(&self, moment: &Moment) -> Option<f64> {
        let read = self.read.get_or_init(|| {
            self.check().ok()?;
            FlatEx::parse(&self.text).ok().map(Arc::new)
        });
        let read = read.as_ref()?;
        let of = |n: &String| if n == "t" { moment.seconds() } else { moment.frame };
        read.eval(&read.var_names().iter().map(of).collect::<Vec<_>>()).ok().filter(|v| v.is_finite())
    }
}

impl PartialEq for Formula {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl serde::Serialize for Formula {
    fn serialize<S: serde::Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        self.text.serialize(s)
    }
}

impl<'de> serde::Deserialize<'de> for Formula {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        String::deserialize(d).map(Formula::new)
    }
}

impl schemars::JsonSchema for Formula {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Formula".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({"type": "string", "minLength": 1, "maxLength": MOST_LETTERS})
    }
}
