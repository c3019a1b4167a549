use glam::DVec3;

/// Shares of the corners of the place of a triangle nearest to a point (C. Ericson, "Real-Time Collision Detection", 2005,
/// section 5.1.5).
pub fn nearest_shares(p: DVec3, [a, b, c]: [DVec3; 3]) -> [f64; 3] {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return [1.0, 0.0, 0.0];
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return [0.0, 1.0, 0.0];
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        let v = if d1 - d3 > 0.0 { d1 / (d1 - d3) } else { 0.0 };
        return [1.0 - v, v, 0.0];
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return [0.0, 0.0, 1.0];
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        let w = if d2 - d6 > 0.0 { d2 / (d2 - d6) } else { 0.0 };
        return [1.0 - w, 0.0, w];
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        let w = (d4 - d3) / ((d4 - d3) + (d5 - d6)).max(1e-300);
        return [0.0, 1.0 - w, w];
    }
    let sum = va + vb + vc;
    if sum.abs() < 1e-300 {
        return [1.0, 0.0, 0.0];
    }
    [va / sum, vb / sum, vc / sum]
}
