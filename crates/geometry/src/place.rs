/// Turns by x, then y, then z (radians), as the rows of a matrix.
pub fn turn_matrix(turn: [f64; 3]) -> [[f64; 3]; 3] {
    let [(sx, cx), (sy, cy), (sz, cz)] = turn.map(libm::sincos);
    [
        [cy * cz, sx * sy * cz - cx * sz, cx * sy * cz + sx * sz],
        [cy * sz, sx * sy * sz + cx * cz, cx * sy * sz - sx * cz],
        [-sy, sx * cy, cx * cy],
    ]
}

/// Turns points and moves them. Sums in f64, so that a turn by zero changes no bit.
pub fn place(positions: &mut [[f32; 3]], position: [f64; 3], turn: [f64; 3]) {
    let m = turn_matrix(turn);
    for p in positions {
        let q = p.map(f64::from);
        *p = std::array::from_fn(|r| (m[r][0] * q[0] + m[r][1] * q[1] + m[r][2] * q[2] + position[r]) as f32);
    }
}
