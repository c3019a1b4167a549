//! Curves of files.
use nematon_formats::{MOST_CURVE_POINTS, ReadError, read_curves};

#[test]
fn lines_of_an_obj_are_curves_and_go_on_where_the_one_before_ended() {
    let text = "o gully\nv 0 0 0\nv 1 0 0\nv 2 0.5 0\nv 9 9 9\nl 1 2\nl 2 3\no ring\nl 1 2 3 1\n";
    let found = read_curves("a.OBJ", text.as_bytes()).unwrap();
    assert_eq!(found.len(), 2);
    assert_eq!((found[0].name.as_str(), found[0].points.len(), found[0].closed), ("gully", 3, false));
    assert_eq!((found[1].points.len(), found[1].closed), (3, true), "a ring closes");
}

#[test]
fn curves_of_usd_text_are_read_with_their_counts_and_wrap() {
    let text = "#usda 1.0\ndef Xform \"a\"\n{\n def BasisCurves \"way\" (\n )\n {\n  uniform token wrap = \"periodic\"\n  \
                int[] curveVertexCounts = [3, 4]\n  point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0),\n (0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)]\n }\n}\n";
    let found = read_curves("w.usda", text.as_bytes()).unwrap();
    assert_eq!(found.iter().map(|c| c.points.len()).collect::<Vec<_>>(), [3, 4]);
    assert!(found.iter().all(|c| c.closed && c.name == "way"));
}

#[test]
fn what_is_no_curve_is_told_in_words() {
    let told = |name: &str, bytes: &[u8]| read_curves(name, bytes).unwrap_err().to_string();
    assert!(told("a.png", b"x").contains(".usd (as text or binary) are"));
    assert!(told("a.obj", b"v 0 0 0\nv 1 1 1\n").contains("no curve"));
    assert!(told("a.obj", b"v 0 0 0\nl 1 7\n").contains("no point 7"));
    assert!(told("a.usda", b"nothing").contains("#usda"));
    assert!(told("a.glb", b"glTF nonsense").contains("glTF"));
    assert_eq!(read_curves("a.obj", b"").unwrap_err(), ReadError::Empty);
}

#[test]
fn a_curve_of_too_many_points_keeps_its_ends() {
    let mut text = String::new();
    (0..5000).for_each(|k| text += &format!("v {k} 0 0\n"));
    text += "l";
    (1..=5000).for_each(|k| text += &format!(" {k}"));
    let found = read_curves("long.obj", text.as_bytes()).unwrap();
    assert_eq!(found[0].points.len(), MOST_CURVE_POINTS);
    assert_eq!((found[0].points[0][0], found[0].points[399][0]), (0.0, 4999.0));
}
