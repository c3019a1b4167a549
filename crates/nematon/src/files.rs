//! Scene files and the meshes beside them.
use nematon_document::{Body, BodyId, MeshSource, Scene, parse};
use nematon_evaluate::{MeshLibrary, Run};
use nematon_geometry::Mesh;
use nematon_paint::{Combed, Painting, Picture};
use nematon_solver::NoWatch;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Meshes named by their path, relative to a scene file.
pub struct Folder(pub PathBuf);

/// A file, with those that it names beside it written into it where it is a glTF as text.
///
/// # Errors
/// When it can't be read.
pub fn read_with_parts(path: &Path) -> Result<Vec<u8>, String> {
    let bytes = std::fs::read(path).map_err(|e| format!("{}: {}", path.display(), plainly(&e)))?;
    let is_text = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("gltf"));
    let beside = |name: &str| {
        // Nothing that stands elsewhere.
        let plain = Path::new(name).components().all(|c| matches!(c, std::path::Component::Normal(_)));
        if plain { std::fs::read(path.parent()?.join(name)).ok() } else { None }
    };
    Ok(if is_text { nematon_formats::embedded(&bytes, beside) } else { bytes })
}

/// Why a file can't be had, without the system's own numbers.
pub fn plainly(e: &std::io::Error) -> String {
    match e.kind() {
        std::io::ErrorKind::NotFound => "there is no such file".into(),
        std::io::ErrorKind::PermissionDenied => "it may not be read here".into(),
        std::io::ErrorKind::IsADirectory => "it is a folder".into(),
        std::io::ErrorKind::StorageFull => "the disk is full: what is there of it is not whole".into(),
        _ => e.to_string(),
    }
}

impl Folder {
    /// What a file beside the scene file holds.
    pub fn bytes(&self, source: &MeshSource) -> Result<Vec<u8>, String> {
        match source {
            MeshSource::File(name) => std::fs::read(self.0.join(name)).map_err(|e| format!("{name}: {e}")),
            MeshSource::Blob(_) => Err("it is kept by a server; a scene file names its files".into()),
        }
    }
}

impl MeshLibrary for Folder {
    fn mesh(&self, source: &MeshSource) -> Result<Arc<Mesh>, String> {
        let MeshSource::File(name) = source else {
            return Err("it is kept by a server; a scene file names its meshes as files".into());
        };
        let bytes = read_with_parts(&self.0.join(name))?;
        nematon_formats::read_mesh(name, &bytes).map(Arc::new).map_err(|e| format!("{name}: {e}"))
    }

    fn figure(&self, figure: &nematon_document::Figure) -> Result<Arc<nematon_figure::Figure>, String> {
        let read = |source: &MeshSource| match source {
            MeshSource::File(name) => {
                let bytes = read_with_parts(&self.0.join(name)).map_err(|e| format!("can't be had: {e}"))?;
                Ok((name.clone(), bytes))
            }
            MeshSource::Blob(_) => {
                Err("is kept by a server; a scene file names its figures as files".to_owned())
            }
        };
        let (name, bytes) = read(&figure.from)?;
        let fault = |name: &str, e: nematon_formats::ReadError| format!("can't be had: {name}: {e}");
        let mut found = nematon_formats::read_figure(&name, &bytes).map_err(|e| fault(&name, e))?;
        if let Some(points) = &figure.points {
            let (name, bytes) = read(points)?;
            found = nematon_formats::with_points(found, &bytes).map_err(|e| fault(&name, e))?;
        }
        Ok(Arc::new(found))
    }

    fn painting(&self, on: &MeshSource, strokes: &[MeshSource]) -> Result<Arc<Painting>, String> {
        let mut found = nematon_formats::read_surface(&self.bytes(on)?).map_err(|e| e.to_string())?;
        for stroke in strokes {
            nematon_formats::lay_stroke(&mut found, &self.bytes(stroke)?).map_err(|e| e.to_string())?;
        }
        Ok(Arc::new(found))
    }

    fn picture(&self, from: &MeshSource) -> Result<Arc<Picture>, String> {
        nematon_formats::read_picture(&self.bytes(from)?).map(Arc::new).map_err(|e| e.to_string())
    }

    fn combed(&self, from: &MeshSource) -> Result<Arc<Combed>, String> {
        nematon_formats::read_combed(&self.bytes(from)?).map(Arc::new).map_err(|e| e.to_string())
    }

    fn curves(&self, from: &MeshSource) -> Result<Arc<Vec<Vec<[f64; 3]>>>, String> {
        let name = match from {
            MeshSource::File(name) | MeshSource::Blob(name) => name,
        };
        let read =
            nematon_formats::read_guides(name, &self.bytes(from)?).map_err(|e| format!("{name}: {e}"))?;
        Ok(Arc::new(read.into_iter().map(|c| c.points).collect()))
    }

    fn weights(&self, path: &str) -> Result<Arc<Vec<f32>>, String> {
        let text = std::fs::read_to_string(self.0.join(path)).map_err(|e| format!("{path}: {e}"))?;
        numbers(&text).map(Arc::new).map_err(|e| format!("{path}: {e}"))
    }
}

/// Numbers of a CSV file, one a line; a first line of words is its heading.
fn numbers(text: &str) -> Result<Vec<f32>, String> {
    let mut out = vec![];
    for (k, line) in text.lines().map(str::trim).enumerate().filter(|(_, l)| !l.is_empty()) {
        let cell = line.split(',').next_back().unwrap_or("").trim();
        match cell.parse::<f32>() {
            Ok(w) if (0.0..=1.0).contains(&w) => out.push(w),
            Ok(w) => return Err(format!("line {}: {w} is not from 0 to 1", k + 1)),
            Err(_) if k == 0 => {}
            Err(_) => return Err(format!("line {}: \"{cell}\" is not a number", k + 1)),
        }
    }
    Ok(out)
}

/// A body of a scene by its key; the first, where none is named.
///
/// # Errors
/// When there is none.
pub fn body_of<'s>(scene: &'s Scene, named: Option<&str>) -> Result<(BodyId, &'s Body), String> {
    let id = match named {
        Some(b) => BodyId(b.to_owned()),
        None => scene.bodies.keys().next().cloned().ok_or("The scene has no bodies.")?,
    };
    let body = scene.bodies.get(&id).ok_or_else(|| format!("There is no body \"{id}\"."))?;
    Ok((id, body))
}

/// A body with those that it touches at the first frame, come to rest where the scene asks for it, and its place among them.
///
/// # Errors
/// When they can't be run.
pub fn run_of(scene: &Scene, folder: &Folder, id: &BodyId) -> Result<(Run, usize), String> {
    let island = scene.islands().into_iter().find(|i| i.contains(id)).unwrap_or_else(|| vec![id.clone()]);
    let mut run = Run::start(scene, &island, folder).map_err(|e| e.to_string())?;
    run.settle(&NoWatch, &|_| {}).map_err(|e| e.to_string())?;
    let member = run.members.iter().position(|m| m.id == *id).unwrap_or(0);
    Ok((run, member))
}

/// Reads a scene file; its meshes are looked for beside it.
///
/// # Errors
/// All faults of the scene, a line each.
pub fn read_scene(path: &Path) -> Result<(Scene, Folder), String> {
    let text = std::fs::read_to_string(path).map_err(|e| format!("{}: {e}", path.display()))?;
    let scene = parse(&text).map_err(|faults| {
        let lines: Vec<String> = faults.iter().map(|f| format!("  {f}")).collect();
        format!("{} has {} fault(s):\n{}", path.display(), faults.len(), lines.join("\n"))
    })?;
    let folder = path.parent().map(Path::to_path_buf).unwrap_or_default();
    Ok((scene, Folder(folder)))
}

/// All scene files of a folder with the bytes of the meshes they name, by name of file.
///
/// # Errors
/// The first file that can't be read.
pub fn load_all(folder: &Path) -> Result<Vec<nematon_server::SceneFiles>, String> {
    let listed = std::fs::read_dir(folder).map_err(|e| format!("{}: {e}", folder.display()))?;
    let mut paths: Vec<PathBuf> = listed.flatten().map(|e| e.path()).collect();
    // What ends in .takes.json is of the scene of the same name.
    let takes = |p: &Path| p.to_string_lossy().ends_with(".takes.json");
    paths.retain(|p| p.extension().is_some_and(|e| e == "json") && !takes(p));
    paths.sort();
    let mut scenes = vec![];
    for path in paths {
        let (scene, Folder(beside)) = read_scene(&path)?;
        let mut meshes = vec![];
        let kept = path.with_extension("takes.json");
        let takes: Vec<nematon_server::Taken> = match std::fs::read_to_string(&kept) {
            Ok(text) => serde_json::from_str(&text).map_err(|e| format!("{}: {e}", kept.display()))?,
            Err(_) => vec![],
        };
        for source in scene.meshes() {
            if let MeshSource::File(name) = source
                && !meshes.iter().any(|(n, _)| n == name)
            {
                let bytes = read_with_parts(&beside.join(name))?;
                meshes.push((name.clone(), bytes));
            }
        }
        scenes.push(nematon_server::SceneFiles { scene, takes, meshes });
    }
    Ok(scenes)
}
