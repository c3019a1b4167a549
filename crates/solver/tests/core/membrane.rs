use crate::harness::{SheetOf, plain, within};
use nematon_solver::Matter;

#[test]
fn a_hung_sheet_stretches_by_its_weight_over_its_stiffness() {
    // σ g L² / 2K, along warp. Taken from the middle column: the free sides have no say there.
    for (points, stretch) in [([9, 17], 60.0), ([17, 33], 60.0), ([9, 17], 240.0)] {
        let s = SheetOf { size: [0.5, 1.0], points, upright: true };
        let matter =
            Matter { areal_weight: 0.3, stretch: [stretch, stretch], shear: 20.0, damping: 8.0, ..plain() };
        let mut t = s.of(matter, |k, m| m.borders[0].points.contains(&(k as u32)));
        t.frame.substeps = 30;
        t.settle(4.0);
        let bottom = &t.mesh.borders[2].points;
        let middle = bottom[bottom.len() / 2] as usize;
        let longer = f64::from(t.mesh.positions[middle][1] - t.positions()[middle][1]);
        within(
            &format!("stretch at {points:?}, {stretch} N/m"),
            longer,
            0.3 * 9.81 / (2.0 * f64::from(stretch)),
            0.02,
        );
    }
}

#[test]
fn warp_weft_and_shear_each_answer_to_their_own_stiffness() {
    let s = SheetOf { size: [1.0, 1.0], points: [9, 9], upright: true };
    let hung = |stretch: [f32; 2]| {
        let mut t = s.of(Matter { stretch, shear: 1.0, damping: 8.0, ..plain() }, |k, m| {
            m.borders[0].points.contains(&(k as u32))
        });
        t.frame.substeps = 30;
        t.settle(3.0);
        t.cloth.strain(&t.state)
    };
    let (soft_warp, soft_weft) = (hung([100.0, 1000.0]), hung([1000.0, 100.0]));
    assert!(soft_warp.mean[0] > 6.0 * soft_weft.mean[0], "{soft_warp:?} {soft_weft:?}");
    // Racked sideways, and stiff enough not to wrinkle out of it: only shear resists.
    let rack = |shear: f32| {
        let mut t = s
            .of(Matter { shear, stretch: [1000.0; 2], bend: [0.05; 2], damping: 8.0, ..plain() }, |k, m| {
                m.borders[0].points.contains(&(k as u32))
            });
        t.frame.gravity = [1.5, 0.0, 0.0];
        t.frame.substeps = 30;
        t.settle(4.0);
        f64::from(
            t.positions()[t.mesh.corners[2].point as usize][0]
                - t.mesh.positions[t.mesh.corners[2].point as usize][0],
        )
    };
    within("racking of a stiff against a soft weave", rack(8.0) / rack(16.0), 2.0, 0.06);
}

#[test]
fn mass_is_that_of_the_area_at_any_density() {
    for points in [[5, 9], [40, 23], [90, 80]] {
        let t = SheetOf { size: [1.5, 0.8], points, upright: false }
            .of(Matter { areal_weight: 0.21, ..plain() }, |_, _| false);
        within("mass", t.cloth.mass(), 1.5 * 0.8 * 0.21, 1e-6);
    }
}
