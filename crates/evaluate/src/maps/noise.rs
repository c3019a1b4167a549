use nematon_document::Noise;
use nematon_geometry::Mesh;
use nematon_motion::gradient_noise;

/// Gradient noise, summed over octaves and brought to about 0 to 1.
pub fn weights(mesh: &Mesh, n: &Noise) -> Vec<f32> {
    let at = |p: &[f32; 3]| {
        let (mut sum, mut whole, mut share) = (0.0, 0.0, 1.0);
        for octave in 0..n.octaves {
            let times = f64::from(1u32 << octave) / n.size;
            sum +=
                share * gradient_noise(p.map(|c| f64::from(c) * times), n.seed.wrapping_add(octave * 0x9e37));
            whole += share;
            share *= 0.5;
        }
        // Nearly all of it lies within 0.6 of 0.
        (0.5 + sum / whole / 1.2).clamp(0.0, 1.0) as f32
    };
    mesh.positions.iter().map(at).collect()
}
