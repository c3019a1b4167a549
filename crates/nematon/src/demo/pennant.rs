//! The wind pennant on the relay's mast: a tapering streamer with a swallow tail, as an OBJ to bring in.
use nematon_formats::write_obj;
use nematon_geometry::sheet;

/// 1.4 m long, 0.42 m at the mast, hanging in the plane z = 0 with its hoist at x = 0.
pub fn pennant() -> String {
    let (length, hoist) = (1.4f32, 0.42f32);
    let mut m = sheet(1.0, 1.0, 43, 15);
    for (p, uv) in m.positions.iter_mut().zip(&m.uvs) {
        let (u, v) = (uv[0], uv[1] - 0.5);
        let half = hoist * (1.0 - 0.55 * u);
        // The tail is cut in: its middle ends before its corners.
        let x = u * (length - 0.3 * (1.0 - 2.0 * v.abs()) * u);
        *p = [x, 1.2 - v * half, 0.0];
    }
    write_obj(
        "pennant",
        &m,
        &m.positions,
        nematon_formats::With { normals: false, triangles: true, exact: false },
    )
}
