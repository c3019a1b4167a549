//! Names of bodies as names of files.
use std::collections::HashSet;

/// Most bytes of a file's name before its ending.
const MOST: usize = 120;

/// A name that any file system takes, as near as can be to what it was: no separators, no control characters, no dots
/// at its ends, none of the names that some systems keep for devices.
pub fn file_name(name: &str) -> String {
    let options = sanitize_filename::Options { windows: true, truncate: true, replacement: "_" };
    let safe = sanitize_filename::sanitize_with_options(name.trim(), options);
    let mut safe = safe.trim_matches(['.', ' ']).to_owned();
    while safe.len() > MOST {
        safe.pop();
    }
    if safe.contains(char::is_alphanumeric) { safe } else { "untitled".to_owned() }
}

/// File names for some names, in their order, no two alike even where case does not count: of two "Flag" the second is
/// "Flag 2".
pub fn file_names<'a>(names: impl IntoIterator<Item = &'a str>) -> Vec<String> {
    let mut taken = HashSet::new();
    let one = |name: &str| {
        let base = file_name(name);
        let mut found = base.clone();
        let mut n = 1;
        while !taken.insert(found.to_lowercase()) {
            n += 1;
            found = format!("{base} {n}");
        }
        found
    };
    names.into_iter().map(one).collect()
}
