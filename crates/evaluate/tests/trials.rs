//! The contact trials: scenes of the repository, run as the program runs them, counted by the snag measure and
//! by an independent brute-force count.
#![allow(clippy::unwrap_used)]
use nematon_document::{MeshSource, Scene, parse};
use nematon_evaluate::{MeshLibrary, Run};
use nematon_geometry::Mesh;
use nematon_solver::{Fault, NoWatch};
use std::path::PathBuf;
use std::sync::Arc;

#[path = "../../solver/tests/core/brute.rs"]
mod brute;

struct Folder(PathBuf);

impl MeshLibrary for Folder {
    fn mesh(&self, source: &MeshSource) -> Result<Arc<Mesh>, String> {
        let MeshSource::File(name) = source else { return Err("no file".into()) };
        let bytes = std::fs::read(self.0.join(name)).map_err(|e| e.to_string())?;
        nematon_formats::read_mesh(name, &bytes).map(Arc::new).map_err(|e| e.to_string())
    }
}

fn trial(name: &str) -> (Scene, Folder) {
    let folder = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/trials"));
    let text = std::fs::read_to_string(folder.join(format!("{name}.json"))).unwrap();
    (parse(&text).unwrap(), Folder(folder))
}

/// Crossings of all bodies with themselves and each other, by brute force.
fn crossings(run: &Run) -> usize {
    let p: Vec<Vec<[f32; 3]>> = (0..run.members.len()).map(|k| run.positions(k)).collect();
    let mesh = |k: usize| (p[k].as_slice(), run.members[k].shaped.mesh.triangles.as_slice());
    let own: usize = (0..p.len()).map(|k| brute::crossings(mesh(k), None)).sum();
    let pairs = (0..p.len()).flat_map(|a| (0..a).map(move |b| (a, b)));
    own + pairs.map(|(a, b)| brute::crossings(mesh(a), Some(mesh(b)))).sum::<usize>()
}

/// Runs a trial; every `every`-th frame is counted by brute force, and every frame by the snag measure.
fn stays_clean(name: &str, every: usize) {
    let (scene, folder) = trial(name);
    for island in scene.islands() {
        let mut run = Run::start(&scene, &island, &folder).unwrap();
        let mut before = vec![];
        while !run.is_done() {
            run.advance(&NoWatch).unwrap();
            let found = run.snags(&before);
            let bad: Vec<_> =
                found.iter().filter(|s| matches!(s.fault, Fault::Crossing | Fault::Inside)).collect();
            assert!(bad.is_empty(), "{name}, frame {}: {bad:?}", run.at());
            if run.at().is_multiple_of(every) || run.is_done() {
                assert_eq!(crossings(&run), 0, "{name}, frame {}", run.at());
            }
            before = (0..run.members.len()).map(|k| run.positions(k)).collect();
        }
    }
}

#[test]
fn sixteen_napkins_under_the_press() {
    stays_clean("layers", 1);
}

#[test]
fn a_runner_drawn_over_the_edge_of_a_table() {
    stays_clean("edge", 1);
}

#[test]
fn a_shawl_in_folds_on_a_gourd_and_the_floor() {
    stays_clean("folds", 2);
}

#[test]
fn a_towel_wrung_twice() {
    stays_clean("towel", 1);
}

#[test]
fn a_ball_through_a_curtain() {
    stays_clean("curtain", 1);
}

#[test]
fn a_cape_of_eight_thousand_points_on_a_walk() {
    stays_clean("cape", 12);
}

#[test]
fn a_cover_on_rising_dough() {
    stays_clean("lump", 1);
}

#[test]
fn what_begins_crossed_is_told_and_ends_apart() {
    let (scene, folder) = trial("crossed");
    let mut run = Run::start(&scene, &scene.islands()[0], &folder).unwrap();
    let told = run.snags(&[]);
    let count = told.iter().find(|s| s.fault == Fault::Crossing).map(|s| s.count);
    assert_eq!(count, Some(crossings(&run)));
    while !run.is_done() {
        run.advance(&NoWatch).unwrap();
    }
    assert_eq!((crossings(&run), run.snags(&[]).len()), (0, 0));
}
