//! What goes with a thing that is removed: whoever names it lets go of it, found by what the document would be at fault in.
use crate::describe::whose;
use crate::{Fault, validate};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// How often others may let go because of those before them.
const ROUNDS: usize = 64;

/// A thing's removal with all that has to let go of it.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Removal {
    /// RFC 6902, in one edit.
    #[schemars(with = "Vec<Value>")]
    pub patch: json_patch::Patch,
    /// Who lets go, in words, but for those who merely left it out. Empty where nothing else changes.
    pub lets_go: Vec<String>,
}

/// Removes what stands at a path of a document that is right. What stood on it is left where `stands` says that it is, a
/// place in the world by its path.
///
/// # Errors
/// Faults that nothing can let go of.
pub fn removal(
    document: &Value,
    path: &str,
    stands: impl Fn(&str) -> Option<Value>,
) -> Result<Removal, Vec<Fault>> {
    let mut next = document.clone();
    let mut lets_go = vec![];
    drop_at(&mut next, path);
    for _ in 0..ROUNDS {
        let Err(faults) = validate(&next) else {
            let patch = crate::inverse(&next, document);
            return Ok(Removal { patch, lets_go });
        };
        // The last first: of a list those before it keep their places. What is gone with another is gone already.
        let told: Vec<_> = faults.iter().rev().filter_map(|f| let_go(&mut next, &f.path, &stands)).collect();
        if told.is_empty() {
            return Err(faults);
        }
        for t in told.into_iter().rev().flatten() {
            if !lets_go.contains(&t) {
                lets_go.push(t);
            }
        }
    }
    Err(validate(&next).err().unwrap_or_default())
}

/// Lets whoever names what is gone at a path go of it; says who, where that changes what it does. `None` where it can't.
fn let_go(next: &mut Value, path: &str, stands: &impl Fn(&str) -> Option<Value>) -> Option<Option<String>> {
    let own = |p: &str| whose(next, p);
    let parts: Vec<&str> = path.split('/').skip(1).collect();
    let up = |n: usize| format!("/{}", parts[..n].join("/"));
    let (gone, told) = match parts.as_slice() {
        // It stays where it is, on nothing.
        [.., "on"] => {
            let node = up(parts.len() - 1);
            next.pointer(path)?;
            let told = format!("{} stands in the world then", own(&up(2)));
            match (stands(&node), next.pointer_mut(&node)) {
                (Some(place), Some(at)) => *at = place,
                _ => drop_at(next, path),
            }
            return Some(Some(told));
        }
        ["fields", _, "except", _] => (up(4), None),
        ["fields", _, "only", _] => {
            let list = next.pointer(&up(3)).and_then(Value::as_array).map_or(0, Vec::len);
            (up(4), (list < 2).then(|| format!("{} acts on nothing then", own(&up(2)))))
        }
        ["alone"] => (up(1), None),
        ["fields", ..] => (up(2), Some(format!("{} is removed too: it acts by it", own(&up(2))))),
        ["colliders", ..] => (up(2), Some(format!("{} is removed too: it is made of it", own(&up(2))))),
        ["bodies", _, "scaled", what, ..] => {
            (up(4), Some(format!("{} is scaled by no map then", own(&format!("{}/scaled/{what}", up(2))))))
        }
        ["bodies", _, "finish", "by"] => {
            (up(4), Some(format!("{} is finished as thick everywhere then", own(&up(2)))))
        }
        ["bodies", _, "finish", "hides"] => (up(4), Some(format!("{} is finished whole then", own(&up(2))))),
        ["bodies", _, "grips", _, "map"]
            if next
                .pointer(&up(4))
                .is_some_and(|g| g["points"].as_array().is_some_and(|p| !p.is_empty())) =>
        {
            (up(5), Some(format!("{} holds all alike then", own(&up(4)))))
        }
        ["bodies", _, "grips", _, ..] => (up(4), Some(format!("{} lets go", own(&up(4))))),
        ["bodies", _, "kind", _, "source", "from", ..] => {
            (up(6), Some(format!("the pieces of {} come from its own box then", own(&up(2)))))
        }
        ["bodies", _, "kind", _, "spread"] => {
            (up(5), Some(format!("{} grows all over alike then", own(&up(2)))))
        }
        ["bodies", _, "kind", _, what @ ("long" | "large")] => {
            let same = if *what == "long" { "as long" } else { "as large" };
            (up(5), Some(format!("{} grows {same} everywhere then", own(&up(2)))))
        }
        ["bodies", _, "kind", _, "shed", "rules", _, "map"] => {
            (up(8), Some(format!("{} is let go everywhere alike then", own(&up(2)))))
        }
        ["bodies", _, "kind", _, "shed", ..] => {
            (up(2), Some(format!("{} is removed too: it is what they let go", own(&up(2)))))
        }
        ["bodies", _, "kind", _, "from", ..] => {
            (up(2), Some(format!("{} is removed too: it grows on it", own(&up(2)))))
        }
        ["bodies", _, "kind", _, "shape", ..] => {
            (up(2), Some(format!("{} is removed too: it is cut from it", own(&up(2)))))
        }
        _ => return None,
    };
    next.pointer(&gone)?;
    drop_at(next, &gone);
    Some(told)
}

fn drop_at(at: &mut Value, path: &str) {
    let Some((up, key)) = path.rsplit_once('/') else { return };
    let key = key.replace("~1", "/").replace("~0", "~");
    match at.pointer_mut(up) {
        Some(Value::Object(m)) => drop(m.shift_remove(&key)),
        Some(Value::Array(a)) => {
            if let Some(k) = key.parse().ok().filter(|k| *k < a.len()) {
                a.remove(k);
            }
        }
        _ => {}
    }
}
