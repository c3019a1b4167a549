//! Plain maths of time. Read by `exmex`, which takes any operators: ours are those of `libm`, whose bits are the same
//! everywhere. What can't be read is looked at letter by letter, so that its place can be told.
use crate::Moment;
use exmex::{BinOp, Express, FlatEx, MakeOperators, Operator};
use std::sync::{Arc, OnceLock};

/// Most letters of a formula, and most brackets within each other.
pub const MOST_LETTERS: usize = 400;
pub const MOST_DEEP: usize = 24;

/// What a formula may name beside functions.
const NAMES: [&str; 3] = ["t", "f", "seed"];
const CONSTANTS: [(&str, f64); 3] =
    [("pi", std::f64::consts::PI), ("e", std::f64::consts::E), ("deg", std::f64::consts::PI / 180.0)];
const FUNCTIONS: [(&str, Function); 15] = [
    ("sin", libm::sin),
    ("cos", libm::cos),
    ("tan", libm::tan),
    ("asin", libm::asin),
    ("acos", libm::acos),
    ("atan", libm::atan),
    ("exp", libm::exp),
    ("ln", libm::log),
    ("sqrt", libm::sqrt),
    ("abs", libm::fabs),
    ("floor", libm::floor),
    ("ceil", libm::ceil),
    ("round", libm::round),
    ("sign", |a| if a > 0.0 { 1.0 } else { -f64::from(a < 0.0) }),
    ("noise", noise),
];

/// A formula as it was typed: numbers, `+ - * / ^`, brackets, `t` in seconds from the first frame, `f` in frames, `seed`,
/// `pi`, `e`, `deg` (a degree in radians), and `sin cos tan asin acos atan exp ln sqrt abs floor ceil round sign noise`. A sign binds more tightly than
/// `^`. `noise(x)` wanders smoothly between -1 and 1, about once through for each 2 of x.
#[derive(Clone, Debug)]
pub struct Formula {
    text: String,
    /// Read when it is first asked.
    read: OnceLock<Option<Arc<FlatEx<f64, Operators>>>>,
}

/// Why a formula can't be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FormulaError {
    /// In words that go on from "it".
    pub why: String,
    /// The letter where it goes wrong, counted from 0.
    pub at: usize,
}

impl std::fmt::Display for FormulaError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}, at letter {}", self.why, self.at + 1)
    }
}

type Function = fn(f64) -> f64;

/// Gradient noise in one dimension (K. Perlin, "Improving Noise", 2002, with its smooth step of the fifth degree), its
/// gradients from a well-mixed number of each whole x (G. Steele, D. Lea, C. Flood, 2014).
fn noise(x: f64) -> f64 {
    let low = libm::floor(x);
    let gradient = |k: f64| {
        let mut z = (k as i64 as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    };
    let t = x - low;
    let s = t * t * t * (t * (6.0 * t - 15.0) + 10.0);
    let [a, b] = [gradient(low) * t, gradient(low + 1.0) * (t - 1.0)];
    2.0 * (a + s * (b - a))
}

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
        ];
        all.extend(CONSTANTS.map(|(name, value)| Operator::make_constant(name, value)));
        all.extend(FUNCTIONS.map(|(name, f)| Operator::make_unary(name, f)));
        all
    }
}

/// Goes through a formula letter by letter: what may stand after what.
struct Reader {
    letters: Vec<char>,
    at: usize,
}

impl Reader {
    fn wrong(&self, at: usize, why: impl Into<String>) -> FormulaError {
        FormulaError { why: why.into(), at }
    }

    fn skip(&mut self) -> Option<char> {
        while self.letters.get(self.at).is_some_and(|c| c.is_whitespace()) {
            self.at += 1;
        }
        self.letters.get(self.at).copied()
    }

    fn word(&mut self) -> String {
        let from = self.at;
        let part = |c: &char| c.is_alphanumeric() || *c == '_';
        while self.letters.get(self.at).is_some_and(part) {
            self.at += 1;
        }
        self.letters[from..self.at].iter().collect()
    }

    /// A number: digits with at most one point.
    fn number(&mut self) -> Result<(), FormulaError> {
        let from = self.at;
        let digits = |r: &mut Reader| {
            while r.letters.get(r.at).is_some_and(char::is_ascii_digit) {
                r.at += 1;
            }
        };
        digits(self);
        if self.letters.get(self.at) == Some(&'.') {
            self.at += 1;
            digits(self);
        }
        if self.letters.get(self.at).is_some_and(|c| c.is_alphanumeric() || *c == '.') {
            let text: String = self.letters[from..=self.at].iter().collect();
            return Err(
                self.wrong(from, format!("has \"{text}\", which is no number; write * between two things"))
            );
        }
        Ok(())
    }

    /// What a value may be: signs, then a number, a name, a function of a value, or a sum in brackets.
    fn value(&mut self, deep: usize) -> Result<(), FormulaError> {
        while self.skip().is_some_and(|c| c == '-' || c == '+') {
            self.at += 1;
        }
        let from = self.at;
        match self.skip() {
            None => Err(self.wrong(self.at, "ends where a number is missing")),
            Some('(') => {
                if deep >= MOST_DEEP {
                    return Err(
                        self.wrong(from, format!("has more than {MOST_DEEP} brackets within each other"))
                    );
                }
                self.at += 1;
                self.sum(deep + 1)?;
                match self.skip() {
                    Some(')') => {
                        self.at += 1;
                        Ok(())
                    }
                    Some(c) => Err(self.wrong(self.at, format!("has \"{c}\" where a bracket should close"))),
                    None => Err(self.wrong(from, "has a bracket that never closes")),
                }
            }
            Some(c) if c.is_ascii_digit() || c == '.' => self.number(),
            Some(c) if c.is_alphabetic() => {
                let from = self.at;
                let word = self.word();
                if FUNCTIONS.iter().any(|f| f.0 == word) {
                    return match self.skip() {
                        Some('(') => self.value(deep),
                        _ => Err(self.wrong(from, format!("has {word} without brackets: {word}(…)"))),
                    };
                }
                if NAMES.contains(&word.as_str()) || CONSTANTS.iter().any(|c| c.0 == word) {
                    return Ok(());
                }
                let functions = FUNCTIONS.map(|f| f.0).join(" ");
                Err(self.wrong(
                    from,
                    format!(
                        "names \"{word}\", which there is not; there are t in seconds, f in frames, seed, pi, e, deg and {functions}"
                    ),
                ))
            }
            Some(c) => Err(self.wrong(self.at, format!("has \"{c}\" where a number is missing"))),
        }
    }

    fn sum(&mut self, deep: usize) -> Result<(), FormulaError> {
        self.value(deep)?;
        while self.skip().is_some_and(|c| "+-*/^".contains(c)) {
            self.at += 1;
            self.value(deep)?;
        }
        Ok(())
    }

    fn all(&mut self) -> Result<(), FormulaError> {
        self.sum(0)?;
        match self.skip() {
            None => Ok(()),
            Some(')') => Err(self.wrong(self.at, "has a bracket that was never opened")),
            Some(c) => {
                Err(self.wrong(self.at, format!("has \"{c}\" where it should end or go on with + - * / ^")))
            }
        }
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
    /// Why not, and at which letter.
    pub fn check(&self) -> Result<(), FormulaError> {
        let letters: Vec<char> = self.text.chars().collect();
        if letters.len() > MOST_LETTERS {
            let why = format!("has {} letters; the most is {MOST_LETTERS}", letters.len());
            return Err(FormulaError { why, at: MOST_LETTERS });
        }
        let end = letters.len();
        Reader { letters, at: 0 }.all()?;
        // Whatever else it may be that is refused.
        FlatEx::<f64, Operators>::parse(&self.text)
            .map(|_| ())
            .map_err(|e| FormulaError { why: format!("can't be read: {e}"), at: end })
    }

    /// Its value at a moment. What can't be read, or gives no finite number, counts as nothing; a scene with one is
    /// refused (`nematon_document::validate`).
    pub fn at(&self, moment: &Moment, seed: u32) -> f64 {
        self.try_at(moment, seed).unwrap_or(0.0)
    }

    /// The same; `None` where it counts as nothing.
    pub fn try_at(&self, moment: &Moment, seed: u32) -> Option<f64> {
        let read = self.read.get_or_init(|| {
            self.check().ok()?;
            FlatEx::parse(&self.text).ok().map(Arc::new)
        });
        let read = read.as_ref()?;
        let of = |n: &String| match n.as_str() {
            "t" => moment.seconds(),
            "f" => moment.frame,
            _ => f64::from(seed),
        };
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

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;

    #[test]
    fn every_error_stands_at_its_letter_and_says_what_is_wrong() {
        for (text, at, why) in [
            ("", 0, "a number is missing"),
            ("2 +", 3, "a number is missing"),
            ("2 + * 3", 4, "\"*\" where a number is missing"),
            ("(1 + 2", 0, "never closes"),
            ("1 + 2)", 5, "never opened"),
            ("sin t", 0, "without brackets"),
            ("2 * wind", 4, "\"wind\""),
            ("3t", 0, "no number"),
            ("1.2.3", 0, "no number"),
            ("1e3", 0, "no number"),
            ("t t", 2, "should end"),
            ("2 § 3", 2, "\"§\""),
            ("sin(t) cos(t)", 7, "should end"),
            ("max(1, 2)", 0, "\"max\""),
        ] {
            let e = Formula::new(text).check().unwrap_err();
            assert!(e.at == at && e.why.contains(why), "{text}: {e:?}");
        }
        let deep = format!("{}1{}", "(".repeat(30), ")".repeat(30));
        assert!(Formula::new(deep).check().unwrap_err().why.contains("within each other"));
    }

    #[test]
    fn what_the_reader_takes_the_evaluator_takes_too() {
        let moment = Moment { frame: 13.0, first: 1.0, rate: 24.0 };
        for text in ["-t", "2*-3", "((t))", "sin(-(t+1))^2", "-sin(t) - -cos(f)", "round(2.6) + asin(0.5)"] {
            let f = Formula::new(text);
            assert_eq!(f.check(), Ok(()), "{text}");
            assert!(f.try_at(&moment, 0).is_some(), "{text}");
        }
    }

    #[test]
    fn noise_is_smooth_bounded_uneven_and_tells_seeds_apart() {
        let moment = |x: f64| Moment { frame: 1.0 + x, first: 1.0, rate: 1.0 };
        let f = Formula::new("noise(t + 31.7 * seed)");
        let (mut sum, mut most, mut before) = (0.0, 0.0f64, f.at(&moment(0.0), 1));
        for k in 1..20_000 {
            let v = f.at(&moment(f64::from(k) * 0.01), 1);
            assert!(v.abs() <= 1.0 && (v - before).abs() < 0.06, "{v} after {before}");
            (sum, most, before) = (sum + v, most.max(v.abs()), v);
        }
        assert!(most > 0.5 && (sum / 20_000.0f64).abs() < 0.1, "{most}, {sum}");
        assert_ne!(f.at(&moment(0.4), 1), f.at(&moment(0.4), 2));
    }
}
