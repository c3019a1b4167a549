//! `nematon picture`: frames of a scene as PNG, drawn in software: no browser, no graphics card.
mod raster;

use crate::bake::frames;
use crate::files::{Folder, read_scene, run_of};
use clap::Args;
use nematon_document::{Body, Camera, Dye, Surface};
use nematon_evaluate::{Dress, Dressed, Pose, Run, Stage, pose_at, shape};
use nematon_geometry::Mesh;
use nematon_solver::NoWatch;
use raster::{Corner, Eye, Triangle, Vec3, cross, dot, draw, less, linear, unit};
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct PictureArgs {
    /// The scene file.
    scene: PathBuf,
    /// The frame; left out, the one that its first camera opens with, or the first.
    #[arg(long, allow_hyphen_values = true, conflicts_with = "frames")]
    frame: Option<i64>,
    /// Frames, FIRST..LAST, each a picture of its own; OUT is a folder then.
    #[arg(long, value_parser = frames, allow_hyphen_values = true)]
    frames: Option<(i64, i64)>,
    /// Only every n-th of them.
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    every: u32,
    /// Key of a camera of the scene; the first if left out, and from the front where there is none.
    #[arg(long)]
    camera: Option<String>,
    /// Pixels, WIDTHxHEIGHT.
    #[arg(long, default_value = "960x600", value_parser = size)]
    size: (usize, usize),
    /// Leaves out the place that the shot is in.
    #[arg(long)]
    no_scenery: bool,
    /// The PNG, or the folder for several.
    #[arg(long)]
    out: PathBuf,
}

fn size(text: &str) -> Result<(usize, usize), String> {
    let read = text.split_once('x').and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    let fits = |n: &usize| (16..=4096).contains(n);
    read.filter(|(w, h)| fits(w) && fits(h))
        .ok_or("write WIDTHxHEIGHT, each from 16 to 4096, as 960x600".into())
}

/// # Errors
/// In words, when the scene can't be read or computed, or has no such frame or camera, or the file can't be written.
pub fn picture(args: &PictureArgs) -> Result<(), String> {
    let (scene, folder) = read_scene(&args.scene)?;
    let stage = Stage::new(&scene, &folder);
    let camera = match &args.camera {
        Some(key) => {
            let known: Vec<&str> = scene.cameras.keys().map(|k| k.0.as_str()).collect();
            let found = scene.cameras.get(key.as_str());
            let none = || format!("There is no camera \"{key}\"; there are {}.", known.join(", "));
            Some(found.ok_or_else(none)?)
        }
        None => scene.cameras.values().next(),
    };
    let span = &scene.frames;
    let one = args.frame.or_else(|| camera.and_then(|c| c.opens)).unwrap_or(span.first);
    let (first, last) = args.frames.unwrap_or((one, one));
    if first < span.first || last > span.last {
        return Err(format!("The scene has frames {} to {}.", span.first, span.last));
    }
    let mut islands = vec![];
    for island in scene.islands() {
        islands.push(Seen::of(&stage, run_of(&scene, &folder, &island[0])?.0, &folder)?);
    }
    let several = args.frames.is_some();
    if several {
        std::fs::create_dir_all(&args.out).map_err(|e| format!("{}: {e}", args.out.display()))?;
    }
    let mut eye = None;
    for frame in (first..=last).step_by(args.every as usize) {
        let mut all = vec![];
        let mut bounds = [[f32::INFINITY; 3], [f32::NEG_INFINITY; 3]];
        for island in &mut islands {
            while span.first + (island.run.at() as i64) < frame {
                island.run.advance(&NoWatch).map_err(|e| format!("frame {frame}: {e}"))?;
            }
            island.draw(&mut all, &mut bounds);
        }
        if bounds[0][0] > bounds[1][0] {
            bounds = [[-1.0, 0.0, -1.0], [1.0, 2.0, 1.0]];
        }
        let middle: Vec3 = std::array::from_fn(|c| 0.5 * (bounds[0][c] + bounds[1][c]));
        let radius = 0.5 * dot(less(bounds[1], bounds[0]), less(bounds[1], bounds[0])).sqrt();
        let (wide, high) = args.size;
        let shape = wide as f32 / high as f32;
        let own = match camera {
            Some(c) => looking(&stage, c, frame as f64, shape),
            // Still over all frames, as the first of them needs it.
            None => *eye.get_or_insert_with(|| before(middle, radius, shape)),
        };
        about(&stage, frame as f64, &own, !args.no_scenery, &mut all);
        let pixels = draw(&all, &own, (middle, 1.6 * radius), wide, high);
        let path = if several { args.out.join(format!("{frame:04}.png")) } else { args.out.clone() };
        keep(&path, &pixels, wide, high)?;
    }
    Ok(())
}

fn keep(path: &Path, pixels: &[u8], wide: usize, high: usize) -> Result<(), String> {
    let kind = image::ColorType::Rgb8;
    image::save_buffer_with_format(path, pixels, wide as u32, high as u32, kind, image::ImageFormat::Png)
        .map_err(|e| format!("{}: {e}", path.display()))
}

/// Bodies that are computed together, and what each is drawn as.
struct Seen {
    run: Run,
    bodies: Vec<(Mesh, Option<Dress>, Vec3)>,
}

impl Seen {
    fn of(stage: &Stage, run: Run, folder: &Folder) -> Result<Seen, String> {
        let wanted = Dressed { hairs: true, skins: true, finished: true };
        let mut bodies = vec![];
        for m in &run.members {
            let body: &Body = &stage.bodies[&m.id];
            let shaped = shape(stage, body, folder).map_err(|e| format!("{}: {e}", m.name))?;
            let dress =
                Dress::of(stage, body, &shaped, folder, wanted).map_err(|e| format!("{}: {e}", m.name))?;
            let mesh = dress.as_ref().map_or(shaped.mesh, Dress::mesh);
            bodies.push((mesh, dress, dyed(body.dye)));
        }
        Ok(Seen { run, bodies })
    }

    fn draw(&self, out: &mut Vec<Triangle>, bounds: &mut [Vec3; 2]) {
        for (k, (mesh, dress, colour)) in self.bodies.iter().enumerate() {
            let own: Vec<Vec3> = self.run.places(k).iter().map(|p| p.map(|c| c as f32)).collect();
            for p in own.iter().filter(|p| p[0].is_finite()) {
                for c in 0..3 {
                    bounds[0][c] = bounds[0][c].min(p[c]);
                    bounds[1][c] = bounds[1][c].max(p[c]);
                }
            }
            let now = dress.as_ref().map_or_else(|| own.clone(), |d| d.frame(&own));
            match (mesh.radii.is_empty(), mesh.strands.is_empty()) {
                (true, _) => surface(mesh, &now, *colour, out),
                (false, true) => {
                    for (p, r) in now.iter().zip(&mesh.radii).filter(|(p, _)| p[0].is_finite()) {
                        ball(*p, *r, *colour, out);
                    }
                }
                (false, false) => {
                    let now = mesh.settled(&now);
                    for pair in mesh.lines().iter().flat_map(|l| l.windows(2)) {
                        let [a, b] = [pair[0] as usize, pair[1] as usize];
                        rod([now[a], now[b]], mesh.radii[a], *colour, out);
                    }
                }
            }
        }
    }
}

/// A mesh, its faces turned smoothly into each other.
fn surface(mesh: &Mesh, at: &[Vec3], colour: Vec3, out: &mut Vec<Triangle>) {
    let normals = mesh.normals(at);
    let corner = |k: &u32| Corner { at: at[*k as usize], normal: normals[*k as usize] };
    let there = |t: &&[u32; 3]| t.iter().all(|k| at[*k as usize][0].is_finite());
    out.extend(mesh.triangles.iter().filter(there).map(|t| {
        let [a, b, c] = t;
        Triangle { corners: [corner(a), corner(b), corner(c)], colour }
    }));
}

/// A segment of a strand, as three sides.
fn rod([a, b]: [Vec3; 2], radius: f32, colour: Vec3, out: &mut Vec<Triangle>) {
    let way = unit(less(b, a));
    let side = unit(cross(way, if way[1].abs() < 0.9 { [0.0, 1.0, 0.0] } else { [1.0, 0.0, 0.0] }));
    let other = cross(way, side);
    let normal = |k: usize| -> Vec3 {
        let (s, c) = (std::f32::consts::TAU * k as f32 / 3.0).sin_cos();
        std::array::from_fn(|i| c * side[i] + s * other[i])
    };
    // What is thinner than can be seen is seen all the same.
    let r = radius.max(2e-4);
    for k in 0..3 {
        let (n, m) = (normal(k), normal(k + 1));
        let at = |p: Vec3, n: Vec3| Corner { at: std::array::from_fn(|c| p[c] + r * n[c]), normal: n };
        out.push(Triangle { corners: [at(a, n), at(b, n), at(b, m)], colour });
        out.push(Triangle { corners: [at(a, n), at(b, m), at(a, m)], colour });
    }
}

/// A loose piece, as eight faces that are turned like a ball's.
fn ball(p: Vec3, radius: f32, colour: Vec3, out: &mut Vec<Triangle>) {
    let ways: [Vec3; 6] = [
        [1.0, 0.0, 0.0],
        [-1.0, 0.0, 0.0],
        [0.0, 1.0, 0.0],
        [0.0, -1.0, 0.0],
        [0.0, 0.0, 1.0],
        [0.0, 0.0, -1.0],
    ];
    let corner =
        |k: usize| Corner { at: std::array::from_fn(|c| p[c] + radius * ways[k][c]), normal: ways[k] };
    for (a, b) in [(0, 4), (4, 1), (1, 5), (5, 0)] {
        for top in [2, 3] {
            out.push(Triangle { corners: [corner(a), corner(top), corner(b)], colour });
        }
    }
}

/// What is not computed: figures as they stand, and the floor, as far as can be seen.
fn about(stage: &Stage, frame: f64, eye: &Eye, scenery: bool, out: &mut Vec<Triangle>) {
    for (id, figure) in &stage.figures {
        if figure.scenery && !scenery {
            continue;
        }
        let Ok(playing) = stage.figure(&id.0) else { continue };
        let pose = pose_at(stage, &figure.place, frame);
        let at: Vec<Vec3> =
            playing.points(playing.time(stage, frame)).iter().map(|p| placed(&pose, *p)).collect();
        surface(playing.rest(), &at, made_of(figure.surface), out);
    }
    // Scenery brings a ground of its own.
    let grounded = scenery && stage.figures.values().any(|f| f.scenery);
    if let Some(floor) = stage.floor.as_ref().filter(|_| !grounded) {
        let (y, far) = (floor.height as f32, 60.0);
        let corner = |x: f32, z: f32| Corner {
            at: [eye.at[0] + x * far, y, eye.at[2] + z * far],
            normal: [0.0, 1.0, 0.0],
        };
        let (a, b, c, d) = (corner(-1.0, -1.0), corner(1.0, -1.0), corner(1.0, 1.0), corner(-1.0, 1.0));
        let colour = linear(0xb5_a98c);
        out.push(Triangle { corners: [a, c, b], colour });
        out.push(Triangle { corners: [a, d, c], colour });
    }
}

fn placed(pose: &Pose, p: Vec3) -> Vec3 {
    let q = pose.turn;
    let v = [q[0], q[1], q[2]];
    let t = cross(v, p).map(|c| 2.0 * c);
    let u = cross(v, t);
    std::array::from_fn(|c| pose.position[c] + p[c] + q[3] * t[c] + u[c])
}

/// As a camera of the scene stands at a frame.
fn looking(stage: &Stage, camera: &Camera, frame: f64, shape: f32) -> Eye {
    let pose = pose_at(stage, &camera.place, frame);
    let level = Pose { position: [0.0; 3], turn: pose.turn };
    let axes = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]].map(|a| placed(&level, a));
    let high = (0.5 * camera.angle).tan() as f32;
    Eye { at: pose.position, axes, wide: high * shape, high }
}

/// From the front, a little from above, so that all of it is in the picture.
fn before(middle: Vec3, radius: f32, shape: f32) -> Eye {
    let back = unit([0.25, 0.3, 1.0]);
    let right = unit(cross([0.0, 1.0, 0.0], back));
    let high = 0.3f32;
    let far = 1.05 * radius / high.min(high * shape).atan().sin();
    Eye {
        at: std::array::from_fn(|c| middle[c] + far * back[c]),
        axes: [right, cross(back, right), back],
        wide: high * shape,
        high,
    }
}

fn dyed(dye: Option<Dye>) -> Vec3 {
    linear(match dye.unwrap_or(Dye::Linen) {
        Dye::Linen => 0xe6_dcc4,
        Dye::Madder => 0xcf_8a78,
        Dye::Weld => 0xd9_ba6a,
        Dye::Woad => 0x8a_a9bf,
        Dye::Moss => 0xa5_b585,
        Dye::Plum => 0xb3_96b0,
        Dye::Rust => 0xc0_9a80,
    })
}

fn made_of(surface: Option<Surface>) -> Vec3 {
    linear(match surface {
        Some(Surface::Wood) => 0x96_6f4b,
        Some(Surface::Felt) | None => 0x8a_7a6a,
        Some(Surface::Horn) => 0x6e_5a48,
        Some(Surface::Stone) => 0x8f_9290,
        Some(Surface::Turf) => 0x7d_8259,
    })
}
