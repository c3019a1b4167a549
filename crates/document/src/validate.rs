//! Reading a scene: every fault with its JSON path, never only the first.
use crate::{
    Act, Body, BodyId, By, Choice, Cloth, Field, FieldId, Finishing, Form, HeldTo, MAX_FRAMES, Map, Node,
    Scaled, Scene, Shape, SurfaceOf, VERSION, Weights, describe::whose, ids::is_key, migrate,
};
use jsonschema::error::ValidationErrorKind as Wrong;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::sync::OnceLock;

/// One thing wrong with a document.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Fault {
    /// JSON Pointer (RFC 6901) to the value at fault; empty for the whole document.
    pub path: String,
    /// Where that is, as a person says it; empty for the whole document.
    #[serde(default)]
    pub place: String,
    /// What is wrong and what would be right.
    pub message: String,
}

impl Fault {
    pub(crate) fn new(path: impl Into<String>, message: impl Into<String>) -> Fault {
        Fault { path: path.into(), place: String::new(), message: message.into() }
    }

    /// At a path of a document.
    pub fn of(document: &Value, path: impl Into<String>, message: impl Into<String>) -> Fault {
        let path = path.into();
        let place = if path.is_empty() { String::new() } else { whose(document, &path) };
        Fault { path, place, message: message.into() }
    }
}

impl std::fmt::Display for Fault {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match (self.place.is_empty(), self.path.is_empty()) {
            (_, true) => write!(f, "{}", self.message),
            (true, _) => write!(f, "{}: {}", self.path, self.message),
            _ => write!(f, "{} ({}): {}", self.place, self.path, self.message),
        }
    }
}

/// The JSON Schema (2020-12) of a scene, with titles, units, limits and defaults. Beside the standard's words numbers that
/// may move say `animatable`, those that are seldom changed `seldom`, and kinds of fields that stand somewhere `placed`.
pub fn schema() -> &'static Value {
    static SCHEMA: OnceLock<Value> = OnceLock::new();
    SCHEMA.get_or_init(|| {
        let mut schema = schemars::schema_for!(Scene).to_value();
        // What a field of each kind begins as; pages offer these.
        schema["$defs"]["Act"]["examples"] = serde_json::to_value(Act::all()).unwrap_or_default();
        schema
    })
}

fn validator() -> &'static jsonschema::Validator {
    static VALIDATOR: OnceLock<jsonschema::Validator> = OnceLock::new();
    VALIDATOR.get_or_init(|| jsonschema::validator_for(schema()).expect("the scene's own schema is valid"))
}

/// Reads the text of a scene file, of an older version too.
///
/// # Errors
/// Every fault found, in the order of the document.
pub fn parse(text: &str) -> Result<Scene, Vec<Fault>> {
    let value = serde_json::from_str(text).map_err(|e| vec![Fault::new("", format!("not JSON: {e}"))])?;
    validate(&migrate(value))
}

/// Checks a document and gives the scene it holds.
///
/// # Errors
/// Every fault found: shape and limits first, then what only makes sense together.
pub fn validate(document: &Value) -> Result<Scene, Vec<Fault>> {
    let placed = |f: Fault| Fault::of(document, f.path, f.message);
    check(document).map_err(|faults| faults.into_iter().map(placed).collect())
}

fn check(document: &Value) -> Result<Scene, Vec<Fault>> {
    if let Some(v) = document.get("nematon").and_then(Value::as_u64)
        && v > u64::from(VERSION)
    {
        let message = format!("written by a newer Nematon (document version {v}, this one reads {VERSION})");
        return Err(vec![Fault::new("/nematon", message)]);
    }
    let mut faults = vec![];
    for e in validator().iter_errors(document) {
        tell(&e, "", &mut faults);
    }
    keys(document, &mut faults);
    if !faults.is_empty() {
        return Err(faults);
    }
    let scene: Scene =
        serde_json::from_value(document.clone()).map_err(|e| vec![Fault::new("", e.to_string())])?;
    crate::moving::check(document, &mut faults);
    together(&scene, &mut faults);
    if faults.is_empty() { Ok(scene) } else { Err(faults) }
}

/// Turns a schema error into words, one fault for each cause.
fn tell(e: &jsonschema::ValidationError<'_>, base: &str, faults: &mut Vec<Fault>) {
    let path = format!("{base}{}", e.instance_path());
    let unit = unit_at(&path).map(|u| format!(" {u}")).unwrap_or_default();
    let at = &e.instance();
    let message = match e.kind() {
        Wrong::Minimum { limit } => format!("is {at}{unit}; it must be at least {limit}{unit}"),
        Wrong::Maximum { limit } => format!("is {at}{unit}; it must be at most {limit}{unit}"),
        Wrong::AdditionalProperties { unexpected } => {
            faults.extend(
                unexpected.iter().map(|u| Fault::new(format!("{path}/{u}"), "is not a known property")),
            );
            return;
        }
        Wrong::Required { property } => format!("{property} is missing"),
        Wrong::OneOfNotValid { .. } | Wrong::AnyOf { .. } => {
            // The branch that the key names is the one that was meant: say what is wrong in it.
            return branch(at, &path, faults);
        }
        Wrong::MinItems { limit } => format!("holds too little: at least {limit} needed"),
        Wrong::MaxItems { limit } => format!("holds too much: {limit} at most"),
        Wrong::MinLength { .. } => "must not be empty".to_owned(),
        _ => e.to_string(),
    };
    faults.push(Fault::new(path, message));
}

/// Faults inside the variant of an enum that the document names.
fn branch(at: &Value, path: &str, faults: &mut Vec<Fault>) {
    let mut found = vec![];
    let choice = |s: &'static Value| s.get("oneOf").or(s.get("anyOf")).and_then(Value::as_array);
    let mut options = schema_at(path).and_then(choice);
    // What may be left out stands around what it is: the choice that is meant is the inner one.
    while let Some(inner) = options.and_then(|all| {
        let mut others = all.iter().filter(|o| o.get("type").is_none_or(|t| t != "null"));
        let one = others.next().filter(|_| others.next().is_none())?;
        choice(follow(one))
    }) {
        options = Some(inner);
    }
    if let Some(options) = options {
        let refers = |o: &&Value| o.get("$ref").is_some();
        let named = options.iter().find(|o| match at {
            Value::Object(m) => {
                let has = |k: &String| follow_in(o).pointer(&format!("/properties/{k}")).is_some();
                m.keys().any(has)
            }
            _ => !at.is_string() && refers(o),
        });
        // What may be left out, and has nothing in it that is known, was still meant to be there.
        let named = named.or_else(|| options.iter().find(|o| at.is_object() && refers(o)));
        if let Some(option) = named {
            let mut root = option.clone();
            root["$defs"] = schema()["$defs"].clone();
            if let Ok(v) = jsonschema::validator_for(&root) {
                for e in v.iter_errors(at) {
                    tell(&e, path, &mut found);
                }
            }
        } else {
            let names: Vec<String> = options
                .iter()
                .map(follow_in)
                .flat_map(|o| {
                    let keys = o.get("properties").and_then(Value::as_object);
                    let words = o.get("enum").and_then(Value::as_array);
                    let word = o.get("const").and_then(Value::as_str).map(str::to_owned);
                    keys.into_iter()
                        .flat_map(|k| k.keys().cloned())
                        .chain(words.into_iter().flatten().filter_map(|w| w.as_str().map(str::to_owned)))
                        .chain(word)
                        .collect::<Vec<_>>()
                })
                .collect();
            found.push(Fault::new(path, format!("must be one of: {}", names.join(", "))));
        }
    }
    if found.is_empty() {
        found.push(Fault::new(path, "does not fit the schema"));
    }
    faults.extend(found);
}

/// The part of the schema that describes the value at a JSON Pointer, with references followed.
pub(crate) fn schema_at(path: &str) -> Option<&'static Value> {
    let mut at = follow(schema());
    for key in path.split('/').skip(1) {
        let key = key.replace("~1", "/").replace("~0", "~");
        at = follow(step(at, &key)?);
    }
    Some(at)
}

fn step<'a>(at: &'a Value, key: &str) -> Option<&'a Value> {
    if let Some(p) = at.get("properties").and_then(|p| p.get(key)) {
        return Some(p);
    }
    if let Some(options) = at.get("oneOf").or(at.get("anyOf")).and_then(Value::as_array) {
        return options.iter().find_map(|o| step(follow_in(o), key));
    }
    if key.parse::<usize>().is_ok()
        && let Some(items) = at.get("items")
    {
        return Some(items);
    }
    if let Some(p) = at.get("patternProperties").and_then(Value::as_object).and_then(|p| p.values().next()) {
        return Some(p);
    }
    at.get("additionalProperties").filter(|v| v.is_object())
}

fn follow_in(at: &Value) -> &Value {
    match at.get("$ref").and_then(Value::as_str) {
        Some(r) => schema().pointer(r.trim_start_matches('#')).unwrap_or(at),
        None => at,
    }
}
fn follow(at: &'static Value) -> &'static Value {
    follow_in(at)
}

/// The unit that the schema gives for a value; that of an array holds for its numbers.
pub(crate) fn unit_at(path: &str) -> Option<&'static str> {
    let own = |p: &str| schema_at(p)?.get("unit")?.as_str();
    own(path).or_else(|| own(path.rsplit_once('/')?.0))
}

fn keys(document: &Value, faults: &mut Vec<Fault>) {
    let mut check = |at: &Value, path: String| {
        for key in at.as_object().into_iter().flat_map(|m| m.keys()).filter(|k| !is_key(k)) {
            let message = "keys are 1 to 40 of a-z, 0-9 and -, starting with a letter or digit";
            faults.push(Fault::new(format!("{path}/{key}"), message));
        }
    };
    check(&document["bodies"], "/bodies".into());
    for of in ["fields", "colliders", "handles", "figures", "cameras"] {
        check(&document[of], format!("/{of}"));
    }
    for (id, body) in document["bodies"].as_object().into_iter().flatten() {
        check(&body["grips"], format!("/bodies/{id}/grips"));
        check(&body["maps"], format!("/bodies/{id}/maps"));
        check(&body["choices"], format!("/bodies/{id}/choices"));
        let cloth = &body["kind"]["cloth"];
        check(&cloth["seams"], format!("/bodies/{id}/kind/cloth/seams"));
        check(&cloth["chambers"], format!("/bodies/{id}/kind/cloth/chambers"));
    }
}

/// What the schema can't say: values that must fit each other.
fn together(scene: &Scene, faults: &mut Vec<Fault>) {
    span(scene, faults);
    for (id, body) in &scene.bodies {
        for (at, why) in body.kind.faults(body) {
            faults.push(Fault::new(format!("/bodies/{id}/{at}"), why));
        }
        handles(scene, id, body, faults);
        areas(id, body, faults);
        maps(id, body, faults);
        if let Some(skin) = body.skin() {
            if !scene.figures.contains_key(skin.figure.as_str()) {
                let message = format!("names the figure \"{}\", which there is not", skin.figure);
                faults.push(Fault::new(format!("/bodies/{id}/kind/cloth/shape/figure/figure"), message));
            }
            if body.place != Node::default() {
                let message = "can't be elsewhere: it begins where its figure is. Move the figure";
                faults.push(Fault::new(format!("/bodies/{id}/place"), message));
            }
        }
        crate::hanging::source(scene, id, body, faults);
        // What comes from a place, or is held to it by its roots, goes with it.
        if !body.place.is_still() && body.kind.outlet().is_none() {
            let message = "is where the body starts: it does not move. Hold it to a handle that does";
            faults.push(Fault::new(format!("/bodies/{id}/place"), message));
        }
        if let Some(Cloth { shape: Shape::Sheet(_), .. }) = body.kind.cloth() {
            sheet_names(id, body, faults);
        }
    }
    crate::hanging::rings(scene, faults);
    shapes_in_order(scene, faults);
    crate::moving::parents(scene, faults);
    for (id, c) in &scene.colliders {
        if let Form::Figure(f) = &c.form {
            if !scene.figures.contains_key(f.figure.as_str()) {
                let message = format!("names the figure \"{}\", which there is not", f.figure);
                faults.push(Fault::new(format!("/colliders/{id}/form/figure/figure"), message));
            }
            if c.place != Node::default() {
                let message = "can't be elsewhere: it is where its figure is. Move the figure";
                faults.push(Fault::new(format!("/colliders/{id}/place"), message));
            }
        }
        if c.hollow && !c.form.can_be_hollow() {
            let message = "only balls, capsules, boxes and hulls can keep cloth inside";
            faults.push(Fault::new(format!("/colliders/{id}/hollow"), message));
        }
    }
    if let Some(alone) = scene.alone.as_ref().filter(|a| !scene.fields.contains_key(*a)) {
        faults.push(Fault::new("/alone", format!("names the field \"{alone}\", which there is not")));
    }
    for (id, field) in &scene.fields {
        acts(scene, id, field, faults);
        if let Some(w) = &field.when
            && w.until < w.from
        {
            let message = format!("is before the frame it starts at ({} < {})", w.until, w.from);
            faults.push(Fault::new(format!("/fields/{id}/when/until"), message));
        }
    }
}

fn span(scene: &Scene, faults: &mut Vec<Fault>) {
    let span = &scene.frames;
    if span.last < span.first {
        let message = format!("is before the first frame ({} < {})", span.last, span.first);
        faults.push(Fault::new("/frames/last", message));
    } else if span.count() as i64 > MAX_FRAMES {
        let message = format!("makes {} frames; the most is {MAX_FRAMES}", span.count());
        faults.push(Fault::new("/frames/last", message));
    }
    let Some(l) = &span.looped else { return };
    if l.from < span.first {
        let message = format!("is before the first frame ({} < {})", l.from, span.first);
        faults.push(Fault::new("/frames/loop/from", message));
    } else if l.last() > span.last {
        let message = format!("makes the loop end at frame {}, after the last, {}", l.last(), span.last);
        faults.push(Fault::new("/frames/loop/length", message));
    }
    if l.blend >= l.length {
        let message = format!("is all of the loop's {} frames: blend fewer", l.length);
        faults.push(Fault::new("/frames/loop/blend", message));
    } else if l.takes_from() < span.first {
        let message = format!(
            "takes {} frames before frame {}, and the shot has {}",
            l.blend,
            l.from,
            (l.from - span.first).max(0)
        );
        faults.push(Fault::new("/frames/loop/blend", message));
    }
}

/// A field stands, ends and chooses as its kind can.
fn acts(scene: &Scene, id: &FieldId, field: &Field, faults: &mut Vec<Fault>) {
    let Field { place, only, except, by, map, act, .. } = field;
    if let Some(m) = map {
        laid(m, &format!("/fields/{id}/map"), faults);
    }
    let mut refuse =
        |at: String, message: &str| faults.push(Fault::new(format!("/fields/{id}/{at}"), message));
    if place.is_some() && !act.can_stand() {
        refuse("place".into(), "is of no use: the scene says where this kind acts. Give it a zone instead");
    }
    match (act, by) {
        (Act::Gravity(_), Some(By::Air | By::Force)) => {
            refuse("by".into(), "can't be: weight pushes all alike, it moves no air")
        }
        (Act::Shelter(_), Some(By::Push | By::Force)) => {
            refuse("by".into(), "can't be: shelter slows air, it does not push")
        }
        _ => {}
    }
    for (at, bodies) in
        [("only", only.iter().flatten().collect::<Vec<_>>()), ("except", except.iter().collect())]
    {
        for (k, body) in bodies.into_iter().enumerate() {
            if !scene.bodies.contains_key(body) {
                refuse(format!("{at}/{k}"), &format!("names the body \"{body}\", which there is not"));
            }
        }
    }
    if let (Some(_), false) = (map, matches!(act, Act::Skin(_))) {
        refuse("map".into(), "is of no use: only a skin has a surface that weights can be on");
    }
    for (k, layer) in map.iter().flat_map(|m| m.layers.iter().enumerate()) {
        if matches!(&layer.weights, Weights::Painted(_) | Weights::Distance(_) | Weights::Border(_)) {
            let why = "can't be laid on a surface that is no body: take a zone, a ramp, noise or a picture";
            refuse(format!("map/layers/{k}/weights"), why);
        }
    }
    match act {
        Act::Skin(s) => {
            let (what, name, there) = match &s.of {
                SurfaceOf::Collider(c) => ("collider", c, scene.colliders.contains_key(c.as_str())),
                SurfaceOf::Figure(f) => ("figure", f, scene.figures.contains_key(f.as_str())),
            };
            if !there {
                let message = format!("names the {what} \"{name}\", which there is not");
                refuse(format!("act/skin/of/{what}"), &message);
            } else if what == "collider" && matches!(scene.colliders[name.as_str()].form, Form::Plane(_)) {
                refuse(
                    format!("act/skin/of/{what}"),
                    "is a plane, which has no end: choose a surface that has one",
                );
            }
        }
        Act::Stream(s) => {
            if s.points.iter().all(|p| *p == s.points[0]) {
                refuse(
                    "act/stream/points".into(),
                    "are all at one place: a stream goes from somewhere to somewhere",
                );
            } else if s.closed && s.points.len() < 3 {
                refuse("act/stream/closed".into(), "can't be: a closed curve has at least three points");
            }
        }
        _ => {}
    }
}

fn layers(body: &Body) -> usize {
    body.kind.cloth().and_then(|c| c.layers.as_ref()).map_or(1, |l| l.count as usize)
}

fn handles(scene: &Scene, id: &BodyId, body: &Body, faults: &mut Vec<Fault>) {
    for (grip, g) in &body.grips {
        let missing = match &g.to {
            HeldTo::Handle(h) if !scene.handles.contains_key(h) => ("handle", &h.0),
            HeldTo::Figure(f) if !scene.figures.contains_key(f.figure.as_str()) => ("figure", &f.figure),
            HeldTo::Body(b) if !scene.bodies.contains_key(b) => ("body", &b.0),
            HeldTo::Body(b) if scene.bodies[b].kind.cloth().is_none() => {
                let message = format!("names \"{}\", which has no surface to hold to", scene.bodies[b].name);
                faults.push(Fault::new(format!("/bodies/{id}/grips/{grip}/to/body"), message));
                continue;
            }
            HeldTo::World | HeldTo::Handle(_) | HeldTo::Figure(_) | HeldTo::Body(_) => continue,
        };
        let (what, name) = missing;
        let message = format!("names the {what} \"{name}\", which there is not");
        faults.push(Fault::new(format!("/bodies/{id}/grips/{grip}/to/{what}"), message));
    }
}

/// The spots that an area's parts name are there.
fn areas(id: &BodyId, body: &Body, faults: &mut Vec<Fault>) {
    for (grip, g) in &body.grips {
        for (k, choice) in g.points.iter().enumerate() {
            let Choice::Area(a) = choice else { continue };
            let named = a.triangles.iter().flatten().chain(a.edges.iter().flatten());
            if let Some(spot) = named.copied().find(|s| *s as usize >= a.spots.len()) {
                let message = format!("names the spot {spot}, and there are {}", a.spots.len());
                faults.push(Fault::new(format!("/bodies/{id}/grips/{grip}/points/{k}/area"), message));
            }
        }
    }
}

fn maps(id: &BodyId, body: &Body, faults: &mut Vec<Fault>) {
    for (what, by) in body.scaled.iter().filter(|(_, by)| !body.maps.contains_key(&by.map)) {
        let key = serde_json::to_value(what).unwrap_or_default();
        let message = format!("names the map \"{}\", which the body does not have", by.map);
        faults.push(Fault::new(format!("/bodies/{id}/scaled/{}/map", key.as_str().unwrap_or("")), message));
    }
    for (grip, g) in &body.grips {
        let path = format!("/bodies/{id}/grips/{grip}");
        match &g.map {
            Some(map) if !body.maps.contains_key(map) => {
                let message = format!("names the map \"{map}\", which the body does not have");
                faults.push(Fault::new(format!("{path}/map"), message));
            }
            None if g.points.is_empty() => {
                let message = "holds no points: choose some, or say by which map it holds";
                faults.push(Fault::new(format!("{path}/points"), message));
            }
            _ => {}
        }
    }
    if let Some(f) = &body.finish {
        for (key, map) in [("by", &f.by), ("hides", &f.hides)] {
            if let Some(map) = map.as_ref().filter(|m| !body.maps.contains_key(*m)) {
                let message = format!("names the map \"{map}\", which the body does not have");
                faults.push(Fault::new(format!("/bodies/{id}/finish/{key}"), message));
            }
        }
        if !Finishing::ALL.iter().all(|k| f.order.contains(k)) {
            let message = "does something twice: it has evened out, smoothed and thick once each";
            faults.push(Fault::new(format!("/bodies/{id}/finish/order"), message));
        }
    }
    if body.scaled.contains_key(&Scaled::Follow) && body.follow.is_none() {
        let message = "scales how strongly the body follows, and it does not follow at all";
        faults.push(Fault::new(format!("/bodies/{id}/scaled/follow"), message));
    }
    for (map, m) in &body.maps {
        laid(m, &format!("/bodies/{id}/maps/{map}"), faults);
    }
}

/// The layers of a map fit each other, and what they become.
fn laid(m: &Map, path: &str, faults: &mut Vec<Fault>) {
    if let Some(k) = m.remap.windows(2).position(|w| w[1][0] <= w[0][0]) {
        let message = format!("does not come after the one before it ({})", m.remap[k][0]);
        faults.push(Fault::new(format!("{path}/remap/{}/0", k + 1), message));
    }
    for (k, layer) in m.layers.iter().enumerate() {
        let path = format!("{path}/layers/{k}/weights");
        match &layer.weights {
            Weights::Ramp(r) if r.from == r.to => {
                let message =
                    format!("is where it begins too ({}): a ramp goes from one place to another", r.to);
                faults.push(Fault::new(format!("{path}/ramp/to"), message));
            }
            Weights::Painted(p) if p.on.is_none() && !p.strokes.is_empty() => {
                let message = "is missing: strokes are on the points of some surface";
                faults.push(Fault::new(format!("{path}/painted/on"), message));
            }
            _ => {}
        }
    }
}

/// A sheet's borders and corners are known before it is made.
fn sheet_names(id: &BodyId, body: &Body, faults: &mut Vec<Fault>) {
    let layers = layers(body);
    for (grip, g) in &body.grips {
        for (k, choice) in g.points.iter().enumerate() {
            let (name, known): (&str, &[&str]) = match choice {
                Choice::Border { border, .. } => (border, &SHEET_BORDERS),
                Choice::Corner(corner) => (corner, &SHEET_CORNERS),
                Choice::Near(_) | Choice::Area(_) => continue,
            };
            // The later layers' are numbered from 2 on.
            let of_layer = || {
                let (name, number) = name.rsplit_once(' ')?;
                let k: usize = number.parse().ok()?;
                let fits = known.contains(&name) && (2..=layers).contains(&k) && number == k.to_string();
                fits.then_some(())
            };
            if !known.contains(&name) && of_layer().is_none() {
                let more =
                    if layers > 1 { format!(", and up to \"{} {layers}\"", known[0]) } else { String::new() };
                let message = format!("a sheet has no \"{name}\"; it has {}{more}", known.join(", "));
                faults.push(Fault::new(format!("/bodies/{id}/grips/{grip}/points/{k}"), message));
            }
        }
    }
}

/// The shapes of a mesh come one after the other.
fn shapes_in_order(scene: &Scene, faults: &mut Vec<Fault>) {
    for (id, c) in &scene.colliders {
        if let Some((path, frames)) = c.form.keyed() {
            crate::moving::in_order(&frames, &format!("/colliders/{id}/form/{path}"), faults);
        }
    }
}

/// The borders of a sheet, named from above with -z at the back.
pub const SHEET_BORDERS: [&str; 4] = ["back", "right", "front", "left"];
/// The corners of a sheet.
pub const SHEET_CORNERS: [&str; 4] = ["back left", "back right", "front right", "front left"];
