//! Seams and what fills chambers, against the laws that they follow.
use crate::harness::plain;
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::shape::{Ball, Cushion, Gores, Panels, Shape};
use nematon_geometry::{Mesh, caps, joined, sew};
use nematon_solver::{
    Body, ChamberRest, ClothRest, Contact, FillBy, FillNow, FrameInputs, Matter, NoWatch, SeamNow, SeamRest,
    State, StitchRest, step,
};
use std::slice::{from_mut, from_ref};

const OUTSIDE: f64 = 101_325.0;

struct Filled {
    body: Body,
    state: State,
    frame: FrameInputs,
    mesh: Mesh,
}

fn rest(shape: &Shape, matter: Matter, weld: bool) -> (ClothRest, Mesh) {
    let mesh = shape.made().unwrap();
    let (mut seams, mut welds, mut mouths) = (vec![], vec![], vec![]);
    let mut triangles = mesh.triangles.clone();
    for (_, sides) in shape.seams() {
        let [a, b] = sides.map(|s| joined(&mesh, &s).unwrap());
        let sewn = sew(&mesh, &mesh.positions, &a, &b).unwrap();
        triangles.extend(&sewn.strip);
        let stitches = sewn.stitches.iter().map(|s| StitchRest {
            point: s.point,
            to: s.to,
            share: s.share,
            length: s.length,
        });
        if weld {
            welds.extend(sewn.stitches.iter().map(|s| [s.point, s.to[usize::from(s.share > 0.5)]]));
            continue;
        }
        mouths.extend(sewn.strip.iter().map(|t| (Some(seams.len() as u32), *t)));
        seams.push(SeamRest {
            stitches: stitches.collect(),
            stiffness: 1e5,
            gap: 0.0006,
            crease: 0.0,
            folds: sewn.folds,
        });
    }
    triangles.extend(caps(&triangles).into_iter().flatten());
    let rest = ClothRest {
        positions: mesh.positions.clone(),
        triangles: mesh.triangles.clone(),
        flat: material_coordinates(&mesh, WarpAlong::U),
        held: vec![false; mesh.positions.len()],
        matter,
        welds,
        seams,
        chambers: vec![ChamberRest { triangles, mouths, outside: OUTSIDE, density: [1.2; 2] }],
        ..ClothRest::default()
    };
    (rest, mesh)
}

impl Filled {
    fn of(rest: &ClothRest, mesh: Mesh) -> Filled {
        let body = Body::cloth(rest).unwrap();
        let state = body.start();
        let frame = FrameInputs { gravity: [0.0; 3], substeps: 20, ..FrameInputs::default() };
        Filled { body, state, frame, mesh }
    }

    fn new(shape: &Shape, matter: Matter, weld: bool) -> Filled {
        let (rest, mesh) = rest(shape, matter, weld);
        Filled::of(&rest, mesh)
    }

    fn by(&mut self, by: FillBy) {
        self.frame.fills = vec![FillNow { body: 0, chamber: 0, by, leak: 0.0, opening: 0.0 }];
    }

    fn frame(&mut self) {
        let contact = &mut Contact::none(1);
        step(from_ref(&self.body), from_mut(&mut self.state), contact, &self.frame, &NoWatch).unwrap();
        self.frame.start += self.frame.duration;
    }

    /// To a pressure in a second, and then at rest for so many seconds.
    fn fill(&mut self, pressure: f64, seconds: f64) {
        for k in 0..24 {
            self.by(FillBy::Pressure([k, k + 1].map(|k| pressure * f64::from(k) / 24.0)));
            self.frame();
        }
        self.by(FillBy::Pressure([pressure; 2]));
        (0..(24.0 * seconds) as usize).for_each(|_| self.frame());
    }

    fn at(&self) -> Vec<[f32; 3]> {
        self.state.positions(&self.body)
    }
}

#[test]
fn a_ball_under_pressure_grows_by_p_r2_over_k() {
    let radius = 0.25f64;
    for cells in [6, 10, 16] {
        let ball = Shape::Ball(Ball { radius, cells });
        let (k, nu, p) = (200.0f64, 0.3f64, 20.0f64);
        let shear = (k / (2.0 * (1.0 + nu))) as f32;
        let matter = Matter { stretch: [k as f32; 2], shear, poisson: nu as f32, damping: 4.0, ..plain() };
        let mut f = Filled::new(&ball, matter, true);
        let mean = |f: &Filled| {
            let at = f.at();
            at.iter().map(|p| p.iter().map(|c| f64::from(c * c)).sum::<f64>().sqrt()).sum::<f64>()
                / at.len() as f64
        };
        let before = mean(&f);
        f.fill(p, 2.0);
        let grown = mean(&f) - before;
        let want = p * radius * radius * (1.0 - nu) / (2.0 * k);
        assert!((grown / want - 1.0).abs() < 0.03, "{cells} cells: {grown} where {want} is expected");
    }
}

#[test]
fn a_sewn_cushion_of_one_to_two_holds_what_it_must() {
    for (points, substeps) in [([17u32, 33u32], 20), ([25, 49], 10), ([17, 33], 30)] {
        let w = 0.4;
        let shape = Shape::Cushion(Cushion {
            width: w,
            depth: 2.0 * w,
            columns: points[0],
            rows: points[1],
            apart: 0.002,
        });
        let matter = Matter { stretch: [6000.0; 2], shear: 40.0, bend: [1e-6; 2], damping: 2.0, ..plain() };
        let mut f = Filled::new(&shape, matter, true);
        f.frame.substeps = substeps;
        f.fill(60.0, 3.0);
        let gas = f.state.gas()[0];
        let at = f.at();
        let n = (points[0] * points[1]) as usize;
        let middle = (points[0] / 2 + points[1] / 2 * points[0]) as usize;
        let thick =
            (0..3).map(|c| f64::from(at[middle][c] - at[middle + n][c]).powi(2)).sum::<f64>().sqrt() / w;
        let full = gas.volume / w.powi(3);
        assert!((full / 0.518 - 1.0).abs() < 0.04, "{points:?}, {substeps}: volume {full}");
        assert!((thick / 0.625 - 1.0).abs() < 0.04, "{points:?}, {substeps}: thickness {thick}");
        let gap = f.mesh.borders.iter().find(|b| b.name == "top left").unwrap().points[5] as usize;
        let apart = (0..3).map(|c| (at[gap][c] - at[gap + n][c]).powi(2)).sum::<f32>().sqrt();
        assert!(apart < 0.0015, "the seam gapes by {apart}");
    }
}

#[test]
fn a_closed_gas_keeps_p_v_and_does_not_ring_however_stiff_or_coarse_in_time() {
    for substeps in [10, 30] {
        let ball = Shape::Ball(Ball { radius: 0.2, cells: 8 });
        let mut f =
            Filled::new(&ball, Matter { stretch: [150.0; 2], shear: 60.0, damping: 1.0, ..plain() }, true);
        f.frame.substeps = substeps;
        f.fill(40.0, 1.0);
        f.by(FillBy::Closed);
        f.frame();
        let first = f.state.gas()[0];
        // Thicker air outside comes and goes: the walls are pushed in by a pressure from outside.
        let mut most = (0.0f64, 0.0f64);
        for k in 0..48 {
            f.state.set_velocities(&f.body, |p| if k == 0 { p.map(|c| -3.0 * c) } else { [0.0; 3] });
            f.frame();
            let g = f.state.gas()[0];
            most.0 = most.0.max(((g.pressure + OUTSIDE) * g.volume / first.amount - 1.0).abs());
            most.1 = most.1.max((g.volume / first.volume - 1.0).abs());
        }
        assert!(most.0 < 0.001, "{substeps}: p V is off by {}", most.0);
        assert!(most.1 < 0.01, "{substeps}: the volume goes by {}", most.1);
        (0..24).for_each(|_| f.frame());
        let end = f.state.gas()[0];
        assert!(
            (end.pressure / first.pressure - 1.0).abs() < 0.05,
            "{} and {}",
            end.pressure,
            first.pressure
        );
    }
}

#[test]
fn a_light_fill_lifts_by_what_it_is_lighter() {
    let ball = Shape::Ball(Ball { radius: 0.3, cells: 10 });
    let (mut rest, mesh) =
        rest(&ball, Matter { areal_weight: 0.03, stretch: [3000.0; 2], shear: 900.0, ..plain() }, true);
    rest.chambers[0].density = [1.2, 0.17];
    let mut f = Filled::of(&rest, mesh);
    f.frame.gravity = [0.0, -9.81, 0.0];
    f.by(FillBy::Pressure([150.0; 2]));
    let middle = |f: &Filled| {
        let at = f.at();
        at.iter().map(|p| f64::from(p[1])).sum::<f64>() / at.len() as f64
    };
    let before = middle(&f);
    (0..24).for_each(|_| f.frame());
    let mass: f64 = 0.03
        * f.mesh
            .triangles
            .iter()
            .map(|t| {
                let [a, b, c] = t.map(|p| f.mesh.positions[p as usize].map(f64::from));
                let (u, v): ([f64; 3], [f64; 3]) =
                    (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
                let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
                0.5 * n.iter().map(|c| c * c).sum::<f64>().sqrt()
            })
            .sum::<f64>();
    let gas = f.state.gas()[0];
    let heavy = 0.17 * (gas.pressure + OUTSIDE) / OUTSIDE;
    let want = 0.5 * ((1.2 - heavy) * gas.volume * 9.81 / mass - 9.81);
    let got = middle(&f) - before;
    assert!((got / want - 1.0).abs() < 0.015, "rises {got} m in the first second where {want} is expected");
}

#[test]
fn a_seam_closes_in_its_time_without_shooting_through_and_opens_when_it_is_cut() {
    let outline = vec![[-0.2, -0.2], [0.2, -0.2], [0.2, 0.2], [-0.2, 0.2]];
    let mut panels = Panels::sewn(outline, 0.04, 0.1);
    panels.panels[1].position[1] = -0.05;
    let mut f = Filled::new(&Shape::Panels(panels), Matter { damping: 1.0, ..plain() }, false);
    let n = f.mesh.positions.len() / 2;
    let widest = |f: &Filled| {
        let at = f.at();
        let of = f.mesh.borders.iter().filter(|b| b.name.starts_with("top")).flat_map(|b| &b.points);
        of.map(|p| (0..3).map(|c| (at[*p as usize][c] - at[*p as usize + n][c]).powi(2)).sum::<f32>().sqrt())
            .fold(0.0, f32::max)
    };
    assert!((widest(&f) - 0.1).abs() < 1e-6);
    f.by(FillBy::Pressure([0.0; 2]));
    let mut last = 0.1f32;
    for k in 0..12 {
        let open = [k, k + 1].map(|k| 1.0 - k as f32 / 12.0);
        f.frame.seams = vec![SeamNow { body: 0, seam: 0, open, hold: [1.0; 2] }];
        f.frame();
        let now = widest(&f);
        assert!(now <= last + 1e-3, "it opens again: {last}, {now}");
        last = now;
    }
    assert!(last < 0.003, "{last}");
    (0..12).for_each(|_| f.frame());
    assert!(widest(&f) < 0.003, "{}", widest(&f));
    f.frame.seams = vec![SeamNow { body: 0, seam: 0, open: [0.0; 2], hold: [0.0; 2] }];
    f.fill(30.0, 0.2);
    assert!(widest(&f) > 0.1, "what is cut is held no more: {}", widest(&f));
}

#[test]
fn gas_leaks_by_its_time_and_through_what_is_open_and_never_below_what_is_outside() {
    let ball = Shape::Ball(Ball { radius: 0.2, cells: 6 });
    let matter = Matter { stretch: [2e5; 2], shear: 6e4, damping: 5.0, ..plain() };
    let after = |leak: f64, opening: f64, frames: usize| {
        let mut f = Filled::new(&ball, matter, true);
        f.fill(500.0, 0.3);
        let first = f.state.gas()[0].pressure;
        f.frame.fills = vec![FillNow { body: 0, chamber: 0, by: FillBy::Closed, leak, opening }];
        (0..frames).for_each(|_| f.frame());
        f.state.gas()[0].pressure / first
    };
    assert!((after(0.0, 0.0, 24) - 1.0).abs() < 0.02);
    // What is above the air outside falls by its law: to 1/e in its time, whatever the air outside is. The skin gives way
    // with it, so that a little less is lost of the pressure than of the gas.
    for (rate, frames) in [(1.0, 24), (2.0, 12), (1.0, 12)] {
        let (left, law) = (after(rate, 0.0, frames), (-rate * frames as f64 / 24.0).exp());
        assert!((left - law).abs() < 0.08, "{left} for {law}");
    }
    assert!(after(20.0, 0.0, 12).abs() < 0.02);
    let faster = after(1e6, 0.0, 24);
    assert!(faster.abs() < 0.02, "a leak faster than a sub-step just empties it: {faster}");
    let open = after(0.0, 1.0, 24);
    assert!(open.abs() < 0.02, "{open}");
}

#[test]
fn all_of_it_is_the_same_bits_again_and_from_a_snapshot() {
    let gores = Shape::Gores(Gores { radius: 0.2, gores: 6, every: 0.04, apart: 0.002 });
    let mut f = Filled::new(&gores, plain(), false);
    f.fill(30.0, 0.2);
    let kept = f.state.snapshot(&f.body);
    f.by(FillBy::Volume([0.03, 0.035]));
    let mut other = State::restore(&f.body, &kept).unwrap();
    assert_eq!(other.gas(), f.state.gas());
    step(from_ref(&f.body), from_mut(&mut other), &mut Contact::none(1), &f.frame, &NoWatch).unwrap();
    f.frame();
    assert_eq!(other.positions(&f.body), f.at());
    assert!(f.state.gas()[0].pressure > 0.0);
}

#[test]
fn what_is_within_moves_it_by_nothing_as_a_whole() {
    let shape = Shape::Cushion(Cushion { width: 0.3, depth: 0.45, columns: 13, rows: 19, apart: 0.002 });
    let mut f = Filled::new(&shape, Matter { stretch: [2500.0; 2], shear: 200.0, ..plain() }, true);
    let middle = |f: &Filled| -> [f64; 3] {
        let at = f.at();
        std::array::from_fn(|c| at.iter().map(|p| f64::from(p[c])).sum::<f64>() / at.len() as f64)
    };
    let before = middle(&f);
    f.fill(60.0, 3.0);
    let after = middle(&f);
    for c in 0..3 {
        assert!((after[c] - before[c]).abs() < 2e-3, "{before:?} {after:?}");
    }
}
