//! What files of animated meshes promise. `figure/arm.glb` was written by pygltflib and what it must come to was worked out
//! by NumPy: `figure/make.py` says how.
use nematon_figure::Figure;
use nematon_formats::{ReadError, read_figure, with_points};
use serde_json::{Value, json};
use std::io::Write;

fn arm() -> &'static [u8] {
    include_bytes!("figure/arm.glb")
}

/// A GLB taken apart, changed and put together again.
fn with(change: impl FnOnce(&mut Value)) -> Vec<u8> {
    let bytes = arm();
    let long = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let mut json: Value = serde_json::from_slice(&bytes[20..20 + long]).unwrap();
    change(&mut json);
    let mut text = json.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let rest = &bytes[20 + long..];
    let mut out = b"glTF".to_vec();
    out.extend(2u32.to_le_bytes());
    out.extend(((20 + text.len() + rest.len()) as u32).to_le_bytes());
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(&bytes[16..20]);
    out.extend(text);
    out.extend(rest);
    out
}

fn wrong(bytes: &[u8]) -> String {
    read_figure("arm.glb", bytes).unwrap_err().to_string()
}

#[test]
fn joints_weights_morphs_and_clips_come_to_what_another_program_says() {
    let f = read_figure("arm.glb", arm()).unwrap();
    assert_eq!((f.points(), f.joints.len(), f.clips[0].name.as_str()), (8, 10, "Wave"));
    // Six joints hold each point: more than the four of one set.
    assert!(f.parts[0].weights.first.windows(2).all(|w| w[1] - w[0] == 6));
    let told: Value = serde_json::from_str(include_str!("figure/arm.json")).unwrap();
    for at in told.as_array().unwrap() {
        let time = at["time"].as_f64().unwrap();
        let mut places = vec![];
        f.place(&f.pose(Some(0), time), &mut places);
        for (k, p) in at["points"].as_array().unwrap().iter().enumerate() {
            for c in 0..3 {
                let (is, be) = (f64::from(places[k][c]), p[c].as_f64().unwrap());
                assert!((is - be).abs() < 2e-6, "point {k} at {time} s: {is} where {be} is right");
            }
        }
    }
}

#[test]
fn before_its_first_key_and_after_its_last_a_clip_stays() {
    let f = read_figure("arm.glb", arm()).unwrap();
    let at = |t: f64| f.pose(Some(0), t);
    assert_eq!(at(-3.0), at(0.0));
    assert_eq!(at(99.0), at(1.25));
    assert_ne!(at(0.0), at(1.25));
}

#[test]
fn what_does_not_fit_together_is_refused_in_words() {
    let cut = wrong(&with(|j| j["skins"][0]["joints"] = json!([0, 1, 2])));
    assert!(cut.contains("3 joints and 7 matrices"), "{cut}");
    let far = wrong(&with(|j| j["nodes"][3]["translation"] = json!([1e39, 0.0, 0.0])));
    assert!(far.contains("no number") || far.contains("number"), "{far}");
    let ring = wrong(&with(|j| j["nodes"][6]["children"] = json!([0])));
    assert!(ring.contains("its own ancestor"), "{ring}");
    let missing = wrong(&with(|j| j["animations"][0]["samplers"][0]["output"] = json!(400)));
    assert!(missing.contains("glTF"), "{missing}");
    // A turn's keys on as many times as another channel has.
    let uneven = wrong(&with(|j| {
        j["animations"][0]["samplers"][0]["output"] = j["animations"][0]["samplers"][2]["output"].clone()
    }));
    assert!(!uneven.is_empty());
    assert!(matches!(read_figure("arm.txt", arm()), Err(ReadError::FigureKind(_))));
    assert!(matches!(read_figure("arm.glb", &[]), Err(ReadError::Empty)));
    assert!(read_figure("arm.glb", &arm()[..900]).is_err());
}

#[test]
fn times_that_run_backwards_are_refused_with_their_clip_and_joint() {
    let input = |j: &Value| j["animations"][0]["samplers"][0]["input"].as_u64().unwrap() as usize;
    let bytes = with(|_| {});
    let long = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let json: Value = serde_json::from_slice(&bytes[20..20 + long]).unwrap();
    let view = &json["bufferViews"][json["accessors"][input(&json)]["bufferView"].as_u64().unwrap() as usize];
    let at = 20 + long + 8 + view["byteOffset"].as_u64().unwrap() as usize;
    let mut broken = bytes.clone();
    broken[at + 4..at + 8].copy_from_slice(&9.0f32.to_le_bytes());
    let told = wrong(&broken);
    assert!(told.contains("Wave") && told.contains("not after the one before"), "{told}");
    broken[at + 4..at + 8].copy_from_slice(&f32::NAN.to_le_bytes());
    assert!(wrong(&broken).contains("no number"), "{}", wrong(&broken));
}

#[test]
fn a_zip_of_obj_files_is_a_sequence_in_the_order_of_its_numbers() {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(vec![]));
    for k in [10, 2, 1] {
        let options = zip::write::SimpleFileOptions::default();
        zip.start_file(format!("leaf.{k}.obj"), options).unwrap();
        write!(zip, "v 0 {k} 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n").unwrap();
    }
    let bytes = zip.finish().unwrap().into_inner();
    let f = read_figure("leaf.zip", &bytes).unwrap();
    let heights: Vec<f32> = f.sequence.iter().map(|s| s[0][1]).collect();
    assert_eq!(heights, [1.0, 2.0, 10.0]);
    let mut out = vec![];
    f.place(&f.at_shape(1.5), &mut out);
    assert_eq!(out[0], [0.0, 6.0, 0.0]);
    f.place(&f.at_shape(f64::NAN), &mut out);
    assert_eq!(out[0], [0.0, 1.0, 0.0]);
}

/// A NumPy array as the standard has it.
fn npy(shape: &str, descr: &str, raw: &[u8]) -> Vec<u8> {
    let mut head = format!("{{'descr': '{descr}', 'fortran_order': False, 'shape': {shape}, }}");
    let long = (10 + head.len() + 1).next_multiple_of(64) - 10;
    head = format!("{head:<width$}\n", width = long - 1);
    let mut out = b"\x93NUMPY\x01\x00".to_vec();
    out.extend((head.len() as u16).to_le_bytes());
    out.extend(head.bytes());
    out.extend(raw);
    out
}

#[test]
fn a_numpy_array_moves_the_same_points() {
    let still = || read_figure("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n").unwrap();
    let f32s: Vec<u8> = (0..18).flat_map(|k| (k as f32).to_le_bytes()).collect();
    let f64s: Vec<u8> = (0..18).flat_map(|k| f64::from(k).to_le_bytes()).collect();
    for (descr, raw) in [("<f4", &f32s), ("<f8", &f64s)] {
        let f = with_points(still(), &npy("(2, 3, 3)", descr, raw)).unwrap();
        assert_eq!((f.sequence.len(), f.sequence[1][2]), (2, [15.0, 16.0, 17.0]));
    }
    let fault = |f: Result<Figure, ReadError>| f.unwrap_err().to_string();
    assert!(
        fault(with_points(still(), &npy("(3, 2, 3)", "<f4", &f32s))).contains("2 points, and the mesh has 3")
    );
    assert!(fault(with_points(still(), &npy("(18,)", "<f4", &f32s))).contains("(shapes, points, 3)"));
    assert!(fault(with_points(still(), &npy("(2, 3, 3)", "<i4", &f32s))).contains("float32"));
    assert!(fault(with_points(still(), &npy("(2, 3, 3)", "<f4", &f32s[..40]))).contains("cut short"));
    assert!(fault(with_points(still(), b"hello")).contains("no NumPy array"));
}
