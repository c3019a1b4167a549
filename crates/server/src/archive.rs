//! A project as one file: a zip of its scene, as a scene file, and of the meshes it names. What the command line bakes
//! when it is unpacked.
use crate::problem::Problem;
use crate::state::App;
use nematon_document::{Fault, MAX_DOCUMENT, MeshSource, Scene, migrate, validate};
use nematon_formats::{MAX_BYTES, file_names};
use nematon_store::{StoreError, TakeChange};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::io::{Read, Seek, Write};

/// The largest file that is brought in, bytes.
pub const MAX_ARCHIVE: usize = 1 << 30;
const SCENE: &str = "scene.json";
const TAKES: &str = "takes.json";

/// A mesh of a project, on its way out.
pub struct Kept {
    pub name: String,
    pub bytes: Vec<u8>,
}

/// Gives meshes the names that they have in the file, and the scenes that name them so.
///
/// # Errors
/// When a mesh is not kept here any more.
pub async fn gather(app: &App, scenes: &[Scene]) -> Result<(Vec<Scene>, Vec<(String, String)>), Problem> {
    let mut hashes: Vec<String> = vec![];
    for m in scenes.iter().flat_map(Scene::meshes) {
        if let MeshSource::Blob(h) = m
            && !hashes.contains(h)
        {
            hashes.push(h.clone());
        }
    }
    let mut names = vec![];
    for h in &hashes {
        let name = app.store.mesh_name(h).await?;
        names.push(
            name.ok_or_else(|| Problem::unfit("The project can't be exported", "A mesh of it is gone."))?,
        );
    }
    // The ending says what kind of mesh it is, and stays.
    let stems: Vec<(String, String)> = names
        .iter()
        .map(|n| n.rsplit_once('.').map_or((n.clone(), String::new()), |(a, b)| (a.to_owned(), b.to_owned())))
        .collect();
    let files = file_names(stems.iter().map(|(s, _)| s.as_str()));
    let files: Vec<String> = files.iter().zip(&stems).map(|(f, (_, e))| format!("meshes/{f}.{e}")).collect();
    let mut out = scenes.to_vec();
    for m in out.iter_mut().flat_map(Scene::meshes_mut) {
        if let MeshSource::Blob(h) = m
            && let Some(k) = hashes.iter().position(|x| x == h)
        {
            *m = MeshSource::File(files[k].clone());
        }
    }
    Ok((out, hashes.into_iter().zip(files).collect()))
}

/// Writes a project's file; `mesh` gives the bytes of one after the other.
///
/// # Errors
/// When the sink fails or a mesh can't be had.
pub fn write(
    sink: &mut impl Write,
    scene: &Scene,
    takes: &[Taken],
    mut mesh: impl FnMut() -> Option<std::io::Result<Kept>>,
) -> std::io::Result<()> {
    let mut zip = zip::ZipWriter::new_stream(sink);
    let options = zip::write::SimpleFileOptions::default();
    zip.start_file(SCENE, options)?;
    zip.write_all(serde_json::to_string_pretty(scene)?.as_bytes())?;
    if !takes.is_empty() {
        zip.start_file(TAKES, options)?;
        zip.write_all(serde_json::to_string_pretty(takes)?.as_bytes())?;
    }
    while let Some(kept) = mesh() {
        let Kept { name, bytes } = kept?;
        zip.start_file(name, options)?;
        zip.write_all(&bytes)?;
    }
    zip.finish()?.flush()
}

/// A take as it stands in a file.
#[derive(Serialize, Deserialize)]
pub struct Taken {
    pub name: String,
    #[serde(default)]
    pub starred: bool,
    #[serde(default)]
    pub note: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub notes: Vec<Noted>,
    pub scene: serde_json::Value,
}

/// What is said of a frame of it.
#[derive(Serialize, Deserialize)]
pub struct Noted {
    pub frame: i64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub body: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub point: Option<i64>,
    pub words: String,
}

/// A scene with its takes, and the mesh files that they name.
pub struct SceneFiles {
    pub scene: Scene,
    /// The oldest first.
    pub takes: Vec<Taken>,
    /// File name and bytes of each.
    pub meshes: Vec<(String, Vec<u8>)>,
}

/// Reads a project's file.
///
/// # Errors
/// When it is none, or what it holds is no scene, or its meshes are not in it.
pub fn read(mut file: impl Read + Seek) -> Result<SceneFiles, Problem> {
    let refuse = |detail: String| Problem::unfit("That is no project's file", detail);
    let ours = "Bring in a zip that a project was exported to, or a scene as JSON.";
    let mut head = [0; 64];
    let short = |_| refuse(format!("It can't be read. {ours}"));
    file.rewind().map_err(short)?;
    let n = file.read(&mut head).map_err(short)?;
    file.rewind().map_err(short)?;
    let head = &head[..n];
    if head.is_empty() {
        return Err(refuse(format!("It is empty. {ours}")));
    }
    // A scene alone, without the files that it may name.
    if head.iter().find(|c| !c.is_ascii_whitespace()) == Some(&b'{') {
        let mut text = vec![];
        file.take(MAX_DOCUMENT as u64 + 1).read_to_end(&mut text).map_err(short)?;
        if text.len() > MAX_DOCUMENT {
            return Err(refuse(format!("As a scene it is too large: {MAX_DOCUMENT} bytes at most.")));
        }
        let value = serde_json::from_slice(&text).map_err(|e| {
            refuse(format!("It is no JSON: it breaks off or goes wrong in line {}. {ours}", e.line()))
        })?;
        return scene_of(value, vec![], |name| {
            Err(format!(
                "names the file \"{name}\", which a scene alone doesn't bring: zip both, the scene as {SCENE}"
            ))
        });
    }
    if !head.starts_with(b"PK") {
        return Err(refuse(format!("{} {ours}", nematon_formats::seems("The file", head))));
    }
    let mut zip = zip::ZipArchive::new(file).map_err(|_| {
        refuse("It is a zip that is cut short or damaged: export or copy it once more.".into())
    })?;
    // Packed by hand its files may stand in a folder.
    let names: Vec<String> = zip.file_names().flatten().map(std::borrow::Cow::into_owned).collect();
    let found =
        names.iter().find(|n| **n == SCENE || (n.ends_with(&format!("/{SCENE}")) && !n.contains("__MACOSX")));
    let Some(scene) = found.cloned() else {
        return Err(refuse(format!("It is a zip without a {SCENE}. {ours}")));
    };
    let folder = scene.strip_suffix(SCENE).unwrap_or_default().to_owned();
    let mut entry = |name: &str, most: usize| -> Result<Vec<u8>, String> {
        let file = zip
            .by_name(&format!("{folder}{name}"))
            .map_err(|_| format!("names \"{name}\", which is not in the zip"))?;
        let mut bytes = vec![];
        // By what comes and not by what it says it has.
        file.take(most as u64 + 1)
            .read_to_end(&mut bytes)
            .map_err(|_| format!("\"{name}\" in the zip is damaged"))?;
        if bytes.len() > most { Err(format!("\"{name}\" has more than {most} bytes")) } else { Ok(bytes) }
    };
    let text = entry(SCENE, MAX_DOCUMENT).map_err(refuse)?;
    let value = serde_json::from_slice(&text)
        .map_err(|e| refuse(format!("Its {SCENE} is no JSON: it goes wrong in line {}.", e.line())))?;
    let mut takes = vec![];
    if names.contains(&format!("{folder}{TAKES}")) {
        let text = entry(TAKES, MAX_ARCHIVE / 4).map_err(refuse)?;
        takes = serde_json::from_slice(&text)
            .map_err(|e| refuse(format!("Its {TAKES} can't be read: it goes wrong in line {}.", e.line())))?;
    }
    scene_of(value, takes, |name| entry(name, MAX_BYTES))
}

/// A scene with the files that it names, as `entry` gives them.
fn scene_of(
    value: serde_json::Value,
    mut takes: Vec<Taken>,
    mut entry: impl FnMut(&str) -> Result<Vec<u8>, String>,
) -> Result<SceneFiles, Problem> {
    let value: serde_json::Value = migrate(value);
    let scene = validate(&value).map_err(|f| Problem::faults("Its scene can't be read", f))?;
    let mut scenes = vec![];
    for take in &mut takes {
        take.scene = migrate(std::mem::take(&mut take.scene));
        let unfit = |f| Problem::faults(&format!("Its take \"{}\" can't be read", take.name), f);
        scenes.push(validate(&take.scene).map_err(unfit)?);
    }
    let (mut meshes, mut faults) = (HashMap::new(), vec![]);
    for (path, source) in std::iter::once(&scene).chain(&scenes).flat_map(Scene::sources) {
        let name = match source {
            MeshSource::File(name) => name,
            MeshSource::Blob(_) => {
                faults.push(Fault::of(&value, path, "names a mesh of another place, and not a file"));
                continue;
            }
        };
        if !meshes.contains_key(name) {
            match entry(name).and_then(|b| {
                nematon_formats::check_file(name, &b).map(|()| b).map_err(|e| format!("\"{name}\": {e}"))
            }) {
                Ok(bytes) => drop(meshes.insert(name.clone(), bytes)),
                Err(message) => faults.push(Fault::of(&value, path, message)),
            }
        }
    }
    if !faults.is_empty() {
        return Err(Problem::faults("Its meshes can't be read", faults));
    }
    Ok(SceneFiles { meshes: meshes.into_iter().collect(), takes, scene })
}

/// Keeps a project with its takes, and the meshes that they name, which they then name as they are kept here. Its number.
///
/// # Errors
/// When the database is away.
pub async fn keep(app: &App, files: SceneFiles) -> Result<i64, StoreError> {
    let SceneFiles { scene, takes, meshes } = files;
    let mut scenes = vec![scene];
    for take in &takes {
        scenes.push(serde_json::from_value(take.scene.clone())?);
    }
    for (name, bytes) in meshes {
        let hash = blake3::hash(&bytes).to_hex().to_string();
        app.store.keep_mesh(&hash, name.rsplit('/').next().unwrap_or(&name), &bytes).await?;
        app.meshes.forget(&hash);
        let named = |m: &&mut MeshSource| **m == MeshSource::File(name.clone());
        for m in scenes.iter_mut().flat_map(Scene::meshes_mut).filter(named) {
            *m = MeshSource::Blob(hash.clone());
        }
    }
    let id = app.store.create_project(&scenes[0].name, &serde_json::to_value(&scenes[0])?).await?;
    for (take, scene) in takes.iter().zip(&scenes[1..]) {
        let made = app.store.keep_take(id, &take.name, &take.note, &serde_json::to_value(scene)?).await?;
        let change = TakeChange { starred: Some(take.starred), ..TakeChange::default() };
        app.store.change_take(id, made.id, &change).await?;
        for n in &take.notes {
            app.store.note_take(id, made.id, (n.frame, n.body.as_deref(), n.point), &n.words).await?;
        }
    }
    Ok(id)
}
