//! Imported files, from the database, read once: meshes, and figures with what moves them.
use nematon_document::{Body, MeshSource, Painted, PlantMesh, Plants, Scene, Strands, Weights};
use nematon_evaluate::{MeshLibrary, plant_of};
use nematon_figure::Figure;
use nematon_formats::{
    lay_stroke, read_combed, read_figure, read_guides, read_mesh, read_picture, read_surface, with_points,
};
use nematon_geometry::{Mesh, Modelled};
use nematon_paint::{Combed, Painting, Picture};
use nematon_store::{Store, StoreError, StoredMesh};
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, PoisonError};

type Read<T> = Result<Arc<T>, String>;
/// Rows of places.
type Curves = Vec<Vec<[f64; 3]>>;
/// A figure by its file and that of its points.
type FigureKey = (String, Option<String>);
/// A plant by its file and how many segments it has.
type PlantKey = (String, u32);

#[derive(Clone)]
pub struct StoredMeshes {
    store: Store,
    read: Arc<Mutex<HashMap<String, Read<Mesh>>>>,
    figures: Arc<Mutex<HashMap<FigureKey, Read<Figure>>>>,
    paintings: Arc<Mutex<Paintings>>,
    pictures: Arc<Mutex<HashMap<String, Read<Picture>>>>,
    combed: Arc<Mutex<HashMap<String, Read<Combed>>>>,
    curves: Arc<Mutex<HashMap<String, Read<Curves>>>>,
    plants: Arc<Mutex<HashMap<PlantKey, Read<Modelled>>>>,
}

/// Surfaces with so many strokes on them, each by its surface and its strokes; the oldest are let go.
#[derive(Default)]
struct Paintings {
    found: HashMap<Vec<String>, Read<Painting>>,
    order: VecDeque<Vec<String>>,
    points: usize,
}

/// Most plants of one file that are kept at hand.
const MOST_PLANTS: usize = 64;
/// Most points of all paintings that are kept at hand.
const MOST_PAINTED: usize = 20_000_000;

impl Paintings {
    fn keep(&mut self, key: Vec<String>, painting: Read<Painting>) {
        let size = |p: &Read<Painting>| p.as_ref().map_or(0, |p| p.weights.len());
        self.points += size(&painting);
        if let Some(old) = self.found.insert(key.clone(), painting) {
            self.points -= size(&old);
        } else {
            self.order.push_back(key);
        }
        while self.points > MOST_PAINTED && self.order.len() > 1 {
            let Some(old) = self.order.pop_front() else { break };
            self.points -= self.found.remove(&old).map_or(0, |p| size(&p));
        }
    }
}

impl StoredMeshes {
    pub fn new(store: Store) -> StoredMeshes {
        StoredMeshes {
            store,
            read: Arc::default(),
            figures: Arc::default(),
            paintings: Arc::default(),
            pictures: Arc::default(),
            combed: Arc::default(),
            curves: Arc::default(),
            plants: Arc::default(),
        }
    }

    /// Fetches and reads what a scene needs, so that the synchronous core finds it at hand.
    ///
    /// # Errors
    /// When the database is away.
    pub async fn fetch(&self, scene: &Scene) -> Result<(), StoreError> {
        for own in scene.bodies.values().filter_map(|b| b.kind.strands()) {
            self.fetch_strands(own).await?;
        }
        for own in scene.bodies.values().filter_map(|b| b.kind.plants()) {
            self.fetch_plant(own).await?;
        }
        let flat = |b: &&Body| b.kind.strands().is_none() && b.kind.plants().is_none();
        let bodies = scene.bodies.values().filter(flat);
        let bodies = bodies.flat_map(|b| b.kind.sources());
        let colliders = scene.colliders.values().flat_map(|c| c.form.sources());
        for (_, source) in bodies.chain(colliders) {
            let MeshSource::Blob(hash) = source else { continue };
            if lock(&self.read).contains_key(hash) {
                continue;
            }
            let read = self.read(hash, |f| read_mesh(&f.name, &f.bytes).map_err(|e| e.to_string())).await?;
            lock(&self.read).insert(hash.clone(), read);
        }
        for f in scene.figures.values() {
            let Some(key) = key(f) else { continue };
            if lock(&self.figures).contains_key(&key) {
                continue;
            }
            let read = |f: StoredMesh| read_figure(&f.name, &f.bytes).map_err(|e| e.to_string());
            let mut read = self.read(&key.0, read).await?;
            if let (Some(points), Ok(own)) = (&key.1, &read) {
                let own = Figure::clone(own);
                let with = |f: StoredMesh| with_points(own, &f.bytes).map_err(|e| e.to_string());
                read = self.read(points, with).await?;
            }
            lock(&self.figures).insert(key, read);
        }
        for (_, weights) in scene.weights() {
            match weights {
                Weights::Painted(Painted { on: Some(on), strokes }) => {
                    self.fetch_painting(on, strokes).await?
                }
                Weights::Picture(p) => {
                    let MeshSource::Blob(hash) = &p.from else { continue };
                    if !lock(&self.pictures).contains_key(hash) {
                        let read = |f: StoredMesh| read_picture(&f.bytes).map_err(|e| e.to_string());
                        let read = self.read(hash, read).await?;
                        lock(&self.pictures).insert(hash.clone(), read);
                    }
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// The curves that strands come from, and what combed them.
    async fn fetch_strands(&self, own: &Strands) -> Result<(), StoreError> {
        if let Some(MeshSource::Blob(hash)) = &own.curves
            && !lock(&self.curves).contains_key(hash)
        {
            let places = |f: StoredMesh| {
                let all = read_guides(&f.name, &f.bytes).map_err(|e| e.to_string())?;
                Ok(all.into_iter().map(|c| c.points).collect())
            };
            let read = self.read(hash, places).await?;
            lock(&self.curves).insert(hash.clone(), read);
        }
        for stroke in &own.combed {
            let MeshSource::Blob(hash) = stroke else { continue };
            if !lock(&self.combed).contains_key(hash) {
                let read = self.read(hash, |f| read_combed(&f.bytes).map_err(|e| e.to_string())).await?;
                lock(&self.combed).insert(hash.clone(), read);
            }
        }
        Ok(())
    }

    async fn fetch_plant(&self, own: &Plants) -> Result<(), StoreError> {
        let Some(PlantMesh { from: MeshSource::Blob(hash), segments, .. }) = &own.mesh else { return Ok(()) };
        let (key, segments) = ((hash.clone(), *segments), *segments);
        if lock(&self.plants).contains_key(&key) {
            return Ok(());
        }
        let find = move |f: StoredMesh| {
            let file = read_figure(&f.name, &f.bytes).map_err(|e| format!("can't be had: {e}"))?;
            plant_of(&file, segments)
        };
        let found = self.read(hash, find).await?;
        let mut plants = lock(&self.plants);
        // Each number of segments that was tried is one.
        if plants.keys().filter(|(file, _)| *file == key.0).count() >= MOST_PLANTS {
            plants.retain(|(file, _), _| *file != key.0);
        }
        plants.insert(key, found);
        Ok(())
    }

    /// From the most of its strokes that are at hand already.
    async fn fetch_painting(&self, on: &MeshSource, strokes: &[MeshSource]) -> Result<(), StoreError> {
        let Some(key) = painting_key(on, strokes) else { return Ok(()) };
        let (mut done, mut found) = (key.len(), None);
        while done > 0 && found.is_none() {
            found = lock(&self.paintings).found.get(&key[..done]).cloned();
            done -= usize::from(found.is_none());
        }
        let mut found = match found {
            Some(found) => found,
            None => {
                done = 1;
                self.read(&key[0], |f| read_surface(&f.bytes).map_err(|e| e.to_string())).await?
            }
        };
        if done == key.len() && lock(&self.paintings).found.contains_key(&key) {
            return Ok(());
        }
        for stroke in &key[done..] {
            let Ok(own) = &found else { break };
            let mut own = Painting::clone(own);
            let lay = |f: StoredMesh| lay_stroke(&mut own, &f.bytes).map(|()| own).map_err(|e| e.to_string());
            found = self.read(stroke, lay).await?;
        }
        lock(&self.paintings).keep(key, found);
        Ok(())
    }

    /// Reading may take a second: not on a thread that answers others.
    async fn read<T: Send + 'static>(
        &self,
        hash: &str,
        how: impl FnOnce(StoredMesh) -> Result<T, String> + Send + 'static,
    ) -> Result<Read<T>, StoreError> {
        let Some(found) = self.store.mesh(hash).await? else {
            return Ok(Err("it is not kept here. Bring it in again".into()));
        };
        let read = tokio::task::spawn_blocking(move || how(found)).await;
        Ok(read.unwrap_or_else(|e| Err(e.to_string())).map(Arc::new))
    }

    /// Forgets that a file was missing, now that it has come.
    pub fn forget(&self, hash: &str) {
        lock(&self.read).remove(hash);
        lock(&self.figures).retain(|(a, b), _| a != hash && b.as_deref() != Some(hash));
        lock(&self.pictures).remove(hash);
        lock(&self.combed).remove(hash);
        lock(&self.curves).remove(hash);
        lock(&self.plants).retain(|(a, _), _| a != hash);
        let mut paintings = lock(&self.paintings);
        let with: Vec<_> = paintings.found.keys().filter(|k| k.iter().any(|h| h == hash)).cloned().collect();
        for key in with.into_iter().filter(|k| paintings.found[k].is_err()).collect::<Vec<_>>() {
            paintings.found.remove(&key);
            paintings.order.retain(|k| *k != key);
        }
    }
}

fn lock<T>(of: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// What was fetched of a file.
fn of<T>(all: &Mutex<HashMap<String, Read<T>>>, from: &MeshSource) -> Read<T> {
    match from {
        MeshSource::Blob(hash) => {
            lock(all).get(hash).cloned().unwrap_or_else(|| Err("it was not fetched".into()))
        }
        MeshSource::File(name) => {
            Err(format!("\"{name}\" is a file beside a scene file; here files are brought in"))
        }
    }
}

/// `None` of one that names files beside a scene file.
fn key(f: &nematon_document::Figure) -> Option<FigureKey> {
    match (&f.from, &f.points) {
        (MeshSource::Blob(from), None) => Some((from.clone(), None)),
        (MeshSource::Blob(from), Some(MeshSource::Blob(points))) => {
            Some((from.clone(), Some(points.clone())))
        }
        _ => None,
    }
}

/// A surface and strokes, by their hashes; `None` where one is a file beside a scene file.
fn painting_key(on: &MeshSource, strokes: &[MeshSource]) -> Option<Vec<String>> {
    let hash = |m: &MeshSource| match m {
        MeshSource::Blob(hash) => Some(hash.clone()),
        MeshSource::File(_) => None,
    };
    std::iter::once(on).chain(strokes).map(hash).collect()
}

impl MeshLibrary for StoredMeshes {
    fn mesh(&self, source: &MeshSource) -> Read<Mesh> {
        of(&self.read, source)
    }

    fn painting(&self, on: &MeshSource, strokes: &[MeshSource]) -> Read<Painting> {
        let Some(key) = painting_key(on, strokes) else {
            return Err("it names files beside a scene file; here what is painted is kept".into());
        };
        lock(&self.paintings).found.get(&key).cloned().unwrap_or_else(|| Err("it was not fetched".into()))
    }

    fn picture(&self, from: &MeshSource) -> Read<Picture> {
        of(&self.pictures, from)
    }

    fn combed(&self, from: &MeshSource) -> Read<Combed> {
        of(&self.combed, from)
    }

    fn curves(&self, from: &MeshSource) -> Read<Curves> {
        of(&self.curves, from)
    }

    fn modelled(&self, of: &PlantMesh) -> Read<Modelled> {
        let MeshSource::Blob(hash) = &of.from else {
            return Err("is a file beside a scene file; here files are brought in".into());
        };
        let found = lock(&self.plants).get(&(hash.clone(), of.segments)).cloned();
        found.unwrap_or_else(|| Err("was not fetched".into()))
    }

    fn figure(&self, figure: &nematon_document::Figure) -> Read<Figure> {
        let Some(key) = key(figure) else {
            return Err("names a file beside a scene file; here files are brought in".into());
        };
        let found = lock(&self.figures).get(&key).cloned();
        found.unwrap_or_else(|| Err("it was not fetched".into())).map_err(|e| format!("can't be had: {e}"))
    }
}
