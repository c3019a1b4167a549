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
    std::fs::write(&scene, r#"{"nematon": 1, "name": "", "frames": {"first": 9, "last": 2, "rate": 0}, "bodies": {}, "fields": {"w": {"name": "W", "act": {"wind": {"speed": 1e9, "heading": 0}}}}}"#).unwrap();
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
        r#"{"nematon": 1, "name": "Fall", "frames": {"first": 0, "last": 90, "rate": 1, "substeps": 4},
        "bodies": {"slip": {"name": "Loose slip", "kind": "cloth", "matter": {"drag": 0, "lift": 0},
            "shape": {"sheet": {"width": 1, "depth": 1, "columns": 4, "rows": 4}}}},
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
    assert_eq!((report["quality"].as_str(), report["substeps"].as_u64()), (Some("draft"), Some(6)));
    let pairs = report["islands"][0]["contact"].as_array().unwrap();
    let gourd = pairs.iter().find(|p| p["with"] == "Gourd").unwrap();
    assert!(gourd["ms_per_frame"].as_f64().unwrap() > 0.0 && gourd["touches_most"].as_u64().unwrap() > 0);
    let snags = report["bodies"][0]["snags"].as_array().unwrap();
    assert!(snags.iter().all(|s| s["snag"] != "crossing" && s["snag"] != "inside"), "{snags:?}");
}

#[test]
fn colliders_and_shapes_that_can_not_be_are_told_with_their_place() {
    let out = folder("colliders");
    let scene = out.join("bad.json");
    std::fs::write(
        &scene,
        r#"{"nematon": 1, "name": "Bad", "frames": {"first": 0, "last": 9},
        "bodies": {"a": {"name": "A", "kind": "cloth", "shape": {"ball": {"radius": 1, "cells": 256}}, "layers": {"count": 2, "offset": [0, 1, 0]}, "matter": {"thickness": 0},
                         "grips": {"g": {"name": "G", "points": [{"corner": "back left"}], "to": {"handle": "none"}}}}},
        "colliders": {"p": {"name": "P", "form": {"plane": {}}, "hollow": true, "thickness": -1},
                      "b": {"name": "B", "form": {"ball": {"radius": 1}}, "keys": [{"frame": 5}, {"frame": 5}]}}}"#,
    )
    .unwrap();
    let tell = |path: &Path| {
        String::from_utf8_lossy(&nematon(&["validate", path.to_str().unwrap()]).stderr).into_owned()
    };
    let words = tell(&scene);
    for part in ["/bodies/a/matter/thickness", "/colliders/p/thickness"] {
        assert!(words.contains(part), "{part} is missing from {words}");
    }
    let text = std::fs::read_to_string(&scene)
        .unwrap()
        .replace("\"thickness\": -1", "\"friction\": 1")
        .replace("\"thickness\": 0", "\"friction\": 1");
    std::fs::write(&scene, text).unwrap();
    let words = tell(&scene);
    for part in
        ["/bodies/a/shape", "/bodies/a/grips/g/to/handle", "/colliders/p/hollow", "/colliders/b/keys/1/frame"]
    {
        assert!(words.contains(part), "{part} is missing from {words}");
    }
}
