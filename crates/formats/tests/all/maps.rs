//! Maps as files.
use nematon_formats::{Laid, MapKind};
use nematon_geometry::{Mesh, sheet};

fn weights(m: &Mesh) -> Vec<f32> {
    m.positions.iter().map(|p| (p[0] + 0.5).clamp(0.0, 1.0)).collect()
}

#[test]
fn a_map_is_a_table_and_an_array_of_its_points() {
    let m = sheet(1.0, 1.0, 3, 3);
    let csv = MapKind::Csv.write(&m, &weights(&m), Laid::default()).unwrap();
    let rows: Vec<&str> = std::str::from_utf8(&csv).unwrap().lines().collect();
    assert_eq!((rows.len(), rows[0]), (10, "point,weight"));
    assert!(rows.contains(&"4,0.5"), "{rows:?}");
    let npy = MapKind::Npy.write(&m, &weights(&m), Laid::default()).unwrap();
    assert!(npy.starts_with(b"\x93NUMPY") && npy.len() == 128 + 36);
}

#[test]
fn a_map_is_a_picture_by_its_texture_coordinates_carried_on_beyond_its_edges() {
    let mut m = sheet(1.0, 1.0, 9, 9);
    // In the middle half of the picture.
    m.uvs.iter_mut().for_each(|t| *t = t.map(|c| 0.25 + 0.5 * c));
    let laid = Laid { side: 64, gutter: 4 };
    let png = MapKind::Png.write(&m, &weights(&m), laid).unwrap();
    let grey = image::load_from_memory(&png).unwrap().into_luma16();
    assert_eq!(grey.dimensions(), (64, 64));
    let at = |x: u32, y: u32| f64::from(grey.get_pixel(x, y).0[0]) / 65535.0;
    // A pixel's middle is at half of it; u goes from 0.25 to 0.75 as the weight from 0 to 1.
    for x in [18, 31, 40, 46] {
        let is = ((f64::from(x) + 0.5) / 64.0 - 0.25) * 2.0;
        assert!((at(x, 30) - is).abs() < 2e-4, "{x}: {} for {is}", at(x, 30));
    }
    assert!((at(50, 30) - at(47, 30)).abs() < 0.05, "three beyond its edge it goes on");
    assert_eq!(at(56, 30), 0.0, "nine beyond there is nothing");
    let exr = MapKind::Exr.write(&m, &weights(&m), laid).unwrap();
    use exr::prelude::*;
    let read =
        read().no_deep_data().largest_resolution_level().all_channels().first_valid_layer().all_attributes();
    let read = read.from_buffered(std::io::Cursor::new(exr)).unwrap();
    let channel = &read.layer_data.channel_data.list[0];
    assert_eq!(channel.name.to_string(), "Y");
    let value = channel.sample_data.value_by_flat_index(30 * 64 + 40).to_f32();
    assert!((f64::from(value) - at(40, 30)).abs() < 1e-4);
}

#[test]
fn what_no_picture_can_be_laid_by_is_told() {
    let m = sheet(1.0, 1.0, 3, 3);
    let bare = Mesh { uvs: vec![], uv_triangles: vec![], ..m.clone() };
    let told = MapKind::Png.write(&bare, &weights(&bare), Laid::default()).unwrap_err();
    assert!(told.contains("no texture coordinates"), "{told}");
    let mut far = m.clone();
    far.uvs.iter_mut().for_each(|t| t[0] += 7.0);
    let told = MapKind::Exr.write(&far, &weights(&far), Laid::default()).unwrap_err();
    assert!(told.contains("within the picture"), "{told}");
    for side in [0, 9000] {
        let told = MapKind::Png.write(&m, &weights(&m), Laid { side, gutter: 0 }).unwrap_err();
        assert!(told.contains("8192"), "{told}");
    }
}
