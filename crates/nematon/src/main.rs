//! The program. `nematon --help` tells what it can do; each verb is a file.
mod air;
mod bake;
mod bench;
mod demo;
mod figure;
mod files;
mod looped;
mod map;
mod mend;
mod panels;
mod picture;
mod readout;
mod settle;
mod spool;
mod still;
mod swatches;

use bytesize::ByteSize;
use clap::{Parser, Subcommand};
use nematon_server::Pace;
use std::path::PathBuf;
use std::process::ExitCode;

/// Secondary motion for animators: cloth that is true to its material.
#[derive(Parser)]
#[command(version)]
struct Cli {
    #[command(subcommand)]
    verb: Verb,
}

#[derive(Subcommand)]
enum Verb {
    /// Serves the application on this machine, with one worker inside.
    Serve(ServeArgs),
    /// Computes takes from the queue of a database.
    Worker(WorkerArgs),
    /// Computes a scene file, with no server and no database.
    Bake(bake::BakeArgs),
    /// Lists every fault of a scene file.
    Validate {
        /// The scene file.
        scene: PathBuf,
    },
    /// Tells what is wrong with a mesh file, and writes it without.
    Mend(mend::MendArgs),
    /// Tells what an animated mesh holds: joints, parts and clips; or fits capsules to it.
    Figure(figure::FigureArgs),
    /// Tells what the maps of a body come to.
    Map(map::MapArgs),
    /// The curves of a file as the panels of a shape.
    Panels(panels::PanelsArgs),
    /// A frame of a body as a still mesh, sewn and smoothed, with what it holds and weighs.
    Still(still::StillArgs),
    /// Numbers over time of points of a body as CSV, and how far they lag behind what holds it.
    Readout(readout::ReadoutArgs),
    /// Computes a scene with one of its numbers at several values, a folder each.
    Swatches(swatches::SwatchesArgs),
    /// Lets bodies come to rest before the first frame, and tells how calm they are then.
    Settle(settle::SettleArgs),
    /// Finds where a motion is most like itself, or tells how a scene's loop repeats: what jumps at its seam, and what does not repeat.
    Loop(looped::LoopArgs),
    /// Frames of a scene as PNG, drawn in software: shaded, with shadows.
    Picture(picture::PictureArgs),
    /// Tells what the air of a scene is at places, and what each field does there.
    Air(air::AirArgs),
    /// Tells what moves a point of a body: what each thing that acts has of its acceleration.
    Why(air::WhyArgs),
    /// Prints the JSON Schema of a scene.
    Schema,
    /// Prints the OpenAPI document of the server.
    Openapi,
    /// Writes the demo scenes and meshes.
    Demo {
        /// The folder to write them to.
        #[arg(long, default_value = "demo")]
        out: PathBuf,
    },
    /// Measures the core, one JSON object a line.
    Bench(bench::BenchArgs),
}

#[derive(clap::Args)]
struct ServeArgs {
    /// PostgreSQL to keep everything in.
    #[arg(long, env = "DATABASE_URL")]
    database: String,
    /// Port on 127.0.0.1; 0 takes a free one.
    #[arg(long, default_value_t = 4310)]
    port: u16,
    /// The built web pages.
    #[arg(long, default_value = "web/dist")]
    web: PathBuf,
    /// Scene files to load where the database has no project yet.
    #[arg(long)]
    demo: Option<PathBuf>,
    /// Threads of the worker inside; 0 takes all cores, and without workers elsewhere 1 is the least.
    #[arg(long, default_value_t = 0)]
    threads: usize,
    /// The part of the time that runs are computed in, 0.01 to 1; the rest is left to whoever works on the machine.
    #[arg(long, default_value_t = 1.0, value_parser = share)]
    share: f64,
    /// How much of frames, checkpoints and meshes is kept at most. Beyond it, what no scene, take or undo step asks for
    /// is let go, the longest unused first.
    #[arg(long, default_value = "20GB")]
    keep: ByteSize,
}

#[derive(clap::Args)]
struct WorkerArgs {
    /// PostgreSQL with the queue.
    #[arg(long, env = "DATABASE_URL")]
    database: String,
    /// Threads to compute on; 0 takes all cores.
    #[arg(long, default_value_t = 0)]
    threads: usize,
    /// The part of the time that runs are computed in, 0.01 to 1; the rest is left to whoever works on the machine.
    #[arg(long, default_value_t = 1.0, value_parser = share)]
    share: f64,
}

fn share(text: &str) -> Result<f64, String> {
    let told = text.parse().ok().filter(|s| (0.01..=1.0).contains(s));
    told.ok_or_else(|| "a share of the time is a number from 0.01 to 1".into())
}

/// Who reads what is printed may have had enough: that is no fault, and ends without a word.
fn end_with_the_pipe() {
    let before = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |told| {
        let closed = told.payload_as_str().is_some_and(|w| w.starts_with("failed printing to stdout"));
        if closed {
            std::process::exit(0);
        }
        before(told);
    }));
}

fn main() -> ExitCode {
    end_with_the_pipe();
    let done = match Cli::parse().verb {
        Verb::Serve(a) => wait_for(async {
            let demo = a.demo.map(|d| files::load_all(&d)).transpose()?.unwrap_or_default();
            let options = nematon_server::Options {
                database: a.database,
                port: a.port,
                web: a.web,
                demo,
                pace: Pace { threads: a.threads, share: a.share },
                keep: a.keep.as_u64(),
            };
            nematon_server::serve(options).await.map_err(|e| e.to_string())
        }),
        Verb::Worker(a) => {
            let pace = Pace { threads: a.threads, share: a.share };
            wait_for(async { nematon_server::work(&a.database, pace).await.map_err(|e| e.to_string()) })
        }
        Verb::Bake(a) => bake::bake(&a),
        Verb::Mend(a) => mend::mend(&a),
        Verb::Figure(a) => figure::figure(&a),
        Verb::Map(a) => map::map(&a),
        Verb::Panels(a) => panels::panels(&a),
        Verb::Still(a) => still::keep(&a),
        Verb::Settle(a) => settle::settle(&a),
        Verb::Loop(a) => looped::looped(&a),
        Verb::Picture(a) => picture::picture(&a),
        Verb::Swatches(a) => swatches::swatches(&a),
        Verb::Readout(a) => readout::readout(&a),
        Verb::Air(a) => air::air(&a),
        Verb::Why(a) => air::why(&a),
        Verb::Validate { scene } => files::read_scene(&scene).map(|(s, _)| {
            println!(
                "{} is a scene: {} bodies, {} fields, {} frames",
                scene.display(),
                s.bodies.len(),
                s.fields.len(),
                s.frames.count()
            );
        }),
        Verb::Schema => print(nematon_document::schema()),
        Verb::Openapi => print(&nematon_server::openapi()),
        Verb::Demo { out } => demo::write(&out),
        Verb::Bench(a) => bench::bench(&a),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("{e}");
            ExitCode::FAILURE
        }
    }
}

fn wait_for(work: impl Future<Output = Result<(), String>>) -> Result<(), String> {
    tokio::runtime::Runtime::new().map_err(|e| format!("no runtime: {e}"))?.block_on(work)
}

fn print(value: &serde_json::Value) -> Result<(), String> {
    println!("{}", serde_json::to_string_pretty(value).map_err(|e| e.to_string())?);
    Ok(())
}
