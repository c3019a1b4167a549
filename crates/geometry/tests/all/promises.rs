//! What the meshes promise.
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

/// The points of a sheet within a rectangle of its numbers.
fn patch(columns: u32, i: std::ops::Range<u32>, j: std::ops::Range<u32>) -> Vec<u32> {
    j.flat_map(|b| i.clone().map(move |a| b * columns + a)).collect()
}

#[test]
fn an_area_keeps_its_place_whatever_the_density_and_the_size() {
    let coarse = sheet(1.0, 2.0, 21, 41);
    let chosen = patch(21, 4..11, 10..19);
    let area = area_of(&coarse, &chosen);
    assert_eq!(points_in(&coarse, &area), chosen, "the points themselves come back");
    for (width, depth, columns, rows) in
        [(3.0, 0.7, 21, 41), (1.0, 2.0, 41, 81), (2.0, 2.0, 64, 97), (1.0, 1.0, 11, 21)]
    {
        let other = sheet(width, depth, columns, rows);
        let found = points_in(&other, &area);
        let inside = |p: u32| {
            let [u, v] = other.uvs[p as usize];
            (0.2..=0.5).contains(&u) && (0.25..=0.45).contains(&v)
        };
        // Rounded to a millionth of the box: points just on the rim may fall either way.
        let sure = (0..other.positions.len() as u32).filter(|&p| {
            let [u, v] = other.uvs[p as usize];
            u > 0.201 && u < 0.499 && v > 0.251 && v < 0.449
        });
        assert!(sure.clone().count() > 3 && sure.clone().all(|p| found.contains(&p)), "{columns}: no gaps");
        let near = |p: &u32| {
            inside(*p) || {
                let [u, v] = other.uvs[*p as usize];
                (0.199..0.501).contains(&u) && (0.249..0.451).contains(&v)
            }
        };
        assert!(found.iter().all(near), "{columns}: nothing beside it");
    }
}

#[test]
fn an_area_of_a_row_and_of_lone_points_stays_a_row_and_lone_points() {
    let coarse = sheet(1.0, 1.0, 21, 21);
    let row: Vec<u32> = (5..16).map(|i| 10 * 21 + i).collect();
    let fine = sheet(1.0, 1.0, 54, 54);
    let found = points_in(&fine, &area_of(&coarse, &row));
    let rows: std::collections::BTreeSet<u32> = found.iter().map(|p| p / 54).collect();
    // The fine sheet has no row just there: the two beside it are as near.
    assert!(rows.len() <= 2 && found.len() >= 26, "{rows:?} {}", found.len());
    let lone = [21 * 3 + 3, 21 * 17 + 9];
    assert_eq!(points_in(&fine, &area_of(&coarse, &lone)).len(), 2);
    assert_eq!(points_in(&sheet(1.0, 1.0, 2, 2), &area_of(&coarse, &patch(21, 9..12, 9..12))).len(), 1);
    assert!(area_of(&coarse, &[9999]).spots.is_empty());
}

#[test]
fn an_area_of_a_ball_is_filled_where_a_finer_one_bulges() {
    let (coarse, fine) = (ball(0.5, 4), ball(0.5, 16));
    let top = |m: &Mesh| -> Vec<u32> {
        (0..m.positions.len() as u32).filter(|p| m.positions[*p as usize][1] > 0.3).collect()
    };
    let found = points_in(&fine, &area_of(&coarse, &top(&coarse)));
    let sure = (0..fine.positions.len() as u32).filter(|p| fine.positions[*p as usize][1] > 0.47);
    assert!(sure.clone().count() > 20 && sure.clone().all(|p| found.contains(&p)));
    assert!(found.iter().all(|p| fine.positions[*p as usize][1] > 0.2), "not the other side");
}

#[test]
fn a_mesh_is_mended_and_what_was_done_is_counted() {
    let mut m = sheet(1.0, 1.0, 5, 5);
    let whole = m.triangles.clone();
    let n = m.positions.len() as u32;
    for k in [3, 8, 20] {
        m.triangles[k].swap(1, 2);
    }
    m.triangles.extend([whole[7], [whole[9][2], whole[9][0], whole[9][1]], [0, 1, 2]]);
    m.positions.extend([[9.0; 3], [0.0, 5.0, 0.0], [1.0, 5.0, 0.0], [0.0, 5.0, 1.0]]);
    m.triangles.push([n + 1, n + 2, n + 3]);
    (m.uvs, m.uv_triangles) = (vec![], vec![]);
    assert!(check(&m, 1000).is_err());
    let (mended, told) = clean(&m);
    assert_eq!(told, Untidy { loose: 1, no_area: 1, doubled: 2, turned: 3, split: 0, pieces: 2 });
    assert_eq!((check(&mended, 1000), face_alike(&mended)), (Ok(()), Ok(())));
    assert_eq!(mended.triangles.len(), whole.len() + 1);
    assert!(clean(&mended).1.is_tidy());
    let untouched = sheet(1.0, 1.0, 5, 5);
    assert_eq!(clean(&untouched).0.triangles, untouched.triangles);
}

#[test]
fn outlines_give_back_the_squares_that_a_sheet_is_made_of() {
    let m = sheet(1.0, 1.0, 4, 3);
    let faces = m.outlines();
    assert_eq!(faces.len(), 6);
    assert!(faces.iter().all(|f| f.points.len() == 4 && f.uvs == f.points));
    for made in [ball(0.3, 4), tube(0.2, 1.0, 8, 3), ring(0.4, 0.1, 9, 5), block([1.0; 3], [2, 3, 4])] {
        assert_eq!(made.outlines().len() * 2, made.triangles.len());
    }
    let up = m.normals(&m.positions);
    assert!(up.iter().all(|n| *n == [0.0, 1.0, 0.0]));
}

#[test]
fn a_fan_about_the_first_point_of_an_outline_is_its_triangles_again() {
    let turned = |t: [u32; 3]| {
        let k = (0..3).min_by_key(|k| t[*k]).unwrap();
        [t[k], t[(k + 1) % 3], t[(k + 2) % 3]]
    };
    for m in [sheet(1.0, 1.0, 5, 4), ball(0.3, 4), ring(0.4, 0.1, 9, 5)] {
        let fans = m.outlines().into_iter().flat_map(|f| {
            let p = f.points;
            (1..p.len() - 1).map(move |k| [p[0], p[k], p[k + 1]]).collect::<Vec<_>>()
        });
        assert!(fans.map(turned).eq(m.triangles.iter().map(|t| turned(*t))));
    }
}

#[test]
fn a_side_with_corners_inside_it_is_split_at_them_and_told() {
    // One face beside two, with two corners inside its side.
    let m = Mesh {
        positions: vec![
            [0.0, 0.0, 0.0],
            [3.0, 0.0, 0.0],
            [0.0, 0.0, 1.0],
            [1.0, 0.0, 0.0],
            [2.0, 0.0, 0.0],
            [1.5, 0.0, -1.0],
        ],
        triangles: vec![[0, 2, 1], [0, 3, 5], [3, 4, 5], [4, 1, 5]],
        uvs: vec![[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]],
        uv_triangles: vec![[0, 2, 1]; 4],
        faces: vec![1, 3],
        ..Mesh::default()
    };
    let (mended, told) = clean(&m);
    assert_eq!((told.split, told.pieces, told.turned), (2, 1, 0));
    assert_eq!(mended.triangles.len(), 6);
    assert_eq!(mended.faces, [3, 3]);
    assert_eq!(mended.borders.len(), 4, "no hole is left: {:?}", mended.borders);
    let thirds: Vec<[f32; 2]> = mended.uvs[3..].to_vec();
    assert!(
        thirds.iter().all(|u| (u[0] - 1.0 / 3.0).abs() < 1e-6 || (u[0] - 2.0 / 3.0).abs() < 1e-6),
        "{thirds:?}"
    );
    let area = |m: &Mesh| -> f64 {
        (0..m.triangles.len())
            .map(|t| m.triangles[t])
            .map(|t| {
                let [a, b, c] = t.map(|p| m.positions[p as usize].map(f64::from));
                0.5 * ((b[0] - a[0]) * (c[2] - a[2]) - (b[2] - a[2]) * (c[0] - a[0])).abs()
            })
            .sum()
    };
    assert!((area(&m) - area(&mended)).abs() < 1e-9);
    assert!(clean(&mended).1.is_tidy());
}
