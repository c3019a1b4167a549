use super::Ground;
use super::ramp::of_uvs;
use nematon_document::{Channel, Picture};

/// Between the middles of its pixels in proportion; beyond its edges it repeats. The origin of UVs is the lower left corner.
pub fn weights(ground: &Ground, p: &Picture) -> Result<Vec<f32>, String> {
    let found =
        ground.library.picture(&p.from).map_err(|e| format!("has a picture that can't be had: {e}"))?;
    let uvs = of_uvs(ground.mesh).map_err(|_| "is a picture by UVs, and the shape has none".to_owned())?;
    let [w, h] = found.size.map(f64::from);
    let value = |x: i64, y: i64| {
        let (x, y) = (x.rem_euclid(w as i64), y.rem_euclid(h as i64));
        let [r, g, b, a] = found.pixels[(y * w as i64 + x) as usize].map(|c| f64::from(c) / 255.0);
        match p.channel {
            Channel::Light => 0.2126 * r + 0.7152 * g + 0.0722 * b,
            Channel::Red => r,
            Channel::Green => g,
            Channel::Blue => b,
            Channel::Alpha => a,
        }
    };
    let at = |[u, v]: [f64; 2]| {
        let (x, y) = (u * w - 0.5, if p.flip { v } else { 1.0 - v } * h - 0.5);
        let (i, j) = (x.floor(), y.floor());
        let (s, t) = (x - i, y - j);
        let (i, j) = (i as i64, j as i64);
        let row = |j: i64| (1.0 - s) * value(i, j) + s * value(i + 1, j);
        let light = (1.0 - t) * row(j) + t * row(j + 1);
        ((light - 0.5) * p.gain + 0.5 + p.bias).clamp(0.0, 1.0) as f32
    };
    Ok(uvs.into_iter().map(at).collect())
}
