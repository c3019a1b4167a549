//! What goes out and comes in again is the same, in metres with y up, whatever the file is told in.
use nematon_formats::*;
use nematon_geometry::{Mesh, sheet};
use std::io::Read;

/// Frames of a sheet that goes along x by two metres a second, and turns up along its depth.
fn frames(mesh: &Mesh, count: usize) -> Vec<Vec<[f32; 3]>> {
    let one = |f: usize| {
        mesh.positions.iter().map(move |p| [p[0] + f as f32 / 12.0, p[1] + 0.1 * p[2] * f as f32, p[2]])
    };
    (0..count).map(|f| one(f).collect()).collect()
}

fn written(kind: Kind, motion: Motion, all: &[Vec<[f32; 3]>], with: With) -> Vec<u8> {
    let mut frames = |_: usize| -> Box<dyn Iterator<Item = Frame>> {
        let own = all.to_vec();
        Box::new(own.into_iter().map(Ok))
    };
    let mut out = vec![];
    let bodies = [motion];
    kind.write(
        &mut out,
        &mut Delivery { name: "whole", bodies: &bodies, with, frames: &mut frames, turns: None, note: None },
    )
    .unwrap();
    out
}

fn moved(mesh: &Mesh, count: usize) -> Motion<'_> {
    Motion { name: "Flag", first: 10, count, ..Motion::plain(mesh) }
}

const OTHER: With = With {
    normals: true,
    triangles: false,
    exact: false,
    velocities: true,
    unit: Unit::Centimetre,
    up: Up::Z,
};

fn near(a: &[[f32; 3]], b: &[[f32; 3]]) {
    assert_eq!(a.len(), b.len());
    for (p, q) in a.iter().zip(b) {
        assert!((0..3).all(|c| (p[c] - q[c]).abs() < 1e-5), "{p:?} is not {q:?}");
    }
}

fn unzipped(zip: Vec<u8>, name: &str) -> Vec<u8> {
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(zip)).unwrap();
    let mut bytes = vec![];
    zip.by_name(name).unwrap().read_to_end(&mut bytes).unwrap();
    bytes
}

#[test]
fn a_mesh_of_usd_text_or_binary_comes_back_with_its_faces_texture_and_motion() {
    let m = sheet(2.0, 1.0, 4, 3);
    let all = frames(&m, 3);
    let each = [Kind::Usda, Kind::Usdc].into_iter().flat_map(|k| [(k, With::default()), (k, OTHER)]);
    for (kind, with) in each {
        let file = written(kind, moved(&m, 3), &all, with);
        let back = read_mesh("flag.usd", &file).unwrap();
        near(&back.positions, &all[0]);
        assert_eq!(back.outlines().len(), 6);
        assert_eq!(back.uv_triangles.len(), back.triangles.len());
        // It faces the same way.
        let up = |m: &Mesh| m.normals(&all[0])[0][1] > 0.0;
        assert_eq!(up(&back), up(&m));
        let figure = read_figure("flag.usda", &file).unwrap();
        assert_eq!(figure.sequence.len(), 3);
        for (shape, frame) in figure.sequence.iter().zip(&all) {
            near(shape, frame);
        }
    }
    let several = "#usda 1.0\n(\n    metersPerUnit = 1\n)\ndef Xform \"a\"\n{\n    double3 xformOp:translate = (0, 0, 5)\n    \
        uniform token[] xformOpOrder = [\"xformOp:translate\"]\n    def Mesh \"tri\"\n    {\n        int[] faceVertexCounts = [3]\n        \
        int[] faceVertexIndices = [0, 1, 2]\n        point3f[] points.timeSamples = {\n            1: [(0,0,0), (1,0,0), (0,1,0)],\n            \
        3: [(2,0,0), (3,0,0), (2,1,0)],\n        }\n    }\n}\ndef Mesh \"quad\"\n{\n    uniform token orientation = \"leftHanded\"\n    \
        int[] faceVertexCounts = [4]\n    int[] faceVertexIndices = [0, 1, 2, 3]\n    \
        point3f[] points.timeSamples = {\n        2: [(0,0,0), (1,0,0), (1,1,0), (0,1,0)],\n    }\n}\n";
    let figure = read_figure("a.usda", several.as_bytes()).unwrap();
    assert_eq!((figure.parts.len(), figure.sequence.len()), (2, 3));
    // Between its samples it is between them, and all of it stands where it is put.
    near(&figure.sequence[1][..3], &[[1.0, 0.0, 5.0], [2.0, 0.0, 5.0], [1.0, 1.0, 5.0]]);
    let back = read_mesh("a.usda", several.as_bytes()).unwrap();
    assert_eq!(back.triangles, [[0, 1, 2], [3, 5, 4], [3, 6, 5]]);
}

#[test]
fn usd_text_that_is_no_mesh_says_why() {
    let mesh = |inner: &str| format!("#usda 1.0\n(\n)\ndef Mesh \"m\"\n{{\n{inner}}}\n");
    for (text, why) in [
        ("#usda 1.0\n(\n)\ndef Xform \"x\"\n{\n}\n".to_owned(), "no mesh in it"),
        ("PXR-USDC".to_owned(), "cut short"),
        ("a text".to_owned(), "does not begin with #usda"),
        ("PXR-USDC\0\u{2}\0".to_owned(), "version 0.2.0"),
        (mesh("    point3f[] points = [(0,0,0)]\n"), "\"m\" has no faces"),
        (mesh("    int[] faceVertexCounts = [3]\n"), "\"m\" has no points"),
        (
            mesh(
                "    point3f[] points = [(0,0,0)]\n    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 1, 2]\n",
            ),
            "points which are not there",
        ),
        (
            mesh(
                "    point3f[] points = [(0,0,x)]\n    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 0, 0]\n",
            ),
            "no numbers",
        ),
    ] {
        let told = read_mesh("a.usda", text.as_bytes()).unwrap_err().to_string();
        assert!(told.contains(why), "{told}");
    }
}

#[test]
fn a_ply_of_a_frame_comes_back_and_tells_how_fast_its_points_go() {
    let m = sheet(2.0, 1.0, 4, 3);
    let all = frames(&m, 4);
    let plain = unzipped(written(Kind::Ply, moved(&m, 4), &all, With::default()), "Flag.0012.ply");
    let back = read_mesh("a.ply", &plain).unwrap();
    near(&back.positions, &all[2]);
    assert_eq!(back.outlines().len(), 6);
    // Each corner has the texture coordinate that it had.
    let pairs = |m: &Mesh| {
        let corners = m.triangles.iter().zip(&m.uv_triangles).flat_map(|(t, u)| t.iter().zip(u));
        let mut all: Vec<_> = corners.map(|(p, u)| (*p, m.uvs[*u as usize].map(f32::to_bits))).collect();
        all.sort_unstable();
        all
    };
    assert_eq!(pairs(&back), pairs(&m));
    let other = unzipped(written(Kind::Ply, moved(&m, 4), &all, OTHER), "Flag.0012.ply");
    let head = String::from_utf8_lossy(&other[..700]).into_owned();
    assert!(head.contains("centimetres, z up") && head.contains("property float vx"), "{head}");
    let told = read_mesh("a.ply", &other).unwrap();
    let metres: Vec<[f32; 3]> =
        told.positions.iter().map(|p| [p[0] / 100.0, p[2] / 100.0, -p[1] / 100.0]).collect();
    near(&metres, &all[2]);
    // Two metres a second along x, in centimetres, behind place and normal of the first point.
    let from = other.windows(11).position(|w| w == b"end_header\n").unwrap() + 11;
    let number = |k: usize| f32::from_le_bytes(other[from + 4 * k..from + 4 * k + 4].try_into().unwrap());
    assert!((number(6) - 200.0).abs() < 1e-2, "{}", number(6));
}

#[test]
fn frames_that_are_left_out_leave_numbers_and_speeds_as_they_are() {
    let m = sheet(2.0, 1.0, 3, 2);
    let all = frames(&m, 7);
    let few: Vec<_> = all.iter().step_by(3).cloned().collect();
    let motion = Motion { every: 3, ..moved(&m, few.len()) };
    let usd =
        String::from_utf8(written(Kind::Usda, motion, &few, With { velocities: true, ..With::default() }))
            .unwrap();
    assert!(usd.contains("startTimeCode = 10") && usd.contains("endTimeCode = 16"), "{usd}");
    let ways = usd.split("velocities.timeSamples").nth(1).unwrap();
    for line in ["10: [(2, ", "13: [(2, ", "16: [(2, "] {
        assert!(
            ways.contains(line)
                || ways.contains(&line.replace("(2, ", "(1.99"))
                || ways.contains(&line.replace("(2, ", "(2.00")),
            "{ways}"
        );
    }
    let zip = written(Kind::Obj, motion, &few, With::default());
    near(&read_mesh("a.obj", &unzipped(zip, "Flag.0013.obj")).unwrap().positions, &all[3]);
}

#[test]
fn who_takes_files_over_is_told_what_is_in_them() {
    let m = sheet(2.0, 1.0, 3, 2);
    let pods = Mesh { positions: vec![[0.0; 3]; 4], radii: vec![0.1; 4], ..Mesh::default() };
    let bodies =
        [Motion { every: 2, ..moved(&m, 5) }, Motion { name: "Pods", comes: true, ..Motion::plain(&pods) }];
    let files = [(Kind::Usda, "all.usda".to_owned()), (Kind::Glb, "all.glb".to_owned())];
    let told = note(
        "The relay",
        &bodies,
        &files,
        OTHER,
        &["The flag is smoothed: that is not computed.".to_owned()],
    );
    assert!(told.contains("is not computed."), "{told}");
    for part in [
        "The relay",
        "Frames 10 to 18, every second one: 5 of them, 0.333 s at 24 frames a second",
        "Flag: a mesh of 6 points and 2 faces, with texture coordinates.",
        "Pods: 4 loose pieces, which come and go: each keeps its number.",
        "Lengths are centimetres, z is up; the file says so itself",
        "How fast each point goes",
        "Binary glTF 2.0. Lengths are metres, y is up",
    ] {
        assert!(told.contains(part), "{part} is not in {told}");
    }
}

#[test]
fn usd_of_other_programs_reads_alike_as_text_as_binary_and_in_a_package() {
    let all = ["awning.usda", "awning.usdc", "awning.usdz"].map(|name| {
        let bytes =
            std::fs::read(format!("{}/tests/all/foreign/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap();
        (
            read_mesh(name, &bytes).unwrap(),
            read_figure(name, &bytes).unwrap(),
            read_curves(name, &bytes).unwrap(),
        )
    });
    let (mesh, figure, cord) = &all[0];
    assert_eq!((mesh.positions.len(), mesh.outlines().len(), figure.sequence.len()), (49, 36, 3));
    // Centimetres with z up, moved along x by a metre and turned by a quarter: the far corner.
    near(&mesh.positions[48..], &[[0.37, 0.09, -0.63]]);
    near(&figure.sequence[2][48..], &[[0.37, 0.19, -0.63]]);
    assert_eq!(mesh.uvs.len(), 49);
    for (other, moved, curve) in &all[1..] {
        assert_eq!(
            (&other.positions, &other.triangles, &other.faces),
            (&mesh.positions, &mesh.triangles, &mesh.faces)
        );
        assert_eq!((&other.uvs, &other.uv_triangles), (&mesh.uvs, &mesh.uv_triangles));
        assert_eq!(moved.sequence, figure.sequence);
        assert_eq!(curve.len(), cord.len());
        assert_eq!(curve[0].points, cord[0].points);
    }
    // Cut short anywhere it is told, and nothing breaks.
    let bytes =
        std::fs::read(format!("{}/tests/all/foreign/awning.usdc", env!("CARGO_MANIFEST_DIR"))).unwrap();
    for end in (0..bytes.len()).step_by(37) {
        let _ = read_mesh("awning.usdc", &bytes[..end]);
    }
    for k in (8..bytes.len()).step_by(11) {
        let mut other = bytes.clone();
        other[k] ^= 0x5a;
        let _ = read_mesh("awning.usdc", &other);
    }
}

#[test]
fn pieces_that_come_and_go_are_binary_as_they_are_text() {
    let m = Mesh { positions: vec![[0.0; 3]; 4], radii: vec![0.1; 4], ..Mesh::default() };
    let gone = [f32::NAN; 3];
    let all: Vec<Vec<[f32; 3]>> = (0..3)
        .map(|f| (0..4).map(|k| if k <= f { [k as f32, f as f32, 0.0] } else { gone }).collect())
        .collect();
    let own = Motion { comes: true, ..moved(&m, 3) };
    let with = With { velocities: true, ..With::default() };
    let binary = written(Kind::Usdc, own, &all, with);
    let text = written(Kind::Usda, own, &all, with);
    assert!(binary.starts_with(b"PXR-USDC"));
    let text = String::from_utf8(text).unwrap();
    assert!(text.contains("12: [0, 1, 2]") && text.contains("10: [0]"), "{text}");
    // What it says of its own length holds: its tables begin where its first bytes say.
    let at = u64::from_le_bytes(binary[16..24].try_into().unwrap()) as usize;
    assert_eq!(binary[at..at + 8], 6u64.to_le_bytes());
    assert_eq!(&binary[at + 8..at + 14], b"TOKENS");
}

#[test]
fn what_is_a_zip_has_its_note_in_it_and_comes_in_all_the_same() {
    let m = sheet(2.0, 1.0, 4, 3);
    let all = frames(&m, 3);
    let told = "Metres, y up, 24 frames a second.";
    for kind in [Kind::Obj, Kind::Ply, Kind::Gltf] {
        let mut give =
            |_: usize| -> Box<dyn Iterator<Item = Frame>> { Box::new(all.clone().into_iter().map(Ok)) };
        let bodies = [moved(&m, 3)];
        let with = With::default();
        let mut out = vec![];
        let mut delivery = Delivery {
            name: "whole",
            bodies: &bodies,
            with,
            frames: &mut give,
            turns: None,
            note: Some(told),
        };
        kind.write(&mut out, &mut delivery).unwrap();
        assert_eq!(unzipped(out.clone(), NOTE), told.as_bytes(), "{kind:?}");
        if kind == Kind::Obj {
            let figure = read_figure("zip", &out).unwrap();
            assert_eq!(figure.parts.len(), 1);
        }
    }
}
