//! Files come from anywhere: whatever their bytes, reading ends in a mesh or in words, never in a panic.
use nematon_formats::*;
use nematon_geometry::{ball, check, sheet};

/// Numbers that look random and are the same each time.
struct Dice(u64);

impl Dice {
    fn throw(&mut self, below: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % below
    }
}

/// One triangle as GLB: its JSON may be changed before it is packed.
fn glb(edit: impl Fn(&mut serde_json::Value)) -> Vec<u8> {
    let positions: [[f32; 3]; 3] = [[0.0; 3], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]];
    let mut bin: Vec<u8> = positions.iter().flatten().flat_map(|c| c.to_le_bytes()).collect();
    bin.extend([0u16, 1, 2, 0].iter().flat_map(|i| i.to_le_bytes()));
    let mut json = serde_json::json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "buffers": [{"byteLength": bin.len()}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 6}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"}]
    });
    edit(&mut json);
    let mut text = json.to_string().into_bytes();
    while !text.len().is_multiple_of(4) {
        text.push(b' ');
    }
    let mut out = b"glTF".to_vec();
    out.extend(2u32.to_le_bytes());
    out.extend((28 + text.len() as u32 + bin.len() as u32).to_le_bytes());
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(b"JSON");
    out.extend(&text);
    out.extend((bin.len() as u32).to_le_bytes());
    out.extend(b"BIN\0");
    out.extend(&bin);
    out
}

#[test]
fn a_glb_of_one_triangle_is_read() {
    let m = read_mesh("t.glb", &glb(|_| ())).unwrap();
    assert_eq!((m.positions.len(), m.triangles.len()), (3, 1));
}

#[test]
fn a_file_that_ends_anywhere_is_refused_or_read_in_part() {
    let m = sheet(2.0, 1.0, 4, 3);
    let obj = write_obj("sheet", &m, &m.positions, With::default()).into_bytes();
    for end in 0..obj.len() {
        // A face may end early and still be one of fewer corners; a point that is missing is told.
        if let Ok(part) = read_mesh("a.obj", &obj[..end]) {
            assert!(part.triangles.iter().flatten().all(|p| (*p as usize) < part.positions.len()), "{end}");
        }
    }
    let whole = glb(|_| ());
    for end in 0..whole.len() {
        assert!(read_mesh("a.glb", &whole[..end]).is_err(), "it ends after {end} bytes of {}", whole.len());
    }
}

#[test]
fn bytes_that_are_changed_anywhere_never_panic() {
    let m = ball(0.3, 3);
    let files = [
        ("a.obj", write_obj("ball", &m, &m.positions, With::default()).into_bytes()),
        ("a.glb", glb(|_| ())),
    ];
    let mut dice = Dice(11);
    for (name, good) in &files {
        let (mut read, mut refused) = (0, 0);
        for _ in 0..3000 {
            let mut bytes = good.clone();
            for _ in 0..=dice.throw(4) {
                let at = dice.throw(bytes.len());
                match dice.throw(3) {
                    0 => bytes[at] = dice.throw(256) as u8,
                    1 => bytes[at] ^= 1 << dice.throw(8),
                    _ => {
                        bytes.remove(at);
                    }
                }
            }
            match read_mesh(name, &bytes) {
                Ok(mesh) => {
                    read += 1;
                    // What was read is looked at before it is used: that must not panic either.
                    let _ = check(&mesh, 10_000);
                    let points = mesh.positions.len();
                    assert!(mesh.triangles.iter().flatten().all(|p| (*p as usize) < points));
                }
                Err(e) => {
                    refused += 1;
                    assert!(!e.to_string().is_empty());
                }
            }
        }
        println!("{name}: {read} read, {refused} refused");
        assert!(read > 0 && refused > 0);
    }
}

#[test]
fn a_glb_that_contradicts_itself_is_refused() {
    type Edit = fn(&mut serde_json::Value);
    let cases: [(&str, Edit); 7] = [
        ("more points than bytes", |j| j["accessors"][0]["count"] = 300.into()),
        ("more indices than bytes", |j| j["accessors"][1]["count"] = 3000.into()),
        ("a view past the end", |j| j["bufferViews"][0]["byteOffset"] = 1_000_000.into()),
        ("no such accessor", |j| j["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = 9.into()),
        ("no such mesh", |j| j["nodes"][0]["mesh"] = 4.into()),
        ("a version to come", |j| j["asset"]["version"] = "9.0".into()),
        ("points of words", |j| j["accessors"][0]["type"] = "WORD".into()),
    ];
    for (what, edit) in cases {
        let got = read_mesh("a.glb", &glb(edit));
        assert!(got.is_err(), "{what}: {got:?}");
    }
    // A node that is its own child.
    let endless = glb(|j| j["nodes"][0]["children"] = serde_json::json!([0]));
    assert!(read_mesh("a.glb", &endless).is_err());
}

#[test]
fn numbers_of_any_spelling_are_read_and_what_is_not_finite_is_found() {
    let text = "v 1e-3 -2.5E2 +.5\nv 0 1 0\nv 1 0 0\r\n\n   f   1   2   3   # a face\n";
    let m = read_mesh("n.obj", text.as_bytes()).unwrap();
    assert_eq!(m.positions[0], [1e-3, -250.0, 0.5]);
    assert_eq!(m.triangles, [[0, 1, 2]]);
    for wild in ["NaN", "inf", "1e99"] {
        let text = format!("v {wild} 0 0\nv 0 1 0\nv 1 0 0\nf 1 2 3\n");
        // Told by the reader or by the check, which an import runs both.
        let bad = read_mesh("n.obj", text.as_bytes()).map_or(true, |m| check(&m, 100).is_err());
        assert!(bad, "{wild} passes");
    }
}

#[test]
fn a_small_file_that_asks_for_any_number_of_points_is_refused_before_they_are_made() {
    type Edit = fn(&mut serde_json::Value);
    let cases: [(&str, Edit); 3] = [
        ("few numbers among zeros", |j| {
            j["accessors"][0]["count"] = 4_000_000_000u32.into();
            j["accessors"][0].as_object_mut().unwrap().remove("bufferView");
            j["accessors"][0]["sparse"] = serde_json::json!({"count": 1,
                "indices": {"bufferView": 1, "componentType": 5123}, "values": {"bufferView": 0}});
        }),
        ("a sparse list of few", |j| {
            j["accessors"][1] = serde_json::json!({"componentType": 5125, "count": 4_000_000_000u32, "type": "SCALAR",
                "sparse": {"count": 1, "indices": {"bufferView": 1, "componentType": 5123}, "values": {"bufferView": 0}}});
        }),
        ("one mesh in very many nodes", |j| {
            let nodes = vec![serde_json::json!({"mesh": 0}); 50_000];
            j["scenes"][0]["nodes"] = (0..50_000).collect::<Vec<u32>>().into();
            j["nodes"] = nodes.into();
            let primitive = j["meshes"][0]["primitives"][0].clone();
            j["meshes"][0]["primitives"] = vec![primitive; 40].into();
        }),
    ];
    for (what, edit) in cases {
        let bytes = glb(edit);
        let start = std::time::Instant::now();
        let told = read_mesh("a.glb", &bytes).unwrap_err();
        assert!(matches!(told, ReadError::TooMuch { .. }), "{what}: {told}");
        println!("{what}: refused after {:?}", start.elapsed());
    }
}

#[test]
fn triangles_that_share_no_point_are_read_in_time_that_grows_with_their_number() {
    let soup = |n: usize| {
        let mut text = String::new();
        for k in 0..n {
            let (x, y) = ((k % 500) as f32, (k / 500) as f32);
            text.push_str(&format!("v {x} {y} 0\nv {} {y} 0\nv {x} {} 0\n", x + 0.5, y + 0.5));
        }
        (1..=n).for_each(|k| text.push_str(&format!("f {} {} {}\n", 3 * k - 2, 3 * k - 1, 3 * k)));
        text
    };
    // Counted and not timed: each walk about a border passes each of its points once.
    let m = read_mesh("soup.obj", soup(200_000).as_bytes()).unwrap();
    assert_eq!((m.triangles.len(), m.borders.len()), (200_000, 600_000));
}
