//! Edits and what takes them back.
use nematon_document::{inverse, same};
use serde_json::json;

#[test]
fn what_is_taken_out_comes_back_where_it_was_and_an_order_is_undone() {
    let before = json!({"name": "a", "fields": {"one": 1, "two": 2, "three": 3}});
    for after in [
        json!({"name": "a", "fields": {"two": 2, "three": 3}}),
        json!({"name": "b", "fields": {"three": 3, "one": 1, "two": 2}}),
        json!({"name": "a", "fields": {"one": 1, "two": 5, "three": 3}}),
    ] {
        let mut back = after.clone();
        assert!(json_patch::patch(&mut back, &inverse(&before, &after)).is_ok());
        assert!(same(&back, &before), "{back}");
    }
}
