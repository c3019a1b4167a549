//! What the meshes promise.
#![allow(clippy::unwrap_used)]
use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::*;

fn area(f: &[[f32; 2]; 3]) -> f32 {
    0.5 * (f[1][0] * f[2][1] - f[1][1] * f[2][0])
}

#[test]
fn a_sheet_has_its_size_borders_corners_and_uvs() {
    let m = sheet(4.0, 2.0, 9, 5);
    assert_eq!((m.positions.len(), m.triangles.len()), (45, 64));
    assert_eq!(m.bounds(), ([-2.0, 0.0, -1.0], [2.0, 0.0, 1.0]));
    assert_eq!(m.borders.iter().map(|b| b.points.len()).collect::<Vec<_>>(), [9, 5, 9, 5]);
    assert_eq!(m.uvs[m.corners[2].point as usize], [1.0, 1.0]);
    assert!(check(&m, 1000).is_ok());
}

#[test]
fn a_sheets_triangles_face_up_and_cover_it_once() {
    let m = sheet(3.0, 1.5, 7, 6);
    let total: f32 = material_coordinates(&m, WarpAlong::U).iter().map(area).sum();
    assert!((total - 4.5).abs() < 1e-5);
    for t in &m.triangles {
        let [a, b, c] = t.map(|p| glam::Vec3::from(m.positions[p as usize]));
        assert!((b - a).cross(c - a).y > 0.0);
    }
}

#[test]
fn warp_follows_the_chosen_texture_direction_wherever_the_sheet_stands() {
    let mut m = sheet(2.0, 1.0, 3, 3);
    place(&mut m.positions, [3.0, -1.0, 2.0], [0.7, -1.1, 0.4]);
    for (warp, side) in [(WarpAlong::U, 1.0f32), (WarpAlong::V, 0.5)] {
        let longest = material_coordinates(&m, warp)
            .iter()
            .flat_map(|f| [f[1][0].abs(), f[2][0].abs()])
            .fold(0.0, f32::max);
        assert!((longest - side).abs() < 1e-5, "{warp:?} {longest}");
    }
}

#[test]
fn placing_by_nothing_changes_no_bit() {
    let m = sheet(2.1, 0.7, 9, 9);
    let mut p = m.positions.clone();
    place(&mut p, [0.0; 3], [0.0; 3]);
    assert_eq!(p, m.positions);
}

#[test]
fn faults_are_found_and_named() {
    let good = sheet(1.0, 1.0, 3, 3);
    let mut nan = good.clone();
    nan.positions[4][1] = f32::NAN;
    assert_eq!(check(&nan, 100), Err(vec![MeshFault::NotANumber { point: 4 }]));
    let mut fin = good.clone();
    fin.positions.push([0.1, 1.0, 0.2]);
    fin.triangles.push([0, 4, 9]);
    assert_eq!(check(&fin, 100), Err(vec![MeshFault::NotASurface { edge: [0, 4], count: 1 }]));
    let mut thin = good.clone();
    thin.triangles.push([0, 1, 2]);
    assert!(matches!(check(&thin, 100).unwrap_err()[0], MeshFault::NoArea { triangle: 8, count: 1 }));
    assert_eq!(check(&good, 8), Err(vec![MeshFault::TooBig { points: 9, most: 8 }]));
    assert_eq!(check(&Mesh::default(), 8), Err(vec![MeshFault::Empty]));
    let mut wrong = good.clone();
    wrong.triangles[0][1] = 99;
    assert!(matches!(check(&wrong, 100).unwrap_err()[0], MeshFault::NoSuchPoint { point: 99, .. }));
    let mut over = good.clone();
    over.triangles[2].swap(0, 1);
    assert_eq!((check(&over, 100), face_alike(&good)), (Ok(()), Ok(())));
    assert!(matches!(face_alike(&over), Err(MeshFault::Turned { count: 2 | 3, .. })));
    let mut loose = good;
    loose.positions.push([5.0, 5.0, 5.0]);
    assert_eq!(check(&loose, 100), Err(vec![MeshFault::Loose { point: 9, count: 1 }]));
}

#[test]
fn borders_of_an_unnamed_mesh_are_found_and_cut_at_its_corners() {
    let named = sheet(2.0, 1.0, 8, 4);
    let (borders, corners) = find_borders(&named);
    assert_eq!(corners.len(), 4);
    let mut lengths: Vec<usize> = borders.iter().map(|b| b.points.len()).collect();
    lengths.sort_unstable();
    assert_eq!(lengths, [4, 4, 8, 8]);
}

#[test]
fn refining_keeps_points_area_and_borders() {
    let m = sheet(2.0, 1.0, 4, 3);
    let fine = refine(&m);
    assert_eq!(&fine.positions[..12], &m.positions[..]);
    assert_eq!(fine.triangles.len(), 4 * m.triangles.len());
    let total = |m: &Mesh| material_coordinates(m, WarpAlong::U).iter().map(area).sum::<f32>();
    assert!((total(&fine) - total(&m)).abs() < 1e-5);
    assert_eq!(fine.borders[0].points.len(), 7);
    assert!(check(&fine, 1000).is_ok());
    assert!((density(&fine).longest_edge - density(&m).longest_edge / 2.0).abs() < 1e-6);
}

#[test]
fn a_board_is_called_coarse_and_a_cloth_is_not() {
    assert!(density(&sheet(4.0, 2.0, 4, 3)).coarse);
    assert!(!density(&sheet(4.0, 2.0, 60, 40)).coarse);
    assert!(!density(&sheet(1.0, 1.0, 17, 17)).coarse);
}

#[test]
fn the_nearest_point_survives_a_change_of_density() {
    let (a, b) = (sheet(2.0, 2.0, 11, 11), sheet(2.0, 2.0, 41, 31));
    let at = a.positions[37];
    let found = b.positions[nearest(&b.positions, at).unwrap() as usize];
    assert!(glam::Vec3::from(found).distance(at.into()) < 0.05);
    assert_eq!(nearest(&[], at), None);
}
