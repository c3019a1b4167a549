//! The program as a person calls it.
#![allow(clippy::unwrap_used)]
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn nematon(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_nematon")).args(args).output().unwrap()
}

fn folder(name: &str) -> PathBuf {
    let p = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    let _ = std::fs::remove_dir_all(&p);
    std::fs::create_dir_all(&p).unwrap();
    p
}

fn demo() -> String {
    format!("{}/../../demo/thistledown-relay.json", env!("CARGO_MANIFEST_DIR"))
}

fn bake(out: &Path, scene: &str, more: &[&str]) -> Output {
    nematon(&[&["bake", scene, "--out", out.to_str().unwrap()], more].concat())
}

#[test]
fn the_demo_bakes_to_the_same_bytes_on_one_and_two_threads() {
    let (one, two) = (folder("one"), folder("two"));
    for (out, threads) in [(&one, "1"), (&two, "2")] {
        let done =
            bake(out, &demo(), &["--frames", "0..48", "--threads", threads, "--format", "npy,obj,usda"]);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    }
    for file in ["Landing canopy.npy", "Landing canopy.usda"] {
        assert_eq!(std::fs::read(one.join(file)).unwrap(), std::fs::read(two.join(file)).unwrap(), "{file}");
    }
    let bytes = std::fs::metadata(one.join("Landing canopy.npy")).unwrap().len();
    assert_eq!(bytes, 128 + 49 * 2400 * 12);
    assert!(one.join("Landing canopy.obj.zip").exists());
    let report: Value =
        serde_json::from_str(&std::fs::read_to_string(one.join("report.json")).unwrap()).unwrap();
    let body = &report["bodies"][0];
    assert_eq!((body["points"].as_u64(), body["frames"].as_u64()), (Some(2400), Some(49)));
    assert!(report["islands"][0]["thread_ms_by_phase"]["membrane"].as_f64().unwrap() > 0.0);
    assert!(body["fault"].is_null());
}

#[test]
fn a_part_of_the_frames_is_the_same_as_that_part_of_all() {
    let (all, part) = (folder("all"), folder("part"));
    assert!(bake(&all, &demo(), &["--frames", "0..12"]).status.success());
    assert!(bake(&part, &demo(), &["--frames", "6..12"]).status.success());
    let (a, b) = (
        std::fs::read(all.join("Landing canopy.npy")).unwrap(),
        std::fs::read(part.join("Landing canopy.npy")).unwrap(),
    );
    assert_eq!(a[128 + 6 * 2400 * 12..], b[128..]);
}

#[test]
fn the_demo_files_are_what_the_generators_make() {
    let out = folder("demo");
    assert!(nematon(&["demo", "--out", out.to_str().unwrap()]).status.success());
    for file in [
        "thistledown-relay.json",
        "pennant.obj",
        "washing-loft.json",
        "woven-bladder.json",
        "trials/towel.json",
        "trials/lump-1.obj",
    ] {
        let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(file);
        assert_eq!(
            std::fs::read(out.join(file)).unwrap(),
            std::fs::read(kept).unwrap(),
            "{file}: run `nematon demo`"
        );
    }
}

#[test]
fn every_fault_of_a_scene_file_is_told() {
    let out = folder("faults");
    let scene = out.join("bad.json");
    std::fs::write(&scene, r#"{"nematon": 2, "name": "", "frames": {"first": 9, "last": 2, "rate": 0}, "bodies": {}, "fields": {"w": {"name": "W", "act": {"wind": {"speed": 1e9, "heading": 0}}}}}"#).unwrap();
    let told = nematon(&["validate", scene.to_str().unwrap()]);
    let words = String::from_utf8_lossy(&told.stderr).into_owned();
    assert!(!told.status.success());
    for part in ["/name", "/frames/rate", "/fields/w/act/wind/speed", "at most 150 m/s"] {
        assert!(words.contains(part), "{part} is missing from {words}");
    }
    assert!(nematon(&["validate", &demo()]).status.success());
}

#[test]
fn an_explosion_stops_the_bake_names_the_body_and_keeps_the_frames_before() {
    let out = folder("fall");
    let scene = out.join("fall.json");
    std::fs::write(
        &scene,
        r#"{"nematon": 2, "name": "Fall", "frames": {"first": 0, "last": 90, "rate": 1, "substeps": 4},
        "bodies": {"slip": {"name": "Loose slip", "kind": {"cloth": {"matter": {"drag": 0, "lift": 0}, "shape": {"sheet": {"width": 1, "depth": 1, "columns": 4, "rows": 4}}}}}},
        "fields": {"g": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}}}}"#,
    )
    .unwrap();
    let done = bake(&out, scene.to_str().unwrap(), &[]);
    let words = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(
        !done.status.success()
            && words.contains("Loose slip exploded at frame")
            && words.contains("falls free"),
        "{words}"
    );
    let report: Value =
        serde_json::from_str(&std::fs::read_to_string(out.join("report.json")).unwrap()).unwrap();
    let kept = report["bodies"][0]["frames"].as_u64().unwrap();
    assert!((40..60).contains(&kept), "{kept} frames kept");
    assert_eq!(std::fs::metadata(out.join("Loose slip.npy")).unwrap().len(), 128 + kept * 16 * 12);
}

#[test]
fn frames_that_are_not_there_are_refused() {
    let out = folder("range");
    for (frames, words) in
        [("9..2", "before the first"), ("0..9999", "has frames 0 to 240"), ("x..2", "not a frame number")]
    {
        let done = bake(&out, &demo(), &["--frames", frames]);
        assert!(!done.status.success());
        let told = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(told.contains(words), "{told}");
    }
}

#[test]
fn the_schema_and_the_benchmark_are_json() {
    let schema: Value = serde_json::from_slice(&nematon(&["schema"]).stdout).unwrap();
    assert!(schema["properties"]["bodies"].is_object());
    let api: Value = serde_json::from_slice(&nematon(&["openapi"]).stdout).unwrap();
    assert!(api["paths"]["/api/projects"].is_object());
    let bench = nematon(&[
        "bench",
        "--json",
        "--case",
        "canopy,cloth_folds",
        "--n",
        "12x8",
        "--threads",
        "1,2",
        "--rounds",
        "1",
    ]);
    let text = String::from_utf8(bench.stdout).unwrap();
    let lines: Vec<Value> = text.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert!(lines[0]["ms_per_frame"].as_f64().unwrap() > 0.0);
    assert!(lines.iter().any(|l| l["ratio"] == "gain of threads"));
}

#[test]
fn a_bake_tells_what_contact_cost_and_what_is_wrong() {
    let out = folder("folds");
    let scene = demo().replace("thistledown-relay", "trials/folds");
    assert!(bake(&out, &scene, &["--draft", "--frames", "0..16"]).status.success());
    let report: Value =
        serde_json::from_str(&std::fs::read_to_string(out.join("report.json")).unwrap()).unwrap();
    assert_eq!((report["quality"].as_str(), report["substeps"].is_null()), (Some("draft"), true));
    // Which frames took how many, from the first to the last.
    let took = report["islands"][0]["substeps"].as_array().unwrap();
    assert_eq!(took[0][0], 0);
    assert_eq!(took[took.len() - 1][1], 16);
    assert!(took.iter().all(|t| (6..=48).contains(&t[2].as_u64().unwrap())), "{took:?}");
    let pairs = report["islands"][0]["contact"].as_array().unwrap();
    let gourd = pairs.iter().find(|p| p["with"]["name"] == "Gourd").unwrap();
    assert!(gourd["milliseconds"].as_f64().unwrap() > 0.0 && gourd["touches_most"].as_u64().unwrap() > 0);
    let snags = report["bodies"][0]["snags"].as_array().unwrap();
    assert!(snags.iter().all(|s| s["snag"] != "crossing" && s["snag"] != "inside"), "{snags:?}");
}

#[test]
fn colliders_and_shapes_that_can_not_be_are_told_with_their_place() {
    let out = folder("colliders");
    let scene = out.join("bad.json");
    std::fs::write(
        &scene,
        r#"{"nematon": 2, "name": "Bad", "frames": {"first": 0, "last": 9},
        "bodies": {"a": {"name": "A", "kind": {"cloth": {"shape": {"ball": {"radius": 1, "cells": 256}}, "layers": {"count": 2, "offset": [0, 1, 0]}, "matter": {"thickness": 0}}},
                         "grips": {"g": {"name": "G", "points": [{"corner": "back left"}], "to": {"handle": "none"}}}}},
        "colliders": {"p": {"name": "P", "form": {"plane": {}}, "hollow": true, "thickness": -1},
                      "b": {"name": "B", "form": {"ball": {"radius": 1}}, "place": {"position": [0, {"keys": [{"frame": 5, "value": 0}, {"frame": 5, "value": 1}]}, 0]}}}}"#,
    )
    .unwrap();
    let tell = |path: &Path| {
        String::from_utf8_lossy(&nematon(&["validate", path.to_str().unwrap()]).stderr).into_owned()
    };
    let words = tell(&scene);
    for part in ["/bodies/a/kind/cloth/matter/thickness", "/colliders/p/thickness"] {
        assert!(words.contains(part), "{part} is missing from {words}");
    }
    let text = std::fs::read_to_string(&scene)
        .unwrap()
        .replace("\"thickness\": -1", "\"friction\": 1")
        .replace("\"thickness\": 0", "\"friction\": 1");
    std::fs::write(&scene, text).unwrap();
    let words = tell(&scene);
    for part in [
        "/bodies/a/kind/cloth/shape",
        "/bodies/a/grips/g/to/handle",
        "/colliders/p/hollow",
        "/colliders/b/place/position/1/keys/1/frame",
    ] {
        assert!(words.contains(part), "{part} is missing from {words}");
    }
}

/// Places of a body at each frame.
fn frames(file: &Path, points: usize) -> Vec<Vec<[f32; 3]>> {
    let bytes = std::fs::read(file).unwrap();
    let numbers: Vec<f32> =
        bytes[128..].chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
    numbers.chunks_exact(3 * points).map(|f| f.as_chunks::<3>().0.to_vec()).collect()
}

/// A scene of one sheet of 0.5 m, and more of its numbers.
fn sheet(frames: u32, points: u32, gravity: f64, more: &str) -> String {
    format!(
        r#"{{"nematon": 1, "name": "S", "frames": {{"first": 0, "last": {frames}}},
        "bodies": {{"slip": {{"name": "Slip", "kind": "cloth", "shape": {{"sheet": {{"width": 0.5, "depth": 0.5, "columns": {points}, "rows": {points}}}}}, {more}}}}},
        "fields": {{"g": {{"name": "Gravity", "act": {{"gravity": {{"strength": {gravity}}}}}}}}}}}"#
    )
}

#[test]
fn maps_and_rest_shapes_of_a_scene_file_do_what_they_say() {
    let out = folder("rests");
    let run = |name: &str, frames_to: u32, points: u32, gravity: f64, more: &str| {
        let scene = out.join(format!("{name}.json"));
        std::fs::write(&scene, sheet(frames_to, points, gravity, more)).unwrap();
        let to = out.join(name);
        let done = bake(&to, scene.to_str().unwrap(), &[]);
        (done.status.success(), String::from_utf8_lossy(&done.stderr).into_owned(), to.join("Slip.npy"))
    };
    let reach = |p: &[[f32; 3]], c: usize| {
        p.iter().map(|p| p[c]).fold(f32::MIN, f32::max) - p.iter().map(|p| p[c]).fold(f32::MAX, f32::min)
    };
    // Grown by a quarter within a second.
    let keys = r#""matter": {"damping": 4}, "rest": {"scale": [{"frame": 0, "value": 1}, {"frame": 24, "value": 1.25}]}"#;
    let (ok, words, file) = run("grown", 48, 9, 0.0, keys);
    assert!(ok, "{words}");
    let last = frames(&file, 81).pop().unwrap();
    assert!((reach(&last, 0) / 0.5 - 1.25).abs() < 0.01, "{}", reach(&last, 0));
    // A rest shape of nine tenths of the size, from a file with the same points.
    let own = nematon(&[
        "bake",
        out.join("grown.json").to_str().unwrap(),
        "--out",
        out.join("obj").to_str().unwrap(),
        "--frames",
        "0..0",
        "--format",
        "obj",
    ]);
    assert!(own.status.success());
    let mut small = String::new();
    for j in 0..9 {
        for i in 0..9 {
            small +=
                &format!("v {} 0 {}\n", -0.225 + 0.05625 * f64::from(i), -0.225 + 0.05625 * f64::from(j));
        }
    }
    let zip = std::fs::File::open(out.join("obj/Slip.obj.zip")).unwrap();
    let mut zip = zip::ZipArchive::new(zip).unwrap();
    let mut text = String::new();
    std::io::Read::read_to_string(&mut zip.by_index(0).unwrap(), &mut text).unwrap();
    let faces: Vec<&str> = text.lines().filter(|l| l.starts_with("f ")).collect();
    let bare =
        |l: &&str| l.split(' ').map(|c| c.split('/').next().unwrap_or("")).collect::<Vec<_>>().join(" ");
    small += &faces.iter().map(bare).collect::<Vec<_>>().join("\n");
    std::fs::write(out.join("small.obj"), &small).unwrap();
    let from = |name: &str| {
        format!(r#""matter": {{"damping": 4}}, "rest": {{"shape": {{"mesh": {{"file": "{name}"}}}}}}"#)
    };
    let (ok, words, file) = run("shrunk", 48, 9, 0.0, &from("small.obj"));
    assert!(ok, "{words}");
    let last = frames(&file, 81).pop().unwrap();
    // From corner to corner, for nothing keeps it from turning.
    let side = (0..3).map(|c| (last[8][c] - last[0][c]).powi(2)).sum::<f32>().sqrt();
    assert!((side / 0.45 - 1.0).abs() < 0.01, "{side}");
    // Heavier by a file of weights: one border falls ahead where air holds.
    let weights: Vec<String> = (0..81).map(|k| format!("{}", f64::from(k / 9) / 8.0)).collect();
    std::fs::write(out.join("heavy.csv"), format!("weight\n{}\n", weights.join("\n"))).unwrap();
    let heavy = |file: &str| {
        format!(
            r#""maps": {{"m": {{"name": "Hem", "weights": {{"file": "{file}"}}}}}},
            "scaled": {{"areal_weight": {{"map": "m", "least": 1, "most": 6}}}}"#
        )
    };
    let (ok, words, file) = run("heavy", 10, 9, 9.81, &heavy("heavy.csv"));
    assert!(ok, "{words}");
    let last = frames(&file, 81).pop().unwrap();
    let row = |j: usize| last[9 * j..9 * j + 9].iter().map(|p| p[1]).sum::<f32>() / 9.0;
    assert!(row(8) < row(0) - 0.02, "{} {}", row(8), row(0));
    // What doesn't fit is told by name.
    std::fs::write(out.join("short.csv"), "0.5\n0.5\n").unwrap();
    std::fs::write(out.join("wild.csv"), "0.5\n7\n").unwrap();
    std::fs::write(out.join("other.obj"), "v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n").unwrap();
    for (more, told) in [
        (heavy("short.csv"), "\"Hem\" has 2 weights, and the shape 81 points"),
        (heavy("wild.csv"), "line 2: 7 is not from 0 to 1"),
        (heavy("none.csv"), "none.csv"),
        (from("other.obj"), "its rest shape has 3 and 1 points and triangles, and its own has 81 and 128"),
        (
            r#""maps": {"m": {"name": "Hem", "weights": {"border": {"border": "rim", "reach": 1}}}}, "scaled": {"bend": {"map": "m"}}"#.into(),
            "names the border \"rim\"; the shape has back, right, front, left",
        ),
        (r#""scaled": {"bend": {"map": "gone"}}"#.into(), "/bodies/slip/scaled/bend/map"),
        (r#""rest": {"scale": [{"frame": 3, "value": 1}, {"frame": 3, "value": 2}]}"#.into(), "/bodies/slip/kind/cloth/rest/scale/keys/1/frame"),
        (r#""matter": {"poisson": 0.6}"#.into(), "/bodies/slip/kind/cloth/matter/poisson"),
    ] {
        let (ok, words, _) = run("bad", 4, 9, 0.0, &more);
        assert!(!ok && words.contains(told), "{told} is missing from {words}");
    }
}

#[test]
fn what_is_too_much_or_held_whole_or_starts_inside_ends_well() {
    let out = folder("edges");
    let write = |name: &str, text: &str| {
        std::fs::write(out.join(name), text).unwrap();
        out.join(name).to_str().unwrap().to_owned()
    };
    // Two million points: refused by the limit, with its number.
    let mut big = String::with_capacity(40_000_000);
    for k in 0..2_000_000u32 {
        big += &format!("v {} {} 0\n", k % 1500, k / 1500);
    }
    big += "f 1 2 1501\n";
    std::fs::write(out.join("big.obj"), big).unwrap();
    let scene = |body: &str, more: &str| {
        format!(
            r#"{{"nematon": 1, "name": "E", "frames": {{"first": 0, "last": 6}}, "bodies": {{"slip": {{"name": "Slip", "kind": "cloth", {body}}}}},
            "fields": {{"g": {{"name": "Gravity", "act": {{"gravity": {{"strength": 9.81}}}}}}}}, {more}}}"#
        )
    };
    let to = out.join("out");
    let path = write(
        "big.json",
        &scene(r#""shape": {"mesh": {"from": {"file": "big.obj"}}}"#, r#""colliders": {}"#),
    );
    let done = bake(&to, &path, &[]);
    let words = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(!done.status.success() && words.contains("400000") | words.contains("400,000"), "{words}");
    // All held, and a collider amid it: it stays where it is, and so do the numbers.
    let held = r#""shape": {"sheet": {"width": 0.5, "depth": 0.5, "columns": 7, "rows": 7}}, "touch": {"itself": true},
        "grips": {"g": {"name": "All", "points": [{"near": [PLACES]}]}}"#;
    let places: Vec<String> = (0..49)
        .map(|k| format!("[{}, 0, {}]", -0.25 + f64::from(k % 7) / 12.0, -0.25 + f64::from(k / 7) / 12.0))
        .collect();
    let ball = r#""colliders": {"b": {"name": "Ball", "form": {"ball": {"radius": 0.1}}}}"#;
    for (name, body, stays) in [
        ("held", held.replace("PLACES", &places.join(", ")), true),
        (
            "loose",
            held.split(", \"grips\"")
                .next()
                .unwrap()
                .split(",\n        \"grips\"")
                .next()
                .unwrap()
                .to_owned(),
            false,
        ),
    ] {
        let path = write(&format!("{name}.json"), &scene(&body, ball));
        let to = out.join(name);
        let done = bake(&to, &path, &[]);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let all = frames(&to.join("Slip.npy"), 49);
        assert!(all.iter().flatten().flatten().all(|c| c.is_finite() && c.abs() < 2.0));
        let moved = all[0].iter().zip(&all[6]).any(|(a, b)| a != b);
        assert_eq!(moved, !stays, "{name}");
        // What starts inside comes out at a pace that throws nothing.
        let pace = all
            .windows(2)
            .flat_map(|w| w[0].iter().zip(&w[1]))
            .map(|(a, b)| (a[1] - b[1]).abs())
            .fold(0.0, f32::max);
        assert!(pace < 0.15, "{name}: {pace} m in a frame");
    }
}

#[test]
fn a_mesh_is_mended_scaled_and_turned_up() {
    let at = folder("mend");
    let (from, to) = (at.join("tarp.obj"), at.join("tidy.obj"));
    let text = "v 0 0 0\nv 100 0 0\nv 100 100 0\nv 0 100 0\nv 5 5 5\nf 1 3 2\nf 1 3 4\nf 2 1 3\n";
    std::fs::write(&from, text).unwrap();
    let args =
        ["mend", from.to_str().unwrap(), "--out", to.to_str().unwrap(), "--scale", "0.01", "--up", "z"];
    let done = nematon(&args);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let said = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(said.contains("1 loose points") && said.contains("1 x 0 x 1 m"), "{said}");
    let mesh = std::fs::read_to_string(&to).unwrap();
    assert_eq!((mesh.matches("\nv ").count(), mesh.matches("\nf ").count()), (4, 2));
    std::fs::write(&from, "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nv 0 -1 0\nf 1 2 3\nf 1 2 4\nf 1 2 5\n")
        .unwrap();
    let fin = nematon(&["mend", from.to_str().unwrap()]);
    assert!(
        !fin.status.success() && String::from_utf8_lossy(&fin.stderr).contains("more than two triangles")
    );
}

#[test]
fn the_air_and_what_moves_a_point_are_told_as_json() {
    let done = nematon(&["air", &demo(), "--frame", "40", "--at", "0,1.8,0", "--at", "-3,0.5,2"]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let text = String::from_utf8(done.stdout).unwrap();
    let lines: Vec<Value> = text.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert_eq!(lines.len(), 2);
    let number = |v: &Value, c: usize| v[c].as_f64().unwrap();
    for line in &lines {
        let fields = line["fields"].as_object().unwrap();
        for c in 0..3 {
            let moved =
                fields.iter().filter(|(id, _)| *id != "gravity").map(|(_, v)| number(v, c)).sum::<f64>();
            assert!((moved - number(&line["velocity"], c)).abs() < 1e-4, "{line}");
        }
        assert!((number(&line["fields"]["gravity"], 1) + 9.81).abs() < 1e-5);
    }
    let done = nematon(&["why", &demo(), "--body", "landing-canopy", "--point", "1800", "--frame", "6"]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let why: Value = serde_json::from_slice(&done.stdout).unwrap();
    let shares = why["shares"].as_array().unwrap();
    let sum: f64 = shares.iter().map(|s| number(&s["by"], 1)).sum();
    assert!((sum - number(&why["acceleration"], 1)).abs() < 0.01 && shares.len() >= 6, "{why}");
    for (args, words) in [
        (vec!["why", &demo(), "--body", "tent", "--point", "0", "--frame", "6"], "no body"),
        (
            vec!["why", &demo(), "--body", "landing-canopy", "--point", "9999", "--frame", "6"],
            "no point 9999",
        ),
        (
            vec!["why", &demo(), "--body", "landing-canopy", "--point", "0", "--frame", "0"],
            "none before or after",
        ),
        (vec!["air", &demo(), "--frame", "999"], "no frame 999"),
        (vec!["air", &demo(), "--at", "here"], "not X,Y,Z"),
    ] {
        let done = nematon(&args);
        assert!(!done.status.success());
        assert!(String::from_utf8_lossy(&done.stderr).contains(words), "{args:?}");
    }
}

#[test]
fn every_kind_of_field_moves_a_cloth_that_is_baked() {
    let out = folder("kinds");
    let last = |act: &str, place: &str| {
        let scene = format!(
            r#"{{"nematon": 2, "name": "Kind", "frames": {{"first": 0, "last": 8}},
            "bodies": {{"rag": {{"name": "Rag", "kind": {{"cloth": {{"shape": {{"sheet": {{"width": 0.4, "depth": 0.4, "columns": 5, "rows": 5}}}}}}}}, "place": {{"position": [0.7, 1, 0]}}}}}},
            "colliders": {{"ball": {{"name": "Ball", "form": {{"ball": {{"radius": 0.3}}}}, "place": {{"position": [0, 1, 0]}}}}}},
            "fields": {{{act}}}{place}}}"#
        );
        let file = out.join("kind.json");
        std::fs::write(&file, scene).unwrap();
        let done = bake(&out, file.to_str().unwrap(), &[]);
        assert!(done.status.success(), "{act}: {}", String::from_utf8_lossy(&done.stderr));
        std::fs::read(out.join("Rag.npy")).unwrap()
    };
    let still = last("", "");
    for act in [
        r#""gravity": {"strength": 9.81}"#,
        r#""wind": {"speed": 4, "heading": 1, "rise": 0.5}"#,
        r#""turbulence": {"strength": 3, "size": 0.5, "upright": 0.9}"#,
        r#""vortex": {"spin": 5, "core": 0.5, "lift": 2}"#,
        r#""pull": {"strength": 5, "reach": 3}"#,
        r#""column": {"lift": 4, "radius": 2, "height": 3}"#,
        r#""stream": {"speed": 4, "radius": 2, "points": [[-1, 0, 0], [1, 2, 0]]}"#,
        r#""skin": {"of": {"collider": "ball"}, "strength": 8, "reach": 0.9}"#,
    ] {
        let field = format!(r#""own": {{"name": "Own", "act": {{{act}}}}}"#);
        assert!(last(&field, "") != still, "{act} moves nothing");
    }
    // Shelter moves nothing and leaves less of a wind.
    let wind = r#""w": {"name": "W", "act": {"wind": {"speed": 6, "heading": 0, "rise": 0.3}}}"#;
    let lee = r#", "s": {"name": "S", "act": {"shelter": {"taken": 0.9}}}"#;
    assert!(last(&format!("{wind}{lee}"), "") != last(wind, ""));
}

#[test]
fn a_frame_is_frozen_as_it_is_and_a_body_rests_as_it_was_there() {
    let out = folder("rest");
    let of = |rest: Value, last: u32, name: &str| {
        let side = |p: &str| ["back", "right", "front", "left"].map(|s| format!("{p} {s}")).to_vec();
        let cloth = serde_json::json!({
            "shape": { "cushion": { "width": 0.3, "depth": 0.3, "columns": 9, "rows": 9 } }, "rest": rest,
            "seams": { "rim": { "name": "Rim", "of": [{ "borders": side("top") }, { "borders": side("bottom") }] } },
            "chambers": { "inside": { "name": "Inside", "fill": { "pressure": { "keys": [{ "frame": 0, "value": 0 }, { "frame": 12, "value": 40 }] } } } }
        });
        let scene = serde_json::json!({ "nematon": 2, "name": "Rest", "frames": { "first": 0, "last": last, "rate": 24, "substeps": 10 },
            "bodies": { "b": { "name": "B", "kind": { "cloth": cloth } } } });
        let file = out.join(name);
        std::fs::write(&file, scene.to_string()).unwrap();
        file.to_str().unwrap().to_owned()
    };
    let swollen = of(Value::Null, 24, "swollen.json");
    let obj = out.join("at-24.obj");
    let done = nematon(&["still", &swollen, "--as-is", "--out", obj.to_str().unwrap()]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let text = std::fs::read_to_string(&obj).unwrap();
    let points = text.lines().filter(|l| l.starts_with("v ")).count();
    assert_eq!(points, 162, "nothing is joined");
    // Flat and without pressure it swells by itself, for that is how it rests.
    let again = of(serde_json::json!({ "shape": { "frame": { "file": "at-24.obj" } } }), 24, "again.json");
    let thick = |scene: &str, frame: &str| {
        let to = out.join("told.obj");
        let done = nematon(&["still", scene, "--frame", frame, "--as-is", "--out", to.to_str().unwrap()]);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let text = std::fs::read_to_string(&to).unwrap();
        let heights: Vec<f64> = text
            .lines()
            .filter_map(|l| l.strip_prefix("v "))
            .map(|l| l.split_whitespace().nth(1).unwrap().parse().unwrap())
            .collect();
        heights.iter().copied().fold(f64::MIN, f64::max) - heights.iter().copied().fold(f64::MAX, f64::min)
    };
    let (plain, rests) = (thick(&swollen, "2"), thick(&again, "2"));
    assert!((plain - rests).abs() > 1e-4, "it begins to come back: {plain} and {rests}");
    let other = of(serde_json::json!({ "shape": { "frame": { "file": "nowhere.obj" } } }), 24, "other.json");
    let done = nematon(&["still", &other]);
    assert!(!done.status.success() && String::from_utf8_lossy(&done.stderr).contains("nowhere.obj"));
}

#[test]
fn curves_of_a_file_become_panels_that_bake() {
    let out = folder("panels");
    let file = out.join("kite.obj");
    std::fs::write(
        &file,
        "o kite\nv 0 1 0\nv 0.4 1 0\nv 0.2 1 -0.5\nl 1 2 3 1\no line\nv 0 0 0\nv 1 0 0\nl 4 5\n",
    )
    .unwrap();
    let done = nematon(&["panels", file.to_str().unwrap(), "--every", "0.04"]);
    let told = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success() && told.contains("line: left out"), "{told}");
    let shape: Value = serde_json::from_slice(&done.stdout).unwrap();
    assert_eq!(
        shape["panels"]["panels"][1]["outline"],
        serde_json::json!([[-0.2, -0.25], [0.2, -0.25], [0.0, 0.25]])
    );
    let scene = serde_json::json!({ "nematon": 2, "name": "Kite", "frames": { "first": 0, "last": 2, "rate": 24, "substeps": 10 },
        "bodies": { "b": { "name": "B", "kind": { "cloth": { "shape": shape } } } } });
    let to = out.join("scene.json");
    std::fs::write(&to, scene.to_string()).unwrap();
    assert!(bake(&out.join("o"), to.to_str().unwrap(), &[]).status.success());
    std::fs::write(&file, "v 0 0 0\nv 1 0 0\nl 1 2\n").unwrap();
    let done = nematon(&["panels", file.to_str().unwrap()]);
    assert!(!done.status.success() && String::from_utf8_lossy(&done.stderr).contains("can be the outline"));
}

#[test]
fn loose_pieces_are_frozen_as_points_and_a_pipe_that_closes_ends_quietly() {
    let at = folder("gravel");
    let scene = at.join("gravel.json");
    let text = r#"{"nematon": 2, "name": "Gravel", "frames": {"first": 101, "last": 104, "rate": 25, "substeps": 4},
        "bodies": {"d": {"name": "Pebbles", "kind": {"drift": {"size": [0.4, 0.2, 0.4], "count": 60, "radius": 0.02, "weight": 0.005}},
        "place": {"position": [0, 0.5, 0]}}}, "floor": {"height": 0}}"#;
    std::fs::write(&scene, text).unwrap();
    for ending in ["obj", "glb", "usda"] {
        let out = at.join(format!("still.{ending}"));
        let done =
            nematon(&["still", scene.to_str().unwrap(), "--frame", "103", "--out", out.to_str().unwrap()]);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let bytes = std::fs::read(&out).unwrap();
        let text = String::from_utf8_lossy(&bytes);
        match ending {
            "obj" => assert_eq!(text.lines().filter(|l| l.starts_with("p ")).count(), 60),
            "glb" => assert!(text.contains("\"mode\":0") && text.contains("\"count\":60"), "{ending}"),
            _ => assert!(text.contains("def Points") && text.contains("point3f[] points = ["), "{ending}"),
        }
    }
    let mut child = Command::new(env!("CARGO_BIN_EXE_nematon"))
        .args(["air", &demo(), "--frame", "0"])
        .args((0..4000).flat_map(|k| ["--at".to_owned(), format!("0,{k},0")]))
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let done = child.wait_with_output().unwrap();
    assert_eq!(String::from_utf8_lossy(&done.stderr), "");
}

#[test]
fn parts_near_each_other_are_joined_and_a_text_gltf_takes_its_buffer_beside_it() {
    let at = folder("join");
    let obj = at.join("two.obj");
    std::fs::write(
        &obj,
        "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1.0004 0 0\nv 0 1.0003 0\nv 1 1 0\nf 1 2 3\nf 4 6 5\n",
    )
    .unwrap();
    let done = nematon(&["mend", obj.to_str().unwrap(), "--join", "0.001"]);
    let said = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(
        done.status.success() && said.contains("2 points joined") && said.contains("in 1 piece(s)"),
        "{said}"
    );
    assert!(!nematon(&["mend", obj.to_str().unwrap(), "--join", "0"]).status.success());
    let places: Vec<u8> = [[0.0f32; 3], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]
        .iter()
        .flatten()
        .flat_map(|c| c.to_le_bytes())
        .collect();
    std::fs::write(at.join("points.bin"), places).unwrap();
    let text = r#"{"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}], "buffers": [{"byteLength": 36, "uri": "points.bin"}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]}]}"#;
    let gltf = at.join("one.gltf");
    std::fs::write(&gltf, text).unwrap();
    let done = nematon(&["mend", gltf.to_str().unwrap()]);
    let said = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(said.contains("3 points and 1 triangles"), "{said} {}", String::from_utf8_lossy(&done.stderr));
}

#[test]
fn a_readout_is_the_fall_that_physics_says_and_what_is_not_there_is_told() {
    let out = folder("readout");
    let file = out.join("falls.json");
    std::fs::write(&file, sheet(24, 5, 9.81, r#""matter": {"damping": 0, "drag": 0, "lift": 0}"#)).unwrap();
    let file = file.to_str().unwrap();
    let csv = out.join("falls.csv");
    let done = nematon(&["readout", file, "--out", csv.to_str().unwrap()]);
    let told = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{told}");
    let text = std::fs::read_to_string(&csv).unwrap();
    let rows: Vec<Vec<f64>> =
        text.lines().skip(1).map(|l| l.split(',').map(|n| n.parse().unwrap()).collect()).collect();
    assert_eq!(rows.len(), 25);
    for row in &rows {
        // Free, and nothing slows it: g t, and g t² / 2 of way.
        let (t, speed, way) = (row[1], row[8], row[9]);
        assert!((speed - 9.81 * t).abs() < 0.05, "{speed} m/s after {t} s");
        assert!((way - 0.5 * 9.81 * t * t).abs() < 0.05, "{way} m after {t} s");
    }
    assert!(told.contains("fastest at frame 24"), "{told}");
    for (more, why) in [
        (["--points", "3,99"], "there is no 99"),
        (["--border", "hem"], "no border \"hem\""),
        (["--body", "cape"], "no body \"cape\""),
        (["--until", "30"], "frames 0 to 24"),
    ] {
        let done = nematon(&["readout", file, more[0], more[1]]);
        let told = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && told.contains(why), "{told}");
    }
}

#[test]
fn what_hangs_settles_and_a_finished_cloth_has_four_times_the_triangles_on_two_sides() {
    let out = folder("settle");
    let file = out.join("hangs.json");
    let text = r#"{"nematon": 2, "name": "Hangs", "frames": {"first": 0, "last": 6},
        "bodies": {"slip": {"name": "Slip",
            "kind": {"cloth": {"shape": {"sheet": {"width": 0.5, "depth": 0.5, "columns": 9, "rows": 9}}, "matter": {"damping": 2}}},
            "grips": {"top": {"name": "Top", "points": [{"corner": "back left"}, {"corner": "back right"}]}},
            "finish": {"smooth": 1, "thickness": 0.004}}},
        "fields": {"g": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}}}}"#;
    std::fs::write(&file, text).unwrap();
    let file = file.to_str().unwrap();
    let hung = out.join("hung.obj");
    let done = nematon(&["settle", file, "--seconds", "20", "--out", hung.to_str().unwrap()]);
    let told = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(done.status.success() && told.contains("no point is faster than"), "{told}");
    // Where nothing moves it hangs straight down from where it is held.
    let at: Vec<Vec<f64>> = std::fs::read_to_string(&hung)
        .unwrap()
        .lines()
        .filter_map(|l| Some(l.strip_prefix("v ")?.split(' ').map(|n| n.parse().unwrap()).collect()))
        .collect();
    let high = |pick: fn(f64, f64) -> f64| at.iter().map(|p| p[1]).reduce(pick).unwrap();
    assert!(high(f64::max) - high(f64::min) > 0.45, "{at:?}");
    for (more, why) in
        [(["--seconds", "0"], "up to 120 seconds"), (["--out", "x.fbx"], ".obj, .glb or .usda")]
    {
        let done = nematon(&["settle", file, more[0], more[1]]);
        let told = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && told.contains(why), "{told}");
    }
    // As it is computed, and as it is finished: 8 x 8 squares, and a rim of 2 x 64 edges halved.
    for (finished, points, triangles) in [(false, 81, 128), (true, 2 * 289, 2 * 512 + 2 * 64)] {
        let to = out.join(if finished { "finished" } else { "plain" });
        let mut args =
            vec!["bake", file, "--frames", "0..1", "--format", "usda", "--out", to.to_str().unwrap()];
        if finished {
            args.push("--finished");
        }
        let done = nematon(&args);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let text = std::fs::read_dir(&to)
            .unwrap()
            .flatten()
            .find(|f| f.path().extension().is_some_and(|e| e == "usda"));
        let text = std::fs::read_to_string(text.unwrap().path()).unwrap();
        let line = |name: &str| text.lines().find(|l| l.contains(name)).unwrap().to_owned();
        let most = line("faceVertexIndices")
            .split(['[', ']', ','])
            .filter_map(|n| n.trim().parse::<usize>().ok())
            .max();
        assert_eq!(most, Some(points - 1));
        let faces = line("faceVertexCounts")
            .split(['[', ']', ','])
            .filter_map(|n| n.trim().parse::<usize>().ok())
            .map(|n| n - 2)
            .sum::<usize>();
        assert_eq!(faces, triangles);
    }
}

#[test]
fn swatches_are_the_same_scene_at_several_values_and_wrong_ones_are_told_before_any_is_computed() {
    let out = folder("swatches");
    let file = out.join("falls.json");
    let text = sheet(4, 5, 9.81, r#""matter": {"damping": 0, "drag": 0, "lift": 0}"#);
    std::fs::write(&file, text).unwrap();
    let file = file.to_str().unwrap();
    let to = out.join("falls");
    let over = "/fields/g/act/gravity/strength";
    let args = |over: &'static str, to: &'static str| {
        ["swatches", file, "--over", over, "--from", "4", "--to", to, "--count", "3", "--out"]
            .map(str::to_owned)
    };
    let run = |args: [String; 11]| {
        let all: Vec<&str> = args.iter().map(String::as_str).chain([to.to_str().unwrap()]).collect();
        let done = nematon(&all);
        (done.status.success(), String::from_utf8_lossy(&done.stderr).into_owned())
    };
    for (over, end, why) in [("/fields/g/name", "8", "no number at"), (over, "9000", "can't be")] {
        let (done, told) = run(args(over, end));
        assert!(!done && told.contains(why), "{told}");
        assert!(!to.exists(), "nothing is computed before");
    }
    let (done, told) = run(args(over, "8"));
    assert!(done, "{told}");
    // What falls twice as hard is twice as far down.
    let fallen = |name: &str| {
        let report: serde_json::Value =
            serde_json::from_str(&std::fs::read_to_string(to.join(name).join("report.json")).unwrap())
                .unwrap();
        assert_eq!(report["quality"], "draft");
        report["bodies"][0]["energy"]["kinetic"].as_f64().unwrap()
    };
    let ratio = fallen("03 8") / fallen("01 4");
    assert!((ratio - 4.0).abs() < 0.2, "energy goes by the square: {ratio}");
}

#[test]
fn a_swinging_cloth_is_looped_its_seam_told_and_its_frames_written() {
    let out = folder("loop");
    let file = out.join("flag.json");
    let text = r#"{"nematon": 2, "name": "Flag", "frames": {"first": 1, "last": 72, "substeps": 10},
        "bodies": {"flag": {"name": "Flag",
            "kind": {"cloth": {"shape": {"sheet": {"width": 0.4, "depth": 0.3, "columns": 7, "rows": 5}}, "matter": {"damping": 1}}},
            "grips": {"top": {"name": "Top", "points": [{"corner": "back left"}, {"corner": "back right"}]}}}},
        "fields": {"g": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}},
            "wind": {"name": "Gusts", "act": {"wind": {"heading": 0.2, "speed": {"after": "repeat", "keys": [
                {"frame": 1, "value": 1}, {"frame": 9, "value": 5}, {"frame": 17, "value": 1}]}}}}}}"#;
    std::fs::write(&file, text).unwrap();
    let (file, found) = (file.to_str().unwrap(), out.join("found.json"));
    let done = nematon(&["loop", file]);
    assert!(String::from_utf8_lossy(&done.stderr).contains("--find SHORTEST..LONGEST"));
    let done = nematon(&["loop", file, "--find", "12..20", "--blend", "6", "--out", found.to_str().unwrap()]);
    let told = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(done.status.success() && told.contains("over the seam where"), "{told}");
    // The wind comes again every 16 frames, and the cloth with it.
    assert!(told.contains("(16 of them)") && !told.contains("not the same"), "{told}");
    let number = |after: &str| -> f64 {
        let from = told.find(after).unwrap() + after.len();
        told[from..].split_whitespace().next().unwrap().parse().unwrap()
    };
    assert!(number("a point goes ") < 2.0 * number("over the seam where "), "{told}");
    let baked = out.join("baked");
    let to = baked.to_str().unwrap();
    let done = nematon(&["bake", found.to_str().unwrap(), "--loop", "--out", to]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let npy = std::fs::read(baked.join("Flag.npy")).unwrap();
    assert!(String::from_utf8_lossy(&npy[..128]).contains("(16, 35, 3"));
    let done = nematon(&["bake", file, "--loop", "--out", to]);
    assert!(String::from_utf8_lossy(&done.stderr).contains("no loop"));
    // A cloth whose wind is another one each time is told of.
    std::fs::write(out.join("odd.json"), text.replace("\"frame\": 17", "\"frame\": 20")).unwrap();
    let odd = out.join("odd.json");
    let done = nematon(&["loop", odd.to_str().unwrap(), "--find", "16..16"]);
    assert!(String::from_utf8_lossy(&done.stdout).contains("16 frames later: Gusts"));
}

#[test]
fn frames_are_drawn_without_a_browser_and_what_moves_is_seen_to_move() {
    let out = folder("picture");
    let file = out.join("hangs.json");
    let text = r#"{"nematon": 2, "name": "Hangs", "frames": {"first": 0, "last": 12},
        "bodies": {"slip": {"name": "Slip", "dye": "madder", "place": {"position": [0, 1, 0]},
            "kind": {"cloth": {"shape": {"sheet": {"width": 0.5, "depth": 0.5, "columns": 9, "rows": 9}}, "matter": {"damping": 2}}},
            "grips": {"top": {"name": "Top", "points": [{"corner": "back left"}, {"corner": "back right"}]}}}},
        "fields": {"g": {"name": "Gravity", "act": {"gravity": {"strength": 9.81}}}},
        "floor": {"height": 0},
        "cameras": {"front": {"name": "Front", "place": {"position": [0, 1, 3], "turn": [0, 0, 0]}}}}"#;
    std::fs::write(&file, text).unwrap();
    let (file, to) = (file.to_str().unwrap(), out.join("frames"));
    let done = nematon(&[
        "picture",
        file,
        "--frames",
        "0..12",
        "--every",
        "12",
        "--size",
        "120x80",
        "--out",
        to.to_str().unwrap(),
    ]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let read = |name: &str| image::open(to.join(name)).unwrap().to_rgb8();
    let (first, last) = (read("0000.png"), read("0012.png"));
    assert_eq!(first.dimensions(), (120, 80));
    let red = |p: &image::RgbImage| p.pixels().filter(|p| p[0] > p[1] + 40).count();
    // Level it is a line seen from before it; hanging it is a square.
    assert!(red(&last) > 3 * red(&first).max(20), "{} and {}", red(&first), red(&last));
    for (more, why) in [
        (["--camera", "side"], "no camera \"side\"; there are front"),
        (["--frame", "99"], "frames 0 to 12"),
        (["--size", "4x4"], "WIDTHxHEIGHT"),
    ] {
        let done = nematon(&["picture", file, more[0], more[1], "--out", "x.png"]);
        let told = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && told.contains(why), "{told}");
    }
}
