//! Files of what is painted, and pictures: written and read the same, and what is none is told.
use nematon_formats::*;
use nematon_geometry::sheet;
use std::io::Write as _;

fn zip(arrays: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(vec![]));
    for (name, bytes) in arrays {
        zip.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// An array of an NPZ file that we wrote.
fn array(npz: &[u8], name: &str) -> Vec<u8> {
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(npz)).unwrap();
    let mut out = vec![];
    std::io::Read::read_to_end(&mut zip.by_name(name).unwrap(), &mut out).unwrap();
    out
}

#[test]
fn strokes_lie_over_each_other_on_the_surface_that_they_were_painted_on() {
    let mesh = sheet(1.0, 0.5, 4, 3);
    let mut found = read_surface(&write_surface(&mesh)).unwrap();
    assert_eq!((&found.surface.positions, &found.surface.triangles), (&mesh.positions, &mesh.triangles));
    assert_eq!(found.weights, vec![0.0; 12]);
    lay_stroke(&mut found, &write_stroke(&[(0, 0.5), (3, 1.0)])).unwrap();
    lay_stroke(&mut found, &write_stroke(&[(3, 0.25), (11, 0.75)])).unwrap();
    lay_stroke(&mut found, &write_stroke(&[])).unwrap();
    let own = |k: usize| [(0, 0.5), (3, 0.25), (11, 0.75)].iter().find(|o| o.0 == k).map_or(0.0, |o| o.1);
    assert!(found.weights.iter().enumerate().all(|(k, w)| *w == own(k)));
    // As NumPy writes them: each array a file of its own in the zip.
    let surface = write_surface(&mesh);
    assert_eq!(&array(&surface, "positions.npy")[..6], b"\x93NUMPY");
    assert_eq!(&write_weights(&[0.5; 3])[..6], b"\x93NUMPY");
}

#[test]
fn what_is_no_painting_or_not_of_its_surface_is_told_in_words_and_nothing_is_taken() {
    let mesh = sheet(1.0, 1.0, 3, 3);
    let surface = write_surface(&mesh);
    let positions = array(&surface, "positions.npy");
    let triangles = array(&surface, "triangles.npy");
    let why = |bytes: &[u8]| read_surface(bytes).unwrap_err().to_string();
    assert!(why(b"nothing").contains("NPZ"), "{}", why(b"nothing"));
    assert!(why(&zip(&[("positions.npy", &positions)])).contains("triangles"));
    assert!(why(&zip(&[("positions.npy", b"no"), ("triangles.npy", &triangles)])).contains("positions"));
    let small = write_surface(&sheet(1.0, 1.0, 2, 2));
    let mixed = zip(&[("positions.npy", &array(&small, "positions.npy")), ("triangles.npy", &triangles)]);
    assert!(why(&mixed).contains("points that it has not"), "{}", why(&mixed));
    let mut far = mesh.clone();
    far.positions[4][1] = f32::NAN;
    assert!(why(&write_surface(&far)).contains("finite"));
    let mut found = read_surface(&surface).unwrap();
    for (stroke, words) in [
        (write_stroke(&[(9, 0.5)]), "point 9"),
        (write_stroke(&[(1, 1.5)]), "1.5"),
        (write_stroke(&[(1, f32::NAN)]), "NaN"),
        (surface.clone(), "points"),
    ] {
        let why = lay_stroke(&mut found, &stroke).unwrap_err().to_string();
        assert!(why.contains(words), "{words}: {why}");
    }
    assert_eq!(found.weights, vec![0.0; 9]);
}

#[test]
fn files_are_what_their_endings_say() {
    let mesh = sheet(1.0, 1.0, 3, 3);
    let obj = write_obj(
        "sheet",
        &mesh,
        &mesh.positions,
        With { normals: false, triangles: true, exact: false, ..With::default() },
    );
    let leaf = zip(&[("leaf.1.obj", obj.as_bytes()), ("leaf.2.obj", obj.as_bytes())]);
    for (name, bytes) in [
        ("a.npz", write_surface(&mesh)),
        ("b.npz", write_stroke(&[(0, 1.0)])),
        ("c.npy", write_weights(&[0.5])),
        ("d.obj", obj.clone().into_bytes()),
        ("e.zip", leaf),
    ] {
        check_file(name, &bytes).unwrap_or_else(|e| panic!("{name}: {e}"));
    }
    for (name, bytes) in [
        ("a.npz", b"PK".to_vec()),
        ("c.npy", b"no".to_vec()),
        ("d.obj", vec![]),
        ("e.zip", write_stroke(&[])),
        ("f.png", obj.into_bytes()),
    ] {
        assert!(check_file(name, &bytes).is_err(), "{name}");
    }
}

#[test]
fn what_is_combed_comes_back_and_what_does_not_fit_is_told() {
    let of = nematon_paint::Combed {
        roots: vec![[0.0, 0.0, 0.0], [0.1, 0.0, 0.0]],
        outs: vec![[0.0, 1.0, 0.0]; 2],
        segments: 3,
        ways: (0..6).map(|k| [0.0, 1.0 - 0.01 * k as f32, 0.1]).collect(),
        lengths: vec![0.8, 1.2],
        apart: 0.1,
    };
    let bytes = write_combed(&of);
    assert_eq!(read_combed(&bytes).unwrap(), of);
    check_file("combed.npz", &bytes).unwrap();
    for (broken, what) in [
        (nematon_paint::Combed { lengths: vec![1.0, -1.0], ..of.clone() }, "no length"),
        (nematon_paint::Combed { apart: 0.0, ..of.clone() }, "no room"),
        (nematon_paint::Combed { roots: vec![[f32::NAN, 0.0, 0.0], [0.0; 3]], ..of.clone() }, "finite"),
    ] {
        let why = read_combed(&write_combed(&broken)).unwrap_err().to_string();
        assert!(why.contains(what), "{why}");
    }
    let one = nematon_paint::Combed {
        roots: of.roots[..1].to_vec(),
        outs: of.outs[..1].to_vec(),
        ways: of.ways[..3].to_vec(),
        lengths: vec![1.0],
        ..of.clone()
    };
    let names = ["roots", "outs", "ways", "lengths", "apart"];
    let mixed =
        names.map(|n| array(&write_combed(if n == "lengths" { &one } else { &of }), &format!("{n}.npy")));
    let parts: Vec<(String, &[u8])> =
        names.iter().zip(&mixed).map(|(n, b)| (format!("{n}.npy"), b.as_slice())).collect();
    let parts: Vec<(&str, &[u8])> = parts.iter().map(|(n, b)| (n.as_str(), *b)).collect();
    let why = read_combed(&zip(&parts)).unwrap_err().to_string();
    assert!(why.contains("don't fit together"), "{why}");
    assert!(read_combed(b"no zip").is_err());
    assert!(read_combed(&bytes[..bytes.len() / 2]).is_err());
}

#[test]
fn as_many_curves_as_strands_may_be_are_read() {
    let mut text = String::new();
    for k in 0..700 {
        text += &format!("v {k} 0 0\nv {k} 1 0\nl {} {}\n", 2 * k + 1, 2 * k + 2);
    }
    assert_eq!(read_guides("guides.obj", text.as_bytes()).unwrap().len(), 700);
    assert_eq!(read_curves("guides.obj", text.as_bytes()).unwrap().len(), 200);
    // One of a single point, and one that is at no place, are none.
    let odd = "v 0 0 0\nv 1 0 0\nv nan 0 0\nl 1 1\nl 1 2\nl 3 3\n";
    assert_eq!(read_guides("odd.obj", odd.as_bytes()).unwrap().len(), 1);
    assert!(read_guides("none.obj", b"v 0 0 0\n").is_err());
}
