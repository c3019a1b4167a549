//! What is painted in the demo, by our own brush, and a picture of stripes.
use nematon_document::Shape;
use nematon_formats::{write_stroke, write_surface};
use nematon_paint::{Brush, Canvas, Does, Edge, Stroke, Touch};

/// Along the left border of a shape, fading inward: the surface and the stroke, as files.
pub fn soft_edge(shape: &Shape) -> Result<(Vec<u8>, Vec<u8>), String> {
    let mesh = shape.made().map_err(|_| "the canopy is made by numbers")?;
    let left = mesh.borders.iter().find(|b| b.name == "left").ok_or("the canopy has a left border")?;
    let brush = Brush { does: Does::Add, radius: 0.42, strength: 0.8, edge: Edge::Soft, mirror: None };
    let canvas = Canvas::new(mesh.clone(), vec![]);
    let mut stroke = Stroke::begin(brush, vec![0.0; canvas.points()]);
    for p in &left.points {
        let Some(triangle) = mesh.triangles.iter().position(|t| t.contains(p)) else { continue };
        let shares = mesh.triangles[triangle].map(|q| if q == *p { 1.0 } else { 0.0 });
        stroke.dab(&canvas, Touch { triangle: triangle as u32, shares }, None, 1.0);
    }
    Ok((write_surface(&mesh), write_stroke(&stroke.changes())))
}

/// Seven stripes across u, as PNG.
pub fn stripes() -> Result<Vec<u8>, String> {
    let light = |x: u32| {
        let in_stripe = 7.0 * f64::from(x) / 224.0 % 1.0;
        let far = (in_stripe - 0.5).abs();
        (255.0 * (1.0 - (far - 0.12) / 0.06).clamp(0.0, 1.0)) as u8
    };
    let picture = image::GrayImage::from_fn(224, 4, |x, _| image::Luma([light(x)]));
    let mut out = std::io::Cursor::new(vec![]);
    picture.write_to(&mut out, image::ImageFormat::Png).map_err(|e| e.to_string())?;
    Ok(out.into_inner())
}
