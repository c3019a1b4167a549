//! What a brush leaves on a surface, and what it leaves alone.
use nematon_geometry::Mesh;
use nematon_paint::{Brush, Canvas, Does, Edge, Stroke, Touch, Whole, whole};
use proptest::prelude::*;

/// A square metre of so many cells a side, level at a height.
fn sheet(n: usize, height: f32) -> Mesh {
    let mut mesh = Mesh::default();
    let at = |k: usize| k as f32 / n as f32 - 0.5;
    for j in 0..=n {
        for i in 0..=n {
            mesh.positions.push([at(i), height, at(j)]);
            if i < n && j < n {
                let a = (j * (n + 1) + i) as u32;
                let (b, c, d) = (a + 1, a + n as u32 + 1, a + n as u32 + 2);
                mesh.triangles.extend([[a, c, d], [a, d, b]]);
            }
        }
    }
    mesh
}

fn both(mut a: Mesh, b: Mesh) -> Mesh {
    let n = a.positions.len() as u32;
    a.positions.extend(b.positions);
    a.triangles.extend(b.triangles.iter().map(|t| t.map(|p| p + n)));
    a
}

/// The place of a point, on one of its triangles.
fn on(mesh: &Mesh, p: u32) -> Touch {
    let triangle = mesh.triangles.iter().position(|t| t.contains(&p)).unwrap_or(0);
    let shares = mesh.triangles[triangle].map(|q| f32::from(u8::from(q == p)));
    Touch { triangle: triangle as u32, shares }
}

fn brush(does: Does) -> Brush {
    Brush { does, radius: 0.2, strength: 0.8, edge: Edge::Straight, mirror: None }
}

const MIDDLE: u32 = 10 * 21 + 10;
const ABOVE: Option<[f32; 3]> = Some([0.3, 5.0, 0.2]);

#[test]
fn a_dab_fades_from_its_middle_to_its_rim_and_a_stroke_is_even_however_often_it_goes_over() {
    let mesh = sheet(20, 0.0);
    let canvas = Canvas::new(mesh.clone(), vec![]);
    let mut stroke = Stroke::begin(brush(Does::Add), vec![0.1; canvas.points()]);
    let first = stroke.dab(&canvas, on(&mesh, MIDDLE), ABOVE, 1.0);
    for (k, p) in mesh.positions.iter().enumerate() {
        let far = f64::from(p[0].hypot(p[2]));
        let own = 0.1 + 0.8 * (1.0 - far / 0.2).max(0.0);
        assert!((f64::from(stroke.weights()[k]) - own).abs() < 1e-5, "{p:?}: {}", stroke.weights()[k]);
    }
    assert!(first.iter().all(|(p, w)| stroke.weights()[*p as usize] == *w) && first.len() > 40);
    assert!(stroke.dab(&canvas, on(&mesh, MIDDLE), ABOVE, 1.0).is_empty(), "a second time adds nothing");
    assert!(stroke.dab(&canvas, on(&mesh, MIDDLE), ABOVE, 0.3).is_empty(), "nor does a lighter one");
    assert_eq!(stroke.changes(), first);
}

#[test]
fn washing_out_and_levels_go_where_they_say() {
    let mesh = sheet(20, 0.0);
    let canvas = Canvas::new(mesh.clone(), vec![]);
    let middle = |does, base: f32| {
        let mut stroke = Stroke::begin(brush(does), vec![base; canvas.points()]);
        stroke.dab(&canvas, on(&mesh, MIDDLE), ABOVE, 1.0);
        stroke.weights()[MIDDLE as usize]
    };
    assert!((middle(Does::Take, 0.9) - 0.1).abs() < 1e-6);
    assert_eq!(middle(Does::Take, 0.5), 0.0);
    assert!((middle(Does::Level(0.4), 0.9) - 0.5).abs() < 1e-6);
    // A spike is evened out, and dab by dab more so.
    let mut base = vec![0.0; canvas.points()];
    base[MIDDLE as usize] = 1.0;
    let mut stroke = Stroke::begin(brush(Does::Smooth), base);
    stroke.dab(&canvas, on(&mesh, MIDDLE), ABOVE, 1.0);
    let once = stroke.weights()[MIDDLE as usize];
    stroke.dab(&canvas, on(&mesh, MIDDLE), ABOVE, 1.0);
    assert!((once - 0.2).abs() < 1e-6 && stroke.weights()[MIDDLE as usize] != once);
}

#[test]
fn neither_the_far_side_nor_the_next_layer_is_touched() {
    // A closed slab 2 mm thick, and another sheet half a millimetre above it.
    let top = sheet(20, 0.0);
    let mut bottom = sheet(20, -0.002);
    bottom.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    let n = top.positions.len() as u32;
    let mut slab = both(top, bottom);
    for k in 0..20u32 {
        let (a, b) = (k, k + 1);
        slab.triangles.extend([[a, b, b + n], [a, b + n, a + n]]);
    }
    let lining = sheet(20, 0.0005);
    let mesh = both(slab, lining);
    let canvas = Canvas::new(mesh.clone(), vec![]);
    let mut stroke = Stroke::begin(brush(Does::Add), vec![0.0; canvas.points()]);
    // At the border where top and bottom hang together.
    stroke.dab(&canvas, on(&mesh, 10), ABOVE, 1.0);
    let painted = |range: std::ops::Range<u32>| {
        stroke.weights()[range.start as usize..range.end as usize].iter().filter(|w| **w > 0.0).count()
    };
    assert!(painted(0..n) > 20, "the top");
    assert!(painted(n..2 * n) == 0, "the bottom faces away: {}", painted(n..2 * n));
    assert!(painted(2 * n..3 * n) == 0, "the lining is another sheet");
    // Seen from nowhere distance alone counts, and the bottom is near along the rim.
    let mut stroke = Stroke::begin(brush(Does::Add), vec![0.0; canvas.points()]);
    stroke.dab(&canvas, on(&mesh, 10), None, 1.0);
    assert!(stroke.weights()[n as usize..2 * n as usize].iter().any(|w| *w > 0.0));
}

#[test]
fn from_behind_the_same_sheet_is_painted_and_the_mirrored_place_with_it() {
    let mesh = sheet(20, 0.0);
    let canvas = Canvas::new(mesh.clone(), vec![]);
    let mut own = brush(Does::Add);
    own.mirror = Some(0);
    let mut stroke = Stroke::begin(own, vec![0.0; canvas.points()]);
    let at = 7 * 21 + 3;
    stroke.dab(&canvas, on(&mesh, at), Some([0.0, -4.0, 0.0]), 1.0);
    for (j, i) in (0..21usize).flat_map(|j| (0..21usize).map(move |i| (j, i))) {
        let (a, b) = (stroke.weights()[j * 21 + i], stroke.weights()[j * 21 + 20 - i]);
        assert!((a - b).abs() < 1e-6, "{i} {j}: {a} {b}");
    }
    assert!((stroke.weights()[at as usize] - 0.8).abs() < 1e-6);
}

#[test]
fn where_the_sheet_is_shown_folded_distance_is_along_it() {
    let mesh = sheet(20, 0.0);
    // Folded over its middle like a book that is nearly shut.
    let shown: Vec<[f32; 3]> =
        mesh.positions.iter().map(|p| [p[0].abs(), if p[0] < 0.0 { 0.001 } else { 0.0 }, p[2]]).collect();
    let canvas = Canvas::new(mesh.clone(), shown);
    let mut stroke = Stroke::begin(brush(Does::Add), vec![0.0; canvas.points()]);
    let right = 10 * 21 + 19;
    stroke.dab(&canvas, on(&mesh, right), None, 1.0);
    let left = (0..21).map(|j| stroke.weights()[j * 21 + 1]).fold(0.0, f32::max);
    assert_eq!(left, 0.0, "the page above is a metre away");
}

#[test]
fn all_of_a_map_is_filled_flooded_grown_shrunk_and_inverted() {
    let mesh = both(sheet(20, 0.0), sheet(20, 0.1));
    let canvas = Canvas::new(mesh.clone(), vec![]);
    let n = canvas.points();
    let mut one = vec![0.0; n];
    one[MIDDLE as usize] = 0.7;
    let some = |w: &[f32]| w.iter().filter(|w| **w > 0.0).count();
    assert_eq!(whole(&canvas, &one, Whole::Fill(0.3)), vec![0.3; n]);
    let flooded = whole(&canvas, &one, Whole::Flood { at: on(&mesh, MIDDLE), value: 1.0 });
    assert!(flooded[..n / 2].iter().all(|w| *w == 1.0) && flooded[n / 2..].iter().all(|w| *w == 0.0));
    let grown = whole(&canvas, &one, Whole::Grow);
    assert_eq!(some(&grown), 7);
    assert_eq!(some(&whole(&canvas, &grown, Whole::Shrink)), 1);
    assert_eq!(whole(&canvas, &one, Whole::Invert)[MIDDLE as usize], 1.0 - 0.7);
    let (soft, sharp) = (whole(&canvas, &grown, Whole::Smooth), whole(&canvas, &grown, Whole::Sharpen));
    assert!(some(&soft) > some(&grown) && sharp[MIDDLE as usize] >= grown[MIDDLE as usize]);
    // What is on one side is on the other too, and stays where it was.
    let mut side = vec![0.0; n];
    (side[0], side[21]) = (0.6, 0.2);
    let mirrored = whole(&canvas, &side, Whole::Mirror(0));
    assert_eq!([mirrored[0], mirrored[20], mirrored[21], mirrored[41]], [0.6, 0.6, 0.2, 0.2]);
    assert_eq!(some(&mirrored), 4);
    assert_eq!(whole(&canvas, &side, Whole::Mirror(7)), side);
}

proptest! {
    #[test]
    fn whatever_is_done_weights_stay_weights(
        dabs in proptest::collection::vec((0..800u32, 0.0..=1.0f32, 0.0..=2.0f32), 1..12),
        kind in 0..4usize, level in -1.0..2.0f32, radius in 0.0..2.0f64, base in 0.0..=1.0f32,
    ) {
        let mesh = sheet(20, 0.0);
        let canvas = Canvas::new(mesh, vec![]);
        let does = [Does::Add, Does::Take, Does::Smooth, Does::Level(level)][kind];
        let own = Brush { does, radius, strength: 1.0, edge: Edge::Round, mirror: Some(2) };
        let mut stroke = Stroke::begin(own, vec![base; canvas.points()]);
        for (triangle, s, pressure) in dabs {
            stroke.dab(&canvas, Touch { triangle, shares: [1.0 - s, s, 0.0] }, ABOVE, pressure);
        }
        prop_assert!(stroke.weights().iter().all(|w| (0.0..=1.0).contains(w)));
        for (p, w) in stroke.changes() {
            prop_assert!(w != base && stroke.weights()[p as usize] == w);
        }
    }
}
