//! Small files as other programs' exporters write them: each shows one thing, and what it must come to.
use nematon_figure::Figure;
use nematon_formats::{ReadError, Still, embedded, read_curves, read_figure, read_mesh, seems};
use nematon_geometry::{Mesh, clean, join_near};

fn bytes(name: &str) -> Vec<u8> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/all/foreign");
    std::fs::read(format!("{folder}/{name}")).unwrap()
}

fn mesh(name: &str) -> Mesh {
    read_mesh(name, &bytes(name)).unwrap_or_else(|e| panic!("{name}: {e}"))
}

fn figure(name: &str) -> Figure {
    read_figure(name, &bytes(name)).unwrap_or_else(|e| panic!("{name}: {e}"))
}

fn size(m: &Mesh) -> [f32; 3] {
    let (lo, hi) = m.bounds();
    std::array::from_fn(|c| hi[c] - lo[c])
}

fn near(a: [f32; 3], b: [f32; 3]) -> bool {
    (0..3).all(|c| (a[c] - b[c]).abs() < 3e-3)
}

/// Six times the volume that faces which look outward hold.
fn volume(m: &Mesh) -> f64 {
    let at = |p: u32| glam::DVec3::from(m.positions[p as usize].map(f64::from));
    m.triangles.iter().map(|t| at(t[0]).dot(at(t[1]).cross(at(t[2])))).sum()
}

#[test]
fn a_skinned_file_in_centimetres_with_z_up_stands_upright_in_metres_as_cloth_and_as_figure() {
    let want = [0.24, 0.24, 1.0];
    for found in [mesh("centimetres-z-up.glb"), figure("centimetres-z-up.glb").mesh()] {
        assert!(near(size(&found), want), "{:?}", size(&found));
    }
}

#[test]
fn a_node_that_moves_does_not_move_the_skinned_mesh_under_it() {
    let f = figure("mesh-under-moved-node.glb");
    assert_eq!(mesh("mesh-under-moved-node.glb").bounds(), f.mesh().bounds());
    assert!(near(size(&f.mesh()), [0.24, 1.0, 0.24]), "{:?}", size(&f.mesh()));
    let middle = |m: &Mesh| {
        let (lo, hi) = m.bounds();
        std::array::from_fn(|c| 0.5 * (lo[c] + hi[c]))
    };
    assert!(near(middle(&f.mesh()), [0.0, 0.5, 0.0]), "{:?}", middle(&f.mesh()));
}

#[test]
fn a_mirrored_node_leaves_faces_outward() {
    assert!(volume(&mesh("mirrored-ball.glb")) > 0.0);
    assert!(volume(&figure("mirrored-ball.glb").mesh()) > 0.0);
}

#[test]
fn strips_and_fans_are_triangles_beside_others_and_alone() {
    for name in ["strip.glb", "fan.glb", "only-strip.glb"] {
        let m = mesh(name);
        assert!(m.triangles.len() >= 2, "{name}: {}", m.triangles.len());
        assert_eq!(figure(name).mesh().triangles.len(), m.triangles.len(), "{name}");
        // All of them face alike: no edge is gone along twice the same way.
        let mut sides: Vec<[u32; 2]> =
            m.triangles.iter().flat_map(|t| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]]).collect();
        let all = sides.len();
        sides.sort_unstable();
        sides.dedup();
        assert_eq!(sides.len(), all, "{name}");
    }
}

#[test]
fn what_is_valid_is_read() {
    for name in ["zeros.glb", "KHR_materials_unlit.glb", "KHR_texture_transform.glb", "q1.glb"] {
        let m = mesh(name);
        assert!(!m.triangles.is_empty(), "{name}");
        assert!(m.positions.iter().flatten().all(|c| c.is_finite()), "{name}");
    }
    assert!(size(&mesh("q1.glb")).iter().all(|s| *s < 100.0), "quantised numbers are shares, not counts");
    assert!(!figure("channel-no-node.glb").parts.is_empty(), "a channel without a node is left out");
}

#[test]
fn what_is_not_is_refused_in_words_and_nothing_panics() {
    for (name, says) in [
        ("points-as-shorts.glb", "its points are kept as"),
        ("joints-as-floats.glb", "its joints are kept as"),
        ("pointer.glb", "moves something else than nodes"),
        ("shear.glb", "is sheared"),
        ("doubled-key.glb", ""),
    ] {
        let told = read_figure(name, &bytes(name)).err().map(|e| e.to_string());
        let told = told.unwrap_or_else(|| panic!("{name} is read"));
        assert!(told.contains(says), "{name}: {told}");
    }
    // Every byte in its turn, in the description and in the numbers.
    let whole = bytes("centimetres-z-up.glb");
    for k in (0..whole.len()).step_by(7) {
        let mut broken = whole.clone();
        broken[k] ^= 1 << (k % 8);
        let _ = (read_mesh("b.glb", &broken), read_figure("b.glb", &broken), read_curves("b.glb", &broken));
    }
}

#[test]
fn v_runs_up_in_every_format() {
    let obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0.25 0.125\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n";
    let first = read_mesh("t.obj", obj.as_bytes()).unwrap();
    let glb = Still::Glb.write("t", &first).unwrap();
    let again = read_mesh("t.glb", &glb).unwrap();
    assert_eq!((first.uvs, first.uv_triangles), (again.uvs, again.uv_triangles));
}

#[test]
fn a_corner_inside_a_side_is_split_there_and_quads_stay_quads() {
    let (m, told) = clean(&mesh("corner-in-side.obj"));
    assert_eq!((told.pieces, told.no_area, m.positions.len()), (1, 0, 8));
    let inside = m.triangles.iter().filter(|t| t.contains(&1)).count();
    assert!(inside >= 3, "the corner in the side is one of the face's triangles too: {inside}");
    let quads = mesh("quads.obj");
    let (m, _) = clean(&quads);
    assert_eq!((m.faces.clone(), m.triangles.len()), (vec![2; 9], 18));
}

#[test]
fn points_near_each_other_are_joined_where_that_is_asked_for() {
    let text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1.0004 0 0\nv 0 1.0003 0\nv 1 1 0\nf 1 2 3\nf 4 6 5\n";
    let m = read_mesh("t.obj", text.as_bytes()).unwrap();
    let (joined, n) = join_near(&m, 0.001);
    assert_eq!((n, clean(&joined).1.pieces), (2, 1));
    assert_eq!((join_near(&m, 0.0001).1, clean(&m).1.pieces), (0, 2));
}

#[test]
fn an_outline_is_as_large_as_its_file_says_and_stands_as_it_does() {
    let c = read_curves("cm.usda", &bytes("cm.usda")).unwrap();
    let far = |k: usize| c[0].points.iter().map(|p| p[k].abs()).fold(0.0, f64::max);
    // Of 30 cm; z is up there, and lies along -z here.
    assert!((far(0) - 0.3).abs() < 1e-9 && far(1) < 1e-9 && (far(2) - 0.3).abs() < 1e-9, "{:?}", c[0].points);
    let text = "#usda 1.0\n(\n    metersPerUnit = 1\n)\ndef Xform \"a\"\n{\n    double3 xformOp:translate = (1, 2, 3)\n    \
        uniform token[] xformOpOrder = [\"xformOp:translate\", \"xformOp:scale\"]\n    float3 xformOp:scale = (2, 2, 2)\n    \
        def BasisCurves \"c\"\n    {\n        float3 xformOp:rotateXYZ = (0, 0, 90)\n        \
        uniform token[] xformOpOrder = [\"xformOp:rotateXYZ\"]\n        int[] curveVertexCounts = [2]\n        \
        point3f[] points = [(0, 0, 0), (1, 0, 0)]\n    }\n}\n";
    let c = read_curves("a.usda", text.as_bytes()).unwrap();
    let to = c[0].points[1];
    assert!((0..3).all(|k| (to[k] - [1.0, 4.0, 3.0][k]).abs() < 1e-9), "{to:?}");
}

#[test]
fn a_zip_from_a_desktop_is_read_without_its_side_files() {
    let f = figure("desktop.zip");
    assert!(!f.sequence.is_empty() && f.points() > 0);
}

#[test]
fn ply_and_stl_are_read_as_text_and_as_bytes() {
    let ply = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty float s\n\
        property float t\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n\
        0 0 0 0 0\n1 0 0 1 0\n1 1 0 1 1\n0 1 0 0 1\n4 0 1 2 3\n";
    let m = read_mesh("a.ply", ply.as_bytes()).unwrap();
    assert_eq!((m.positions.len(), m.triangles.len(), m.faces.as_slice(), m.uvs.len()), (4, 2, &[2][..], 4));
    assert!(read_mesh("a.ply", &ply.as_bytes()[..ply.len() - 6]).is_err());
    let gone = ply.replace("4 0 1 2 3", "4 0 1 2 9");
    assert!(read_mesh("a.ply", gone.as_bytes()).unwrap_err().to_string().contains("isn't there"));
    let mut stl = vec![0u8; 80];
    stl.extend(2u32.to_le_bytes());
    for t in [
        [[0.0f32, 0.0, 0.0], [1.0, 0.0, 0.0], [1.0, 1.0, 0.0]],
        [[0.0, 0.0, 0.0], [1.0, 1.0, 0.0], [0.0, 1.0, 0.0]],
    ] {
        stl.extend([0.0f32, 0.0, 1.0].iter().chain(t.iter().flatten()).flat_map(|c| c.to_le_bytes()));
        stl.extend([0, 0]);
    }
    let m = read_mesh("a.stl", &stl).unwrap();
    assert_eq!((m.positions.len(), m.triangles.len()), (4, 2));
    assert!(read_mesh("a.stl", &stl[..100]).is_err());
}

#[test]
fn loose_pieces_are_points_in_every_still() {
    let m = Mesh { positions: vec![[0.0; 3], [1.0, 2.0, 3.0]], radii: vec![0.1, 0.2], ..Mesh::default() };
    let glb = Still::Glb.write("drift", &m).unwrap();
    let gltf = gltf::Gltf::from_slice(&glb).unwrap();
    let primitive = gltf.meshes().next().unwrap().primitives().next().unwrap();
    assert_eq!(primitive.mode(), gltf::mesh::Mode::Points);
    assert_eq!(gltf.accessors().next().unwrap().count(), 2);
    let usd = String::from_utf8(Still::Usda.write("drift", &m).unwrap()).unwrap();
    assert!(usd.contains("def Points") && usd.contains("point3f[] points = [(0, 0, 0), (1, 2, 3)]"), "{usd}");
    let obj = String::from_utf8(Still::Obj.write("drift", &m).unwrap()).unwrap();
    assert!(obj.contains("p 1\np 2\n"), "{obj}");
}

#[test]
fn what_no_reader_takes_says_what_it_seems_to_be() {
    for (name, bytes, says) in [
        ("a.bin", &b"PXR-USDC"[..], "a USD file of another name"),
        ("a.png", b"\x89PNG\r\n", "a picture"),
        ("a.zip", b"PK\x03\x04", "a zip"),
        ("a.xyz", b"hello", "of a kind that is not known here"),
    ] {
        let told = seems(name, bytes);
        assert!(told.contains(says), "{told}");
        assert!(matches!(read_mesh(name, bytes), Err(ReadError::Kind(w)) if w.starts_with(&told)));
    }
}

#[test]
fn a_gltf_as_text_takes_in_the_buffer_beside_it() {
    let places: Vec<u8> = [[0.0f32; 3], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]
        .iter()
        .flatten()
        .flat_map(|c| c.to_le_bytes())
        .collect();
    let text = serde_json::json!({
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "buffers": [{"byteLength": 36, "uri": "the%20points.bin"}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]}]
    })
    .to_string();
    let alone = read_mesh("a.gltf", text.as_bytes()).unwrap_err().to_string();
    assert!(alone.contains("it needs the file \"the%20points.bin\" beside it"), "{alone}");
    let whole = embedded(text.as_bytes(), |name| (name == "the points.bin").then(|| places.clone()));
    assert_eq!(read_mesh("a.gltf", &whole).unwrap().triangles.len(), 1);
}

#[test]
fn thousands_of_one_name_are_told_apart_in_no_time() {
    let nodes: Vec<_> = (0..20_000).map(|_| serde_json::json!({"name": "bone"})).collect();
    let all: Vec<usize> = (0..nodes.len()).collect();
    let text = serde_json::json!({"asset": {"version": "2.0"}, "scenes": [{"nodes": all}], "nodes": nodes})
        .to_string();
    // Without points it is refused, after all of it was read and named.
    let told = read_figure("a.gltf", text.as_bytes()).unwrap_err().to_string();
    assert!(told.contains("no surface") || told.contains("joints"), "{told}");
}

#[test]
fn an_array_of_the_file_s_own_points_fits_where_a_texture_doubles_some() {
    // A quad whose two triangles have textures of their own: six vertices, four points.
    let text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0.1 0.1\nvt 0.9 0.9\nvt 0 1\nf 1/1 2/2 3/3\nf 1/4 3/5 4/6\n";
    let glb = Still::Glb.write("q", &read_mesh("q.obj", text.as_bytes()).unwrap()).unwrap();
    let f = read_figure("q.glb", &glb).unwrap();
    assert_eq!((f.points(), f.file_points().map(|(n, _)| n)), (4, Some(6)));
    let array = |points: usize| {
        let head = format!("{{'descr': '<f4', 'fortran_order': False, 'shape': (1, {points}, 3), }}");
        let mut out = b"\x93NUMPY\x01\x00".to_vec();
        let room = (10 + head.len() + 1).next_multiple_of(64) - 10;
        out.extend((room as u16).to_le_bytes());
        out.extend(format!("{head:<w$}\n", w = room - 1).as_bytes());
        (0..3 * points).for_each(|k| out.extend(((k / 3) as f32).to_le_bytes()));
        out
    };
    let moved = |n: usize| nematon_formats::with_points(f.clone(), &array(n)).map(|f| f.sequence[0].to_vec());
    assert_eq!(moved(4).unwrap()[3], [3.0; 3]);
    // Each takes the first of its own: the fourth point is the file's sixth.
    assert_eq!(moved(6).unwrap().iter().map(|p| p[0]).collect::<Vec<_>>(), [0.0, 1.0, 2.0, 5.0]);
    assert!(moved(5).is_err());
}
