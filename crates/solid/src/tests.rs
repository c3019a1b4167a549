#![allow(clippy::unwrap_used)]
use super::*;

fn at(s: &Solid, p: [f32; 3]) -> ([f32; 3], f32) {
    let (n, d) = s.distance(V8::splat(p));
    (n.0.map(|c| c.array()[0]), d.array()[0])
}

/// A mesh for whoever asks: a cube of one metre a side.
struct Cube;

impl Fetch for Cube {
    fn mesh(&self, _: &MeshSource) -> Result<Arc<Mesh>, String> {
        Ok(Arc::new(nematon_geometry::block([1.0; 3], [1; 3])))
    }
    fn figure(&self, _: &FigureForm) -> Result<Arc<Mesh>, String> {
        self.mesh(&MeshSource::File(String::new()))
    }
}

fn one_of_each() -> Vec<Form> {
    let from = MeshSource::File("cube.obj".into());
    let mut all = Form::all();
    all.push(Form::Hull(HullForm { from: from.clone() }));
    all.push(Form::Mesh(MeshForm { from, shapes: vec![] }));
    all.push(Form::Figure(FigureForm { figure: "cube".into(), parts: vec![] }));
    all
}

#[test]
fn points_a_little_outside_of_what_is_seen_are_a_little_outside() {
    for form in one_of_each() {
        let Standing { solid, .. } = form.stand(&Cube).unwrap();
        let (Some(solid), Some(seen)) = (solid, form.seen(&Cube).unwrap()) else { continue };
        let mut hidden = 0;
        for t in &seen.triangles {
            let corners = t.map(|p| seen.positions[p as usize]);
            let middle: [f32; 3] = [0, 1, 2].map(|c| corners.iter().map(|p| p[c]).sum::<f32>() / 3.0);
            // What is drawn may go on within: a capsule's ends are whole balls.
            if at(&solid, middle).1 < -0.01 {
                hidden += 1;
                continue;
            }
            let size = middle.iter().map(|c| c * c).sum::<f32>().sqrt();
            let moved = |by: f32| middle.map(|c| c * (1.0 + by / size));
            let (n, outside) = at(&solid, moved(0.05));
            let (_, inside) = at(&solid, moved(-0.05));
            assert!(outside > 0.0 && inside < 0.0, "{form:?}: {outside}, {inside} about {middle:?}");
            assert!((n.iter().map(|c| c * c).sum::<f32>() - 1.0).abs() < 1e-4, "{form:?}: {n:?}");
            assert!(n.iter().zip(middle).map(|(n, m)| n * m).sum::<f32>() > 0.0, "{form:?} points in");
            let within = Solid::Inside(Box::new(solid.clone()));
            assert_eq!(at(&within, moved(0.05)).1, -outside);
        }
        assert!(10 * hidden < 6 * seen.triangles.len(), "{form:?}: {hidden} are within");
    }
}

#[test]
fn distances_are_those_of_geometry() {
    assert_eq!(at(&Solid::Plane, [3.0, 0.4, -2.0]), ([0.0, 1.0, 0.0], 0.4));
    let ball = at(&Solid::Ball { radius: 0.5 }, [0.0, -0.75, 0.0]);
    assert_eq!(ball, ([0.0, -1.0, 0.0], 0.25));
    let capsule = Solid::Capsule { radius: 0.25, half: 1.0 };
    assert_eq!(at(&capsule, [0.5, 0.5, 0.0]), ([1.0, 0.0, 0.0], 0.25));
    assert_eq!(at(&capsule, [0.0, 2.0, 0.0]), ([0.0, 1.0, 0.0], 0.75));
    let block = Solid::Box { half: [0.5, 0.25, 0.5] };
    for (p, n) in [
        ([0.1, 0.249, 0.0], [0.0, 1.0, 0.0]),
        ([0.1, 0.05, 0.0], [0.0, 1.0, 0.0]),
        ([0.4, -0.05, 0.3], [1.0, 0.0, 0.0]),
        ([0.3, 0.01, -0.45], [0.0, 0.0, -1.0]),
        ([-0.4, 0.1, 0.4], [-1.0, 0.0, 0.0]),
    ] {
        assert_eq!(
            at(&block, p).0,
            n,
            "out through the nearest face, the first of those as near, from {p:?}"
        );
    }
    let corner = at(&block, [0.8, 0.65, 0.5]);
    assert!((corner.1 - 0.5).abs() < 1e-6 && (corner.0[0] - 0.6).abs() < 1e-6, "{corner:?}");
}

#[test]
fn names_paths_and_sides_are_told_by_the_form() {
    let names: Vec<String> = Form::hollows();
    assert_eq!(names, ["ball", "capsule", "box", "hull"]);
    let from = MeshSource::File("a.obj".into());
    let shapes = vec![ShapeKey { frame: 3, from: from.clone() }, ShapeKey { frame: 2, from: from.clone() }];
    let mesh = Form::Mesh(MeshForm { from, shapes });
    let paths: Vec<String> = mesh.sources().into_iter().map(|(p, _)| p).collect();
    assert_eq!(paths, ["mesh/from", "mesh/shapes/0/from", "mesh/shapes/1/from"]);
    assert_eq!(mesh.keyed(), Some(("mesh/shapes".into(), vec![3, 2])));
    assert!(!mesh.can_be_hollow() && Form::all().len() == 4);
}
