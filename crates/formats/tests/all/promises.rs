//! What the files promise.
use nematon_formats::*;
use nematon_geometry::sheet;

#[test]
fn an_obj_comes_back_as_it_was() {
    let m = sheet(2.0, 1.0, 5, 4);
    let back = read_mesh(
        "a.OBJ",
        write_obj(
            "sheet",
            &m,
            &m.positions,
            With { normals: true, triangles: true, exact: false, ..With::default() },
        )
        .as_bytes(),
    )
    .unwrap();
    assert_eq!((&back.positions, &back.triangles), (&m.positions, &m.triangles));
    assert_eq!((&back.uvs, &back.uv_triangles), (&m.uvs, &m.uv_triangles));
    assert_eq!(back.corners.len(), 4);
}

#[test]
fn faces_of_many_corners_negative_numbers_and_missing_textures_are_read() {
    let text = "# note\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nf -4 -3 -2 -1\n";
    let m = read_mesh("q.obj", text.as_bytes()).unwrap();
    assert_eq!(m.triangles, [[0, 1, 2], [0, 2, 3]]);
    assert!(m.uvs.is_empty() && m.uv_triangles.is_empty());
}

#[test]
fn a_broken_obj_names_its_line() {
    for (text, line, words) in [
        ("v 0 0\n", 1, "3 numbers"),
        ("v 0 0 0\nv 1 x 0\n", 2, "\"x\" is not a number"),
        ("v 0 0 0\nf 1 2 3\n", 2, "no point 2"),
        ("v 0 0 0\nv 1 0 0\nf 1 2\n", 3, "three corners"),
    ] {
        match read_mesh("b.obj", text.as_bytes()) {
            Err(ReadError::Obj { line: l, message }) => {
                assert!(l == line && message.contains(words), "{message}")
            }
            other => panic!("{text}: {other:?}"),
        }
    }
    assert!(matches!(read_mesh("a.xyz", b"x"), Err(ReadError::Kind(w)) if w.contains(".obj, .glb")));
    assert_eq!(read_mesh("a.obj", b""), Err(ReadError::Empty));
}

/// A square with its points doubled along the diagonal, as a texture seam makes them.
fn glb(indices: &[u16]) -> Vec<u8> {
    let positions: [[f32; 3]; 6] =
        [[0.0; 3], [1.0, 0.0, 0.0], [1.0, 1.0, 0.0], [0.0; 3], [1.0, 1.0, 0.0], [0.0, 1.0, 0.0]];
    let uvs: [[f32; 2]; 6] = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.5, 0.0], [0.5, 1.0], [0.0, 1.0]];
    let mut bin: Vec<u8> = positions.iter().flatten().flat_map(|c| c.to_le_bytes()).collect();
    bin.extend(uvs.iter().flatten().flat_map(|c| c.to_le_bytes()));
    bin.extend(indices.iter().flat_map(|i| i.to_le_bytes()));
    let json = serde_json::json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "translation": [0, 2, 0], "scale": [2, 2, 2]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}]}],
        "buffers": [{"byteLength": bin.len()}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 72}, {"buffer": 0, "byteOffset": 72, "byteLength": 48},
            {"buffer": 0, "byteOffset": 120, "byteLength": 2 * indices.len()}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 6, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5126, "count": 6, "type": "VEC2"},
            {"bufferView": 2, "componentType": 5123, "count": indices.len(), "type": "SCALAR"}]
    });
    let mut text = json.to_string().into_bytes();
    text.resize(text.len().div_ceil(4) * 4, b' ');
    bin.resize(bin.len().div_ceil(4) * 4, 0);
    let mut out = b"glTF".to_vec();
    for n in [2u32, (12 + 8 + text.len() + 8 + bin.len()) as u32, text.len() as u32, 0x4E4F_534A] {
        out.extend(n.to_le_bytes());
    }
    out.extend(text);
    out.extend((bin.len() as u32).to_le_bytes());
    out.extend(0x004E_4942u32.to_le_bytes());
    out.extend(bin);
    out
}

#[test]
fn a_glb_is_placed_by_its_node_and_joined_at_its_texture_seam() {
    let m = read_mesh("s.glb", &glb(&[0, 1, 2, 3, 4, 5])).unwrap();
    assert_eq!((m.positions.len(), m.triangles.len(), m.uvs.len()), (4, 2, 6));
    assert_eq!(m.bounds(), ([0.0, 2.0, 0.0], [2.0, 4.0, 0.0]));
    assert_eq!(m.edges().len(), 5);
}

#[test]
fn a_broken_glb_is_refused() {
    let good = glb(&[0, 1, 2, 3, 4, 5]);
    assert!(matches!(read_mesh("s.glb", &good[..60]), Err(ReadError::Gltf(_))));
    assert!(matches!(read_mesh("s.glb", b"glTF nonsense"), Err(ReadError::Gltf(_))));
    assert!(read_mesh("s.glb", &glb(&[0, 1, 200])).is_err());
}

fn write(kind: Kind, motion: &Motion, frames: &[Vec<[f32; 3]>]) -> std::io::Result<Vec<u8>> {
    let mut out = vec![];
    let mut all = |_: usize| -> Box<dyn Iterator<Item = Frame>> { Box::new(frames.iter().cloned().map(Ok)) };
    let with = With::default();
    let mut delivery =
        Delivery { name: "all", bodies: &[*motion], with, frames: &mut all, turns: None, note: None };
    kind.write(&mut out, &mut delivery).map(|()| out)
}

#[test]
fn npy_has_the_shape_and_alignment_that_numpy_wants() {
    let mesh = nematon_geometry::Mesh { positions: vec![[0.0; 3]; 2], ..Default::default() };
    let motion = Motion { name: "two", first: 0, count: 2, ..Motion::plain(&mesh) };
    let frames = [vec![[1.0, 2.0, 3.0], [4.0, 5.0, 6.0]], vec![[7.0; 3]; 2]];
    let out = write(Kind::Npy, &motion, &frames).unwrap();
    let header = u16::from_le_bytes([out[8], out[9]]) as usize;
    assert_eq!((10 + header) % 64, 0);
    let text = std::str::from_utf8(&out[10..10 + header]).unwrap();
    assert!(text.contains("'shape': (2, 2, 3") && text.ends_with('\n'), "{text:?}");
    assert_eq!(out.len(), 10 + header + 2 * 2 * 3 * 4);
    assert_eq!(out[10 + header + 8..10 + header + 12], 3f32.to_le_bytes());
    assert!(write(Kind::Npy, &motion, &frames[..1]).is_err(), "a frame short is told");
}

#[test]
fn usd_text_has_a_sample_a_frame_and_texture_coordinates() {
    let m = sheet(1.0, 1.0, 2, 2);
    let motion = Motion { name: "Landing canopy", first: 1001, count: 2, ..Motion::plain(&m) };
    let out = write(Kind::Usda, &motion, &[m.positions.clone(), m.positions.clone()]).unwrap();
    let text = String::from_utf8(out).unwrap();
    for part in [
        "def Mesh \"Landing_canopy\"",
        "1001: [(-0.5, 0, -0.5), (0.5, 0, -0.5), (-0.5, 0, 0.5), (0.5, 0, 0.5)],",
        "1002: [(-0.5, 0, -0.5), (0.5, 0, 0.5)],",
        "primvars:st:indices",
        "startTimeCode = 1001",
        "endTimeCode = 1002",
    ] {
        assert!(text.contains(part), "{part} is missing from {text}");
    }
    assert_eq!(text.matches('{').count(), text.matches('}').count());
}

#[test]
fn exact_places_are_told_from_near_them_and_lose_nothing_a_kilometre_out() {
    let m = sheet(1.0, 1.0, 2, 2);
    let world: Vec<[f64; 3]> = m
        .positions
        .iter()
        .map(|p| [0.0, 1000.0, -2000.0].map(|o| o + 0.123_456_7 + f64::from(p[0])))
        .collect();
    let origin = nematon_formats::near(&world);
    assert!(origin.iter().all(|c| c.fract() == 0.0), "{origin:?}");
    let frame: Vec<[f32; 3]> =
        world.iter().map(|p| std::array::from_fn(|c| (p[c] - origin[c]) as f32)).collect();
    let (lost, kept) =
        (nematon_formats::rounding(&world, [0.0; 3]), nematon_formats::rounding(&world, origin));
    assert!(lost > 1e-4 && kept < 1e-7, "{lost} and {kept}");
    let motion = Motion { name: "Far", first: 0, count: 1, origin, ..Motion::plain(&m) };
    let written = |kind: Kind| {
        let mut frames =
            |_: usize| -> Box<dyn Iterator<Item = _>> { Box::new(std::iter::once(Ok(frame.clone()))) };
        let with = With { exact: true, ..With::default() };
        let mut out = vec![];
        let bodies = [motion];
        kind.write(
            &mut out,
            &mut Delivery {
                name: "far",
                bodies: &bodies,
                with,
                frames: &mut frames,
                turns: None,
                note: None,
            },
        )
        .unwrap();
        out
    };
    let array = written(Kind::Npy);
    let header = u16::from_le_bytes([array[8], array[9]]) as usize;
    assert!(std::str::from_utf8(&array[10..10 + header]).unwrap().contains("<f8"));
    let second = f64::from_le_bytes(array[18 + header..26 + header].try_into().unwrap());
    assert!((second - world[0][1]).abs() < 1e-7, "{second} where {} is", world[0][1]);
    let usd = String::from_utf8(written(Kind::Usda)).unwrap();
    let place = format!("double3 xformOp:translate = ({}, {}, {})", origin[0], origin[1], origin[2]);
    assert!(usd.contains(&place) && usd.contains("xformOpOrder"), "{usd}");
    let obj = String::from_utf8(written(Kind::Still)).unwrap();
    let line = obj.lines().find(|l| l.starts_with("v ")).unwrap();
    let told: Vec<f64> = line.split(' ').skip(1).map(|n| n.parse().unwrap()).collect();
    assert!(told.iter().zip(world[0]).all(|(a, b)| (a - b).abs() < 2e-7), "{line}");
}

#[test]
fn loose_points_go_out_as_points_as_wide_as_they_are() {
    let positions = vec![[0.0, 1.0, 0.0], [0.5, 1.0, 0.0]];
    let m = nematon_geometry::Mesh {
        positions: positions.clone(),
        radii: vec![0.01, 0.025],
        ..Default::default()
    };
    let motion = Motion { name: "Pods", first: 7, count: 2, ..Motion::plain(&m) };
    let frames = [positions, vec![[0.0, 0.5, 0.0], [0.5, 0.5, 0.0]]];
    let text = String::from_utf8(write(Kind::Usda, &motion, &frames).unwrap()).unwrap();
    for part in [
        "def Points \"Pods\"",
        "float[] widths = [0.02, 0.05]",
        "8: [(0, 0.5, 0), (0.5, 0.5, 0)],",
        "8: [(-0.025, 0.475, -0.025), (0.525, 0.525, 0.025)],",
    ] {
        assert!(text.contains(part), "{part} is missing from {text}");
    }
    assert!(!text.contains("face") && text.matches('{').count() == text.matches('}').count(), "{text}");
    let still = String::from_utf8(write(Kind::Still, &motion, &frames).unwrap()).unwrap();
    assert!(still.contains("v 0.5 1 0\np 1\np 2\n") && !still.contains("vn"), "{still}");
}

#[test]
fn a_sequence_is_zipped_by_frame_number_under_a_safe_name() {
    let m = sheet(1.0, 1.0, 2, 2);
    let motion = Motion { name: "../Ärmel", first: 1001, count: 3, ..Motion::plain(&m) };
    let out = write(Kind::Obj, &motion, &vec![m.positions.clone(); 3]).unwrap();
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(out)).unwrap();
    assert_eq!(archive.len(), 3);
    let mut text = String::new();
    let mut file = archive.by_name("_Ärmel.1002.obj").unwrap();
    std::io::Read::read_to_string(&mut file, &mut text).unwrap();
    assert_eq!(read_obj(text.as_bytes()).unwrap().positions, m.positions);
}

#[test]
fn a_frame_that_cant_be_had_ends_the_file_with_its_reason() {
    let m = sheet(1.0, 1.0, 2, 2);
    let motion = Motion { name: "x", first: 0, count: 2, ..Motion::plain(&m) };
    for kind in Kind::ALL {
        let mut frames = |_: usize| -> Box<dyn Iterator<Item = Frame>> {
            Box::new(std::iter::once(Err(std::io::Error::other("gone"))))
        };
        let bodies = &[motion];
        let mut all = Delivery {
            name: "x",
            bodies,
            with: With::default(),
            frames: &mut frames,
            turns: None,
            note: None,
        };
        let told = kind.write(&mut std::io::sink(), &mut all).unwrap_err();
        assert_eq!(told.to_string(), "gone", "{kind:?}");
    }
}

#[test]
fn names_become_files_that_stay_in_their_folder_and_apart() {
    for (name, file) in [
        ("Landing canopy", "Landing canopy"),
        ("../../etc/passwd", "_.._etc_passwd"),
        ("a\"b:c", "a_b_c"),
        ("Ärmel", "Ärmel"),
        ("  ", "untitled"),
        ("CON", "untitled"),
        ("...", "untitled"),
    ] {
        assert_eq!(file_name(name), file);
    }
    assert!(file_name(&"x".repeat(900)).len() <= 120);
    assert_eq!(file_names(["Flag", "flag", "Flag", "Flag 2"]), ["Flag", "flag 2", "Flag 3", "Flag 2 2"]);
}

/// Twice the area that triangles cover, with its sign; and without.
fn areas(m: &nematon_geometry::Mesh) -> [f64; 2] {
    let of = |t: &[u32; 3]| {
        let [a, b, c] = t.map(|p| m.positions[p as usize].map(f64::from));
        (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
    };
    let all: Vec<f64> = m.triangles.iter().map(of).collect();
    [all.iter().sum(), all.iter().map(|a| a.abs()).sum()]
}

#[test]
fn a_face_with_hollow_corners_covers_what_its_outline_does() {
    // A star: every other corner turns back.
    let corners: Vec<[f64; 2]> = (0..12)
        .map(|k| {
            let (a, r) = (std::f64::consts::TAU * k as f64 / 12.0, if k % 2 == 0 { 1.0 } else { 0.4 });
            [r * a.cos(), r * a.sin()]
        })
        .collect();
    let shoelace: f64 =
        (0..12).map(|k| (corners[k], corners[(k + 1) % 12])).map(|(a, b)| a[0] * b[1] - a[1] * b[0]).sum();
    for turned in [false, true] {
        for first in 0..12 {
            let mut text: String = corners.iter().map(|p| format!("v {} {} 3\n", p[0], p[1])).collect();
            let mut order: Vec<usize> = (0..12).map(|k| (first + k) % 12 + 1).collect();
            if turned {
                order.reverse();
            }
            let face: Vec<String> = order.iter().map(ToString::to_string).collect();
            text.push_str(&format!("f {}\n", face.join(" ")));
            let m = read_obj(text.as_bytes()).unwrap();
            let [signed, all] = areas(&m);
            let want = if turned { -shoelace } else { shoelace };
            assert_eq!(m.triangles.len(), 10);
            assert!((signed - want).abs() < 1e-6 && (all - shoelace).abs() < 1e-6, "{signed} {all} {want}");
        }
    }
}

/// Two sheets, the second one higher, as a kind of file.
fn two(kind: Kind, with: With) -> (Vec<u8>, u64) {
    let m = sheet(1.0, 1.0, 3, 3);
    let high: Vec<[f32; 3]> = m.positions.iter().map(|p| [p[0], 1.0, p[2]]).collect();
    let bodies = ["Flag", "Flag"].map(|name| Motion { name, first: 5, count: 40, ..Motion::plain(&m) });
    let firsts = [m.positions.clone(), high];
    let mut frames = |k: usize| -> Box<dyn Iterator<Item = Frame>> {
        let frame = firsts[k].clone();
        Box::new((0..40).map(move |_| Ok(frame.clone())))
    };
    let mut out = vec![];
    let about = kind.about(&bodies, with, &firsts);
    let mut all =
        Delivery { name: "Two flags", bodies: &bodies, with, frames: &mut frames, turns: None, note: None };
    kind.write(&mut out, &mut all).unwrap();
    (out, about)
}

#[test]
fn a_picture_goes_along_with_the_cloth_that_is_seen_with_it() {
    let m = sheet(1.0, 1.0, 3, 3);
    let bytes = b"\x89PNG\r\n\x1a\nnot more of one";
    let motion = |name, picture| Motion { name, first: 1, count: 1, picture, ..Motion::plain(&m) };
    let (seen, bare) = (motion("Long flag", Some(Pictured::of(bytes))), motion("Bare", None));
    let unzipped = |kind: Kind, bodies: &[Motion], ending: &str| -> Vec<(String, Vec<u8>)> {
        assert_eq!(kind.ending(bodies), ending);
        assert_eq!(kind.media_type(bodies), "application/zip");
        let mut frames =
            |_| -> Box<dyn Iterator<Item = Frame>> { Box::new(std::iter::once(Ok(m.positions.clone()))) };
        let mut out = vec![];
        let mut all = Delivery {
            name: "Both",
            bodies,
            with: With::default(),
            frames: &mut frames,
            turns: None,
            note: None,
        };
        kind.write(&mut out, &mut all).unwrap();
        let mut zip = zip::ZipArchive::new(std::io::Cursor::new(out)).unwrap();
        (0..zip.len())
            .map(|k| {
                let mut file = zip.by_index(k).unwrap();
                let mut bytes = vec![];
                std::io::Read::read_to_end(&mut file, &mut bytes).unwrap();
                (file.name().unwrap().into_owned(), bytes)
            })
            .collect()
    };
    let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
    // What an OBJ names stands beside it, under that name.
    for kind in [Kind::Obj, Kind::Still] {
        let ending = if kind == Kind::Obj { "obj.zip" } else { "0001.obj.zip" };
        let files = unzipped(kind, &[seen], ending);
        let of = |name: &str| files.iter().find(|f| f.0 == name).map(|f| &f.1[..]);
        let obj = text(&files.iter().find(|f| f.0.ends_with(".obj")).unwrap().1);
        let mtl = obj.lines().find_map(|l| l.strip_prefix("mtllib ")).unwrap();
        let look = text(of(mtl).unwrap());
        let map = look.lines().find_map(|l| l.strip_prefix("map_Kd ")).unwrap();
        assert_eq!(of(map), Some(&bytes[..]), "{kind:?}");
        assert!(obj.contains("usemtl look") && look.contains("newmtl look"));
        assert_eq!(read_obj(obj.as_bytes()).unwrap().uvs.len(), m.uvs.len());
    }
    let files = unzipped(Kind::Usda, &[seen, bare], "usda.zip");
    let usd = text(&files.iter().find(|f| f.0 == "Both.usda").unwrap().1);
    let asset = usd.split("@./").nth(1).unwrap().split('@').next().unwrap();
    assert_eq!(files.iter().find(|f| f.0 == asset).map(|f| &f.1[..]), Some(&bytes[..]));
    assert_eq!(usd.matches("rel material:binding = </Both/Long_flag/Look>").count(), 1, "{usd}");
    assert_eq!(Kind::Usda.ending(&[bare]), "usda");
}

#[test]
fn several_bodies_go_into_one_file_with_normals_and_the_faces_they_were_made_of() {
    let (usda, _) = two(Kind::Usda, With::default());
    let text = String::from_utf8(usda).unwrap();
    for part in [
        "defaultPrim = \"Two_flags\"",
        "def Mesh \"Flag\"",
        "def Mesh \"Flag_2\"",
        "faceVertexCounts = [4, 4, 4, 4]",
        "normal3f[] normals.timeSamples",
        "44: [(0, 1, 0)",
    ] {
        assert!(text.contains(part), "{part} is missing");
    }
    assert_eq!(text.matches('{').count(), text.matches('}').count());
    let (npz, _) = two(Kind::Npy, With::default());
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(npz)).unwrap();
    let mut bytes = vec![];
    std::io::Read::read_to_end(&mut zip.by_name("Flag 2.npy").unwrap(), &mut bytes).unwrap();
    assert_eq!(bytes.len(), 128 + 40 * 9 * 12);
    let (obj, _) = two(Kind::Obj, With::default());
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(obj)).unwrap();
    assert_eq!(zip.len(), 80);
    let mut text = String::new();
    std::io::Read::read_to_string(&mut zip.by_name("Flag 2/Flag 2.0044.obj").unwrap(), &mut text).unwrap();
    assert_eq!(text.matches("vn 0 1 0").count(), 9);
    let faces: Vec<&str> = text.lines().filter(|l| l.starts_with("f ")).collect();
    assert!(faces.len() == 4 && faces.iter().all(|f| f.split(' ').count() == 5), "{faces:?}");
    let cut = String::from_utf8(
        two(Kind::Usda, With { normals: false, triangles: true, exact: false, ..With::default() }).0,
    )
    .unwrap();
    assert!(cut.contains("faceVertexCounts = [3, 3, 3, 3, 3, 3, 3, 3]") && !cut.contains("normals"));
}

#[test]
fn how_long_a_file_will_be_is_told_within_a_tenth_before_it_is_written() {
    for kind in Kind::ALL.into_iter().filter(|k| *k != Kind::Still) {
        let (file, about) = two(kind, With::default());
        let off = (about as f64 / file.len() as f64 - 1.0).abs();
        assert!(off < 0.1, "{kind:?}: {about} for {}", file.len());
    }
}

#[test]
fn faces_that_were_brought_in_go_out_again() {
    let text = "v 0 0 0\nv 1 0 0\nv 2 0 1\nv 1 0 2\nv 0 0 1\nv 3 0 3\nf 5 4 3 2 1\nf 4 6 3\n";
    let m = read_obj(text.as_bytes()).unwrap();
    let out = write_obj(
        "x",
        &m,
        &m.positions,
        With { normals: false, triangles: false, exact: false, ..With::default() },
    );
    let faces: Vec<&str> = out.lines().filter(|l| l.starts_with("f ")).collect();
    assert_eq!(faces.len(), 2, "{out}");
    let mut five: Vec<&str> = faces[0].split(' ').skip(1).collect();
    // Wherever it begins, it goes round in the same order.
    let first = five.iter().position(|p| *p == "5").unwrap();
    five.rotate_left(first);
    assert_eq!(five, ["5", "4", "3", "2", "1"]);
}

#[test]
fn a_still_mesh_goes_out_in_three_formats_and_comes_back() {
    // Two panels that share their points along a seam, each with texture coordinates of its own.
    let text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0.5\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvt 0.2 0.3\nvt 0.9 0.4\nvt 0.1 0.8\n\
                f 1/1 2/2 3/3 4/4\nf 2/5 5/6 3/7\n";
    let mesh = read_mesh("two.obj", text.as_bytes()).unwrap();
    assert_eq!(Still::of("a.b/C.GLB"), Some(Still::Glb));
    assert_eq!(Still::of("c.xyz"), None);
    for kind in [Still::Obj, Still::Glb] {
        let back = read_mesh(&format!("two.{}", kind.ending()), &kind.write("Two", &mesh).unwrap()).unwrap();
        let places = |m: &nematon_geometry::Mesh| -> Vec<[[f32; 3]; 3]> {
            m.triangles.iter().map(|t| t.map(|p| m.positions[p as usize])).collect()
        };
        assert_eq!(places(&back), places(&mesh), "{kind:?}");
        // Points are joined again where only the texture told them apart.
        assert_eq!(back.positions.len(), 5, "{kind:?}");
        for (t, u) in mesh.uv_triangles.iter().zip(&back.uv_triangles) {
            for (a, b) in t.iter().zip(u) {
                let (a, b) = (mesh.uvs[*a as usize], back.uvs[*b as usize]);
                assert!((a[0] - b[0]).abs() < 1e-6 && (a[1] - b[1]).abs() < 1e-6, "{kind:?}");
            }
        }
    }
    let usd = String::from_utf8(Still::Usda.write("Two", &mesh).unwrap()).unwrap();
    assert!(usd.contains("def Mesh \"Two\"") && usd.contains("faceVertexCounts = [4, 3]"), "{usd}");
}

#[test]
fn pieces_that_come_and_go_are_written_as_those_that_are_there() {
    let gone = [f32::NAN; 3];
    let mesh = nematon_geometry::Mesh {
        positions: vec![[0.0; 3]; 3],
        radii: vec![0.01, 0.02, 0.03],
        ..Default::default()
    };
    let motion = Motion { name: "Pods", first: 7, count: 2, comes: true, ..Motion::plain(&mesh) };
    // Of three numbers the second is still to come, and then the first has gone.
    let frames = [vec![[1.0, 2.0, 3.0], gone, [4.0, 5.0, 6.0]], vec![gone, [7.0, 8.0, 9.0], [4.0, 5.0, 5.5]]];
    let text = String::from_utf8(write(Kind::Usda, &motion, &frames).unwrap()).unwrap();
    for line in [
        "        7: [0, 2],",
        "        8: [1, 2],",
        "        7: [0.02, 0.06],",
        "        8: [0.04, 0.06],",
        "        7: [(1, 2, 3), (4, 5, 6)],",
        "        8: [(7, 8, 9), (4, 5, 5.5)],",
    ] {
        assert!(text.lines().any(|l| l == line), "{line} is not in {text}");
    }
    assert!(!text.contains("NaN"));
    let bytes = write(Kind::Obj, &motion, &frames).unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    for (k, last) in [(0, "v 4 5 6"), (1, "v 4 5 5.5")] {
        let mut text = String::new();
        std::io::Read::read_to_string(&mut zip.by_index(k).unwrap(), &mut text).unwrap();
        let places: Vec<&str> = text.lines().filter(|l| l.starts_with("v ")).collect();
        assert_eq!((places.len(), places[1]), (2, last), "{text}");
    }
}

#[test]
fn what_flies_is_told_with_its_turns() {
    let gone = [f32::NAN; 3];
    let mesh = nematon_geometry::Mesh {
        positions: vec![[0.0; 3]; 2],
        radii: vec![0.001; 2],
        ends: vec![[0.06, 0.03], [0.08, 0.04]],
        ..Default::default()
    };
    let motion =
        Motion { name: "Torn leaves", first: 3, count: 2, comes: true, turned: true, ..Motion::plain(&mesh) };
    let places = [vec![gone, [4.0, 5.0, 6.0]], vec![[1.0, 2.0, 3.0], [4.0, 5.0, 5.5]]];
    let turns =
        [vec![[0.0, 0.0, 0.0, 1.0], [0.0, 0.6, 0.0, 0.8]], vec![[1.0, 0.0, 0.0, 0.0], [0.0, 0.0, 0.6, 0.8]]];
    let bodies = [motion];
    let out = |kind: Kind| {
        let mut frames = |_| -> Box<dyn Iterator<Item = nematon_formats::Frame>> {
            Box::new(places.clone().into_iter().map(Ok))
        };
        let mut all_turns = |_| -> Box<dyn Iterator<Item = nematon_formats::TurnsOf>> {
            Box::new(turns.clone().into_iter().map(Ok))
        };
        let mut out = vec![];
        let turns: Option<&mut nematon_formats::Turns> = Some(&mut all_turns);
        let with = With::default();
        kind.write(
            &mut out,
            &mut Delivery { name: "x", bodies: &bodies, with, frames: &mut frames, turns, note: None },
        )
        .unwrap();
        out
    };
    let text = String::from_utf8(out(Kind::Usda)).unwrap();
    for line in [
        "def PointInstancer \"Torn_leaves\"",
        "    rel prototypes = [</Torn_leaves/Leaf>]",
        "        3: [1],",
        "        4: [0, 1],",
        "        3: [(0.08, 0.04, 0.04)],",
        "        3: [(4, 5, 6)],",
        "        3: [(0.8000, 0.0000, 0.6000, 0.0000)],",
        "        4: [(0.0000, 1.0000, 0.0000, 0.0000), (0.8000, 0.0000, 0.0000, 0.6000)],",
    ] {
        assert!(text.lines().any(|l| l == line), "{line} is not in {text}");
    }
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(out(Kind::Npy))).unwrap();
    let bytes = |zip: &mut zip::ZipArchive<_>, name: &str| {
        let mut bytes = vec![];
        std::io::Read::read_to_end(&mut zip.by_name(name).unwrap(), &mut bytes).unwrap();
        bytes
    };
    let turn: Vec<f32> = npyz::NpyFile::new(&bytes(&mut zip, "turn.npy")[..]).unwrap().into_vec().unwrap();
    assert_eq!(turn, [0.0, 0.6, 0.0, 0.8, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.6, 0.8]);
    let ids: Vec<u32> = npyz::NpyFile::new(&bytes(&mut zip, "id.npy")[..]).unwrap().into_vec().unwrap();
    assert_eq!(ids, [1, 0, 1]);
}

#[test]
fn branches_are_lines_that_begin_where_they_come_from() {
    // A stem of two segments, a branch off its middle, and a leaf off that which has let go in the second frame.
    let mesh = nematon_geometry::Mesh {
        positions: vec![[0.0; 3]; 5],
        radii: vec![0.004, 0.004, 0.003, 0.002, 0.001],
        strands: vec![5],
        up: vec![0, 0, 1, 1, 3],
        ends: vec![[0.0; 2], [0.0; 2], [0.02, 0.0], [0.0; 2], [0.05, 0.02]],
        ..Default::default()
    };
    assert_eq!(mesh.lines(), [vec![0, 1, 2], vec![1, 3, 4]]);
    let motion = Motion { name: "Twig", first: 0, count: 2, comes: true, ..Motion::plain(&mesh) };
    let one = vec![[0.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 2.0, 0.0], [1.0, 1.0, 0.0], [1.5, 1.0, 0.0]];
    let mut two = one.clone();
    two[4] = [f32::NAN; 3];
    let text = String::from_utf8(write(Kind::Usda, &motion, &[one.clone(), two.clone()]).unwrap()).unwrap();
    for line in [
        "    int[] curveVertexCounts = [3, 3]",
        "    float[] widths = [0.008, 0.008, 0.006, 0.008, 0.004, 0.002] (",
        "        0: [(0, 0, 0), (0, 1, 0), (0, 2, 0), (0, 1, 0), (1, 1, 0), (1.5, 1, 0)],",
        "        1: [(0, 0, 0), (0, 1, 0), (0, 2, 0), (0, 1, 0), (1, 1, 0), (1, 1, 0)],",
    ] {
        assert!(text.lines().any(|l| l == line), "{line} is not in {text}");
    }
    let bytes = write(Kind::Obj, &motion, &[one, two]).unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    for k in 0..2 {
        let mut text = String::new();
        std::io::Read::read_to_string(&mut zip.by_index(k).unwrap(), &mut text).unwrap();
        let lines: Vec<&str> = text.lines().filter(|l| l.starts_with("l ")).collect();
        assert_eq!(lines, ["l 1 2 3", "l 2 4 5"]);
        assert_eq!(text.lines().filter(|l| l.starts_with("v ")).count(), 5, "{text}");
    }
}
