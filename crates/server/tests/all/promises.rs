//! What the server promises, asked over HTTP of the real program (`NEMATON_PROGRAM`, see `./test`).
use nematon_store::Store;
use reqwest::{Client, Method, RequestBuilder};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::SeqCst};
use std::time::{Duration, Instant};

struct Server {
    child: Child,
    address: String,
    database: String,
    http: Client,
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

async fn fresh() -> String {
    let url =
        std::env::var("NEMATON_TEST_DATABASE").expect("run ./test: it starts the database that this needs");
    Store::open_fresh(&url).await.unwrap().1
}

fn start(database: &str) -> Server {
    start_keeping(database, "20GB")
}

fn start_keeping(database: &str, keep: &str) -> Server {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let program = std::env::var("NEMATON_PROGRAM").unwrap_or(format!("{root}/target/release/nematon"));
    let mut child = Command::new(program)
        .args([
            "serve",
            "--database",
            database,
            "--port",
            "0",
            "--threads",
            "1",
            "--keep",
            keep,
            "--demo",
            &format!("{root}/demo"),
        ])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let address = lines.find_map(|l| l.unwrap().strip_prefix("Nematon is at ").map(str::to_owned)).unwrap();
    Server { child, address, database: database.to_owned(), http: Client::new() }
}

impl Server {
    async fn new() -> Server {
        start(&fresh().await)
    }

    fn ask(&self, method: Method, path: &str) -> RequestBuilder {
        self.http.request(method, format!("{}/api{path}", self.address))
    }

    async fn get(&self, path: &str) -> Value {
        self.ask(Method::GET, path).send().await.unwrap().json().await.unwrap()
    }

    async fn edit(&self, revision: i64, patch: Value) -> (u16, Value) {
        let body = json!({"revision": revision, "label": "edit", "patch": patch});
        let r = self.ask(Method::PATCH, "/projects/1").json(&body).send().await.unwrap();
        (r.status().as_u16(), r.json().await.unwrap())
    }

    /// Waits until the latest run is so.
    async fn until(&self, what: &str, so: impl Fn(&Value) -> bool) -> Value {
        let start = Instant::now();
        let mut last = Value::Null;
        // However busy the machine is.
        while start.elapsed() < Duration::from_secs(240) {
            if let Ok(r) = self.ask(Method::GET, "/projects/1/runs").send().await
                && let Ok(runs) = r.json::<Value>().await
                && runs.is_array()
            {
                last = runs[0].clone();
                if so(&last) {
                    return last;
                }
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("never: {what}; last {last}");
    }

    /// Peak of the process' memory so far, bytes.
    fn peak(&self) -> usize {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap();
        let line = status.lines().find(|l| l.starts_with("VmHWM:")).unwrap();
        line.split_whitespace().nth(1).unwrap().parse::<usize>().unwrap() * 1024
    }

    async fn run(&self) {
        let r = self.ask(Method::POST, "/projects/1/runs").json(&json!({})).send().await.unwrap();
        assert_eq!(r.status(), 202);
    }
}

fn sub_steps(n: u32) -> Value {
    json!([{"op": "add", "path": "/frames/substeps", "value": n}])
}

#[tokio::test]
async fn foreign_hosts_and_origins_are_refused() {
    let s = Server::new().await;
    for (name, value) in [
        ("host", "evil.example"),
        ("host", "evil.example:80"),
        ("origin", "http://evil.example"),
        ("origin", "null"),
    ] {
        let r = s.ask(Method::GET, "/projects").header(name, value).send().await.unwrap();
        assert_eq!(r.status(), 403, "{name}: {value}");
        assert_eq!(r.headers()["content-type"], "application/problem+json");
    }
    let r = s.ask(Method::GET, "/projects").header("origin", s.address.clone()).send().await.unwrap();
    assert_eq!(r.status(), 200);
    // Loopback only: the machine's other addresses have nothing at this port.
    let port: u16 = s.address.rsplit(':').next().unwrap().parse().unwrap();
    if let Ok(all) = std::net::UdpSocket::bind("0.0.0.0:0").and_then(|u| {
        u.connect("10.255.255.255:1")?;
        u.local_addr()
    }) {
        assert!(all.ip().is_loopback() || TcpStream::connect((all.ip(), port)).is_err());
    }
}

#[tokio::test]
async fn what_may_change_is_told_anew_and_frames_are_kept() {
    let s = Server::new().await;
    let cached = async |path: &str| {
        let told = s.ask(Method::GET, path).send().await.unwrap();
        told.headers()["cache-control"].to_str().unwrap().to_owned()
    };
    for path in ["/projects", "/projects/1", "/projects/1/lanes", "/projects/1/runs", "/nothing"] {
        assert_eq!(cached(path).await, "no-store", "{path}");
    }
    s.edit(0, json!([{"op": "replace", "path": "/frames/last", "value": 2}])).await;
    s.run().await;
    s.until("it is done", |r| r["state"] == "done").await;
    let lanes = s.get("/projects/1/lanes").await;
    let chunk = &lanes["lanes"][0]["stretches"][0]["chunk"];
    assert!(cached(&format!("/chunks/{chunk}/wire")).await.contains("immutable"), "{lanes}");
}

#[tokio::test]
async fn an_edit_lists_all_its_faults_and_a_stale_one_gets_the_project_as_it_is() {
    let s = Server::new().await;
    let two = json!([
        {"op": "replace", "path": "/fields/ridge-wind/act/wind/speed", "value": 1e9},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/matter/thickness", "value": 0}
    ]);
    let (status, problem) = s.edit(0, two).await;
    assert_eq!((status, problem["faults"].as_array().unwrap().len()), (422, 2), "{problem}");
    let (status, now) = s.edit(0, sub_steps(16)).await;
    assert_eq!((status, now["revision"].as_i64()), (200, Some(1)));
    let (status, now) = s.edit(0, sub_steps(12)).await;
    assert_eq!((status, now["scene"]["frames"]["substeps"].as_i64()), (409, Some(16)));
    let (status, problem) =
        s.edit(1, json!([{"op": "replace", "path": "/bodies/tent/name", "value": "x"}])).await;
    assert_eq!((status, problem["title"].as_str()), (422, Some("That edit can't be made")));
    let empty = json!([{"op": "add", "path": "/bodies/landing-canopy/grips/g", "value": {"name": "G", "points": []}}]);
    assert_eq!(s.edit(1, empty).await.0, 422, "a grip on no points");
    let undone = s.ask(Method::POST, "/projects/1/undo").json(&json!({"revision": 1})).send().await.unwrap();
    assert_eq!(undone.json::<Value>().await.unwrap()["scene"]["frames"]["substeps"], Value::Null);
    let nothing = s.ask(Method::POST, "/projects/1/undo").json(&json!({"revision": 2})).send().await.unwrap();
    assert_eq!(nothing.status(), 409);
}

#[tokio::test]
async fn what_is_not_there_or_not_readable_is_a_problem_and_not_a_crash() {
    let s = Server::new().await;
    for path in [
        "/projects/99",
        "/chunks/99/wire",
        "/projects/1/bodies/tent/shape",
        "/nowhere",
        "/projects/one",
        "/projects/1/files/npy?first=x",
        "/runs/x/cancel",
        "/projects/1/files/gif",
    ] {
        let r = s.ask(Method::GET, path).send().await.unwrap();
        assert!([400, 404, 405, 409].contains(&r.status().as_u16()), "{path}: {}", r.status());
        if r.status() == 405 {
            continue;
        }
        assert_eq!(r.headers()["content-type"], "application/problem+json", "{path}");
    }
    let r = s
        .ask(Method::PATCH, "/projects/1")
        .body("{nonsense")
        .header("content-type", "application/json")
        .send()
        .await
        .unwrap();
    assert_eq!(r.status(), 400);
    let untrue = s.ask(Method::GET, "/projects/1/files/npy").send().await.unwrap();
    assert!(untrue.text().await.unwrap().contains("Run it first"));
}

#[tokio::test]
async fn an_interrupted_or_oversized_upload_keeps_nothing() {
    let s = Server::new().await;
    let host = s.address.strip_prefix("http://").unwrap().to_owned();
    let mut cut = TcpStream::connect(&host).unwrap();
    write!(cut, "POST /api/meshes?name=a.obj HTTP/1.1\r\nHost: {host}\r\nContent-Length: 100000\r\n\r\nv 0 0 0\nv 1 0 0\n").unwrap();
    drop(cut);
    let mut large = TcpStream::connect(&host).unwrap();
    large.set_read_timeout(Some(Duration::from_secs(10))).unwrap();
    write!(large, "POST /api/meshes?name=a.obj HTTP/1.1\r\nHost: {host}\r\nContent-Length: 90000000\r\n\r\n")
        .unwrap();
    let mut answer = [0; 400];
    let n = large.read(&mut answer).unwrap();
    let text = String::from_utf8_lossy(&answer[..n]).into_owned();
    assert!(text.starts_with("HTTP/1.1 413"), "{text}");
    let good = s
        .ask(Method::POST, "/meshes?name=a.obj")
        .body("v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n")
        .send()
        .await
        .unwrap();
    let mesh: Value = good.json().await.unwrap();
    assert_eq!((mesh["points"].as_i64(), mesh["triangles"].as_i64()), (Some(3), Some(1)));
    // What was cut off is not there: only the whole file is kept, under its own name.
    let store = Store::open(&s.database).await.unwrap();
    assert_eq!(store.mesh(mesh["blob"].as_str().unwrap()).await.unwrap().unwrap().name, "a.obj");
}

#[tokio::test]
async fn a_run_goes_on_after_the_server_was_killed() {
    let s = Server::new().await;
    s.edit(0, sub_steps(120)).await;
    s.run().await;
    let at = s.until("some frames are there", |r| r["done"].as_i64() > Some(20)).await;
    assert!(at["computed"].as_i64() > Some(20));
    let database = s.database.clone();
    drop(s); // kill -9
    let s = start(&database);
    let done = s.until("it is done", |r| r["state"] == "done").await;
    assert_eq!(done["done"].as_i64(), Some(241));
    assert_eq!(done["computed"], 241, "of both turns: what was stored was not computed again: {done}");
    let lanes = s.get("/projects/1/lanes").await;
    assert_eq!(lanes["lanes"][0]["counts"]["true"], 241);
}

/// Passes bytes on to the database, unless it is away.
fn gate(to: &str) -> (String, Arc<AtomicBool>) {
    let (base, name) = to.rsplit_once('/').unwrap();
    let (user, host) = base.rsplit_once('@').unwrap();
    let (host, listener) = (host.to_owned(), TcpListener::bind("127.0.0.1:0").unwrap());
    let address = format!("{user}@127.0.0.1:{}/{name}", listener.local_addr().unwrap().port());
    let away = Arc::new(AtomicBool::new(false));
    let state = away.clone();
    std::thread::spawn(move || {
        for near in listener.incoming().flatten() {
            if state.load(SeqCst) {
                continue; // Dropped: refused.
            }
            let far = TcpStream::connect(&host).unwrap();
            for (mut from, mut to) in [(near.try_clone().unwrap(), far.try_clone().unwrap()), (far, near)] {
                let state = state.clone();
                from.set_read_timeout(Some(Duration::from_millis(50))).unwrap();
                std::thread::spawn(move || {
                    let mut bytes = [0; 65536];
                    loop {
                        if state.load(SeqCst) {
                            let _ = from.shutdown(std::net::Shutdown::Both);
                            let _ = to.shutdown(std::net::Shutdown::Both);
                            return;
                        }
                        match from.read(&mut bytes) {
                            Ok(0) => return,
                            Ok(n) => {
                                if to.write_all(&bytes[..n]).is_err() {
                                    return;
                                }
                            }
                            Err(e)
                                if matches!(
                                    e.kind(),
                                    std::io::ErrorKind::WouldBlock | std::io::ErrorKind::TimedOut
                                ) => {}
                            Err(_) => return,
                        }
                    }
                });
            }
        }
    });
    (address, away)
}

#[tokio::test]
async fn a_database_that_stops_in_the_middle_of_a_run_loses_nothing() {
    let (address, away) = gate(&fresh().await);
    let s = start(&address);
    s.edit(0, sub_steps(100)).await;
    s.run().await;
    s.until("some frames are there", |r| r["done"].as_i64() > Some(10)).await;
    away.store(true, SeqCst);
    tokio::time::sleep(Duration::from_millis(1500)).await;
    let r = s.ask(Method::GET, "/projects/1").send().await.unwrap();
    assert_eq!(r.status(), 503);
    assert!(r.text().await.unwrap().contains("Nothing stored is lost"));
    tokio::time::sleep(Duration::from_secs(3)).await;
    away.store(false, SeqCst);
    let done = s.until("it is done", |r| r["state"] == "done").await;
    assert_eq!(done["done"].as_i64(), Some(241), "{done}");
    assert_eq!(s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"], 241);
}

#[tokio::test]
async fn an_explosion_ends_the_run_with_body_and_cause_and_keeps_the_frames_before() {
    let s = Server::new().await;
    let patch = json!([
        {"op": "replace", "path": "/frames", "value": {"first": 0, "last": 80, "rate": 1, "substeps": 4}},
        {"op": "replace", "path": "/bodies/landing-canopy/grips", "value": {}},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/matter/drag", "value": 0},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/matter/lift", "value": 0},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": 4},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": 4},
        {"op": "remove", "path": "/floor"}
    ]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    s.run().await;
    let failed = s.until("it fails", |r| r["state"] == "failed").await;
    let words = failed["message"].as_str().unwrap();
    assert!(words.contains("Landing canopy exploded at frame") && words.contains("falls free"), "{words}");
    let kept = s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"].as_i64().unwrap();
    assert!((40..60).contains(&kept), "{kept}");
}

#[tokio::test]
async fn files_from_the_server_are_within_the_promised_error_of_the_bake() {
    let s = Server::new().await;
    s.edit(0, json!([{"op": "replace", "path": "/frames/last", "value": 30}])).await;
    s.run().await;
    s.until("it is done", |r| r["state"] == "done").await;
    let served = s.ask(Method::GET, "/projects/1/files/npy").send().await.unwrap().bytes().await.unwrap();
    let out = std::env::temp_dir().join(format!("nematon-bake-{}", std::process::id()));
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let program = std::env::var("NEMATON_PROGRAM").unwrap_or(format!("{root}/target/release/nematon"));
    let done = Command::new(program)
        .args(["bake", &format!("{root}/demo/thistledown-relay.json"), "--frames", "0..30", "--out"])
        .arg(&out)
        .status()
        .unwrap();
    assert!(done.success());
    let baked = std::fs::read(out.join("Landing canopy.npy")).unwrap();
    let numbers = |b: &[u8]| {
        b[128..].chunks_exact(4).map(|c| f32::from_le_bytes([c[0], c[1], c[2], c[3]])).collect::<Vec<_>>()
    };
    let (a, b) = (numbers(&served), numbers(&baked));
    assert_eq!(a.len(), b.len());
    let worst = a.iter().zip(&b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    // The canopy is 4.2 m long: a 50,000th of that.
    assert!(worst <= 0.000_09, "off by {worst} m");
    let _ = std::fs::remove_dir_all(out);
}

#[tokio::test]
async fn every_route_stands_in_the_document_that_is_served() {
    let s = Server::new().await;
    let api = s.get("/openapi.json").await;
    let paths = api["paths"].as_object().unwrap();
    for path in [
        "/api/schema",
        "/api/projects/{id}/events",
        "/api/openapi.json",
        "/api/space",
        "/api/projects/import",
    ] {
        assert!(paths.contains_key(path), "{path} is missing");
    }
    let files = &paths["/api/projects/{id}/files/{format}"]["get"]["parameters"];
    assert!(files.as_array().unwrap().iter().any(|p| p["name"] == "first" && p["in"] == "query"), "{files}");
    // Whatever is named is described.
    let text = api.to_string();
    for name in text.split("#/components/schemas/").skip(1).map(|s| s.split('"').next().unwrap()) {
        assert!(api["components"]["schemas"][name].is_object(), "{name}");
    }
}

#[tokio::test]
async fn a_scene_that_names_files_is_refused_with_all_of_them() {
    let s = Server::new().await;
    let patch = json!([
        {"op": "add", "path": "/colliders", "value": {"h": {"name": "H", "form": {"hull": {"from": {"file": "d.obj"}}}}}},
        {"op": "add", "path": "/bodies/landing-canopy/kind/cloth/rest", "value": {"shape": {"mesh": {"file": "b.obj"}}}},
        {"op": "add", "path": "/bodies/landing-canopy/maps", "value": {"m": {"name": "M", "layers": [{"weights": {"file": "c.csv"}}]}}}
    ]);
    let (status, problem) = s.edit(0, patch).await;
    let paths: Vec<&str> =
        problem["faults"].as_array().unwrap().iter().map(|f| f["path"].as_str().unwrap()).collect();
    assert_eq!(status, 422);
    assert_eq!(paths.len(), 3, "{paths:?}");
    assert!(paths.contains(&"/bodies/landing-canopy/maps/m/layers/0/weights/file"));
}

#[tokio::test]
async fn copies_that_double_the_scene_are_refused_at_once_and_nothing_changes() {
    let s = Server::new().await;
    let before = s.peak();
    let patch: Vec<Value> =
        (0..40).map(|k| json!({"op": "copy", "from": "", "path": format!("/bodies/c{k}")})).collect();
    let (status, problem) = s.edit(0, json!(patch)).await;
    assert_eq!(status, 422, "{problem}");
    assert!(problem["detail"].as_str().unwrap().contains("nested"), "{problem}");
    assert_eq!(s.get("/projects/1").await["revision"], 0);
    assert!(s.peak() < before + (200 << 20), "{} MB", s.peak() >> 20);
}

#[tokio::test]
async fn a_project_is_renamed_copied_removed_and_brought_back() {
    let s = Server::new().await;
    let (status, named) = s.edit(0, json!([{"op": "replace", "path": "/name", "value": "Ärmel/1"}])).await;
    assert_eq!((status, named["name"].as_str()), (200, Some("Ärmel/1")));
    for name in ["Ärmel/1 copy", "Ärmel/1 copy 2"] {
        let r = s.ask(Method::POST, "/projects/1/copy").send().await.unwrap();
        assert_eq!(r.status(), 201);
        assert_eq!(r.json::<Value>().await.unwrap()["name"], name);
    }
    let count = s.get("/projects").await.as_array().unwrap().len();
    let gone = s.ask(Method::DELETE, "/projects/1").send().await.unwrap();
    assert!(gone.json::<Value>().await.unwrap()["removed"].as_i64().unwrap() > 1_700_000_000);
    assert_eq!(s.ask(Method::GET, "/projects/1").send().await.unwrap().status(), 404);
    assert_eq!(s.get("/projects").await.as_array().unwrap().len(), count - 1);
    assert_eq!(s.get("/projects?removed=true").await[0]["id"], 1);
    let back = s.ask(Method::POST, "/projects/1/restore").send().await.unwrap();
    assert_eq!(back.json::<Value>().await.unwrap()["name"], "Ärmel/1");
    assert_eq!(s.ask(Method::DELETE, "/projects/99").send().await.unwrap().status(), 404);
}

#[tokio::test]
async fn a_project_goes_out_as_one_file_with_its_meshes_and_comes_in_again() {
    let s = Server::new().await;
    let obj = "v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nf 1 2 3 4\n";
    let mesh = s.ask(Method::POST, "/meshes?name=Flag.obj").body(obj).send().await.unwrap();
    let blob = mesh.json::<Value>().await.unwrap()["blob"].clone();
    let patch = json!([
        {"op": "replace", "path": "/bodies/landing-canopy/grips", "value": {}},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape", "value": {"mesh": {"from": {"blob": blob}, "refine": 2}}},
        {"op": "replace", "path": "/frames/last", "value": 6}
    ]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    s.run().await;
    s.until("it is done", |r| r["state"] == "done").await;
    // A take goes along, with what is said of it.
    let kept = json!({"name": "Light", "note": "lively"});
    let kept = s.ask(Method::POST, "/projects/1/takes").json(&kept).send().await.unwrap();
    let kept: Value = kept.json().await.unwrap();
    let star =
        s.ask(Method::PATCH, &format!("/projects/1/takes/{}", kept["id"])).json(&json!({"starred": true}));
    assert_eq!(star.send().await.unwrap().status(), 200);
    let note = json!({"frame": 4, "body": "landing-canopy", "point": 0, "words": "turns up"});
    let noted = s.ask(Method::POST, &format!("/projects/1/takes/{}/notes", kept["id"])).json(&note);
    assert_eq!(noted.send().await.unwrap().status(), 201);
    let out = s.ask(Method::GET, "/projects/1/export").send().await.unwrap();
    assert!(out.headers()["content-disposition"].to_str().unwrap().contains("Thistledown"));
    let file = out.bytes().await.unwrap();
    // Into a place that has never seen it.
    let other = Server::new().await;
    let r = other.ask(Method::POST, "/projects/import").body(file.clone()).send().await.unwrap();
    let (status, project) = (r.status(), r.json::<Value>().await.unwrap());
    assert_eq!(status, 201, "{project}");
    assert_eq!(project["scene"], s.get("/projects/1").await["scene"], "the very same scene");
    let lanes = other.get(&format!("/projects/{}/lanes", project["id"])).await;
    assert!(lanes["lanes"][0]["fault"].is_null(), "its mesh is there: {lanes}");
    let takes = other.get(&format!("/projects/{}/takes", project["id"])).await;
    assert_eq!(
        (&takes[0]["name"], &takes[0]["note"], &takes[0]["starred"]),
        (&json!("Light"), &json!("lively"), &json!(true))
    );
    let there = &takes[0]["notes"][0];
    assert!(["frame", "body", "point", "words"].iter().all(|k| there[k] == note[k]), "{there}");
    // Its frames are not here yet, and can be asked for: beside a run of the scene, which it keeps nobody from.
    let take = format!("/projects/{}/takes/{}", project["id"], takes[0]["id"]);
    let run = other.ask(Method::POST, &format!("{take}/run")).send().await.unwrap();
    assert_eq!(run.status(), 202);
    assert_eq!(run.json::<Value>().await.unwrap()["take"], takes[0]["id"]);
    for _ in 0..400 {
        if other.get(&format!("{take}/lanes")).await[0]["counts"]["missing"] == 0 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    assert_eq!(other.get(&format!("{take}/lanes")).await[0]["counts"]["missing"], 0);
    let gone = other.ask(Method::POST, &format!("/projects/{}/takes/999/run", project["id"]));
    assert_eq!(gone.send().await.unwrap().status(), 404);
    // And unpacked it is a scene file that the command line bakes.
    let folder = std::env::temp_dir().join(format!("nematon-export-{}", std::process::id()));
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(file.to_vec())).unwrap();
    zip.extract(&folder).unwrap();
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let program = std::env::var("NEMATON_PROGRAM").unwrap_or(format!("{root}/target/release/nematon"));
    let (scene, out) = (folder.join("scene.json"), folder.join("out"));
    let baked = Command::new(program).arg("bake").arg(scene).arg("--out").arg(out).status();
    assert!(baked.unwrap().success());
    let _ = std::fs::remove_dir_all(folder);
    // What is cut short, or no such file, is refused and keeps nothing.
    let count = other.get("/projects").await.as_array().unwrap().len();
    let import = async |bytes: Vec<u8>| {
        let r = other.ask(Method::POST, "/projects/import").body(bytes).send().await.unwrap();
        (r.status().as_u16(), r.json::<Value>().await.unwrap())
    };
    let mut without = zip::ZipWriter::new(std::io::Cursor::new(vec![]));
    without.start_file("notes.txt", zip::write::SimpleFileOptions::default()).unwrap();
    let without = without.finish().unwrap().into_inner();
    for (bad, says) in [
        (file[..file.len() / 2].to_vec(), "cut short or damaged"),
        (b"nonsense".to_vec(), "of a kind that is not known here"),
        (b"\x89PNG\r\n".to_vec(), "a picture"),
        (b"{\"nematon\": 2,".to_vec(), "no JSON"),
        (without, "without a scene.json"),
        (vec![], "empty"),
    ] {
        let (status, told) = import(bad).await;
        let detail = told["detail"].as_str().unwrap();
        assert!(
            status == 422 && detail.contains(says) && detail.contains("Bring in") | detail.contains("export"),
            "{told}"
        );
    }
    assert_eq!(other.get("/projects").await.as_array().unwrap().len(), count);
    // A scene alone is one too, where it names no files.
    let alone = json!({"nematon": 2, "name": "Alone", "frames": {"first": 0, "last": 9}, "bodies": {}});
    let (status, made) = import(alone.to_string().into_bytes()).await;
    assert_eq!((status, &made["name"]), (201, &json!("Alone")), "{made}");
    let mut named = alone;
    named["bodies"] = json!({"flag": {"name": "Flag", "kind": {"cloth": {"shape": {"mesh": {"from": {"file": "flag.obj"}}}}}}});
    let (status, told) = import(named.to_string().into_bytes()).await;
    assert!(status == 422 && told["detail"].as_str().unwrap().contains("zip both"), "{told}");
}

#[tokio::test]
async fn beyond_the_limit_what_nobody_asks_for_goes_and_undo_steps_and_takes_keep_theirs() {
    let s = start_keeping(&fresh().await, "1B");
    let short = json!([{"op": "replace", "path": "/frames/last", "value": 12}]);
    s.edit(0, short).await;
    // Fifteen takes of other scenes, the first three of which no lane looks at any more.
    for k in 0..15 {
        s.edit(1 + k, json!([{"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/matter/bend_warp", "value": 1e-4 + 1e-5 * k as f64}])).await;
        s.run().await;
        s.until("it is done", |r| r["state"] == "done" && r["revision"].as_i64() == Some(2 + k)).await;
    }
    tokio::time::sleep(Duration::from_millis(2500)).await;
    let space = s.get("/space").await;
    assert!(
        space["frames"].as_i64().unwrap() > 0 && space["limit"] == 1,
        "all is asked for by undo steps: {space}"
    );
    for k in (0..15).rev() {
        let at = json!({"revision": 16 + (14 - k)});
        let r = s.ask(Method::POST, "/projects/1/undo").json(&at).send().await.unwrap();
        assert_eq!(r.status(), 200, "{}", r.text().await.unwrap());
        let lanes = s.get("/projects/1/lanes").await;
        let want = if k == 0 { 0 } else { 13 };
        assert_eq!(lanes["lanes"][0]["counts"]["true"], want, "undone to before {k}");
    }
    // A new edit ends redo: what only that asked for may go.
    s.edit(31, json!([{"op": "replace", "path": "/name", "value": "Anew"}])).await;
    s.run().await;
    s.until("it is done", |r| r["state"] == "done" && r["revision"].as_i64() == Some(32)).await;
    let start = Instant::now();
    while s.get("/space").await["frames"].as_i64().unwrap() >= space["frames"].as_i64().unwrap() {
        assert!(start.elapsed() < Duration::from_secs(20), "nothing went");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    assert_eq!(s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"], 13);
}

#[tokio::test]
async fn a_run_is_cancelled_within_a_second_whatever_it_is_at() {
    let s = Server::new().await;
    // Six hundred by four hundred points: seconds to build, seconds a frame.
    let patch = json!([
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": 600},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": 400},
        {"op": "add", "path": "/frames/substeps", "value": 200}
    ]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    for wait in [600, 9000] {
        s.run().await;
        s.until("it runs", |r| r["state"] == "running").await;
        tokio::time::sleep(Duration::from_millis(wait)).await;
        let run = s.get("/projects/1/runs").await[0]["id"].as_i64().unwrap();
        s.ask(Method::POST, &format!("/runs/{run}/cancel")).send().await.unwrap();
        let start = Instant::now();
        s.until("it is cancelled", |r| r["state"] == "cancelled").await;
        println!("cancelled after {:?}", start.elapsed());
        // Generous, for these machines are noisy: a frame of this takes half a minute.
        assert!(start.elapsed() < Duration::from_secs(4), "{:?}", start.elapsed());
    }
}

#[tokio::test]
async fn a_delivery_goes_out_as_it_is_read() {
    let s = Server::new().await;
    let patch = json!([
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": 200},
        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": 200},
        {"op": "replace", "path": "/frames/last", "value": 119},
        {"op": "add", "path": "/frames/substeps", "value": 1}
    ]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    // Frames as a worker would have kept them, without the wait: the same chunk under all keys.
    let scene: nematon_document::Scene =
        serde_json::from_value(s.get("/projects/1").await["scene"].clone()).unwrap();
    let body = scene.bodies.keys().next().unwrap().clone();
    let prints = nematon_evaluate::fingerprints(&scene, &[body], &nematon_evaluate::NoMeshes).unwrap();
    let frame: Vec<[f32; 3]> =
        (0..40_000).map(|k| [0.01 * (k % 200) as f32, (k as f32).sin(), 1.0]).collect();
    let store = Store::open(&s.database).await.unwrap();
    for keys in prints[0].chunks(24) {
        let packed = nematon_frames::Chunk::of(&vec![frame.clone(); keys.len()], 5e-5).pack().unwrap();
        let keys: Vec<_> = keys.iter().map(|p| p.0).collect();
        nematon_frames::FrameStore::keep(&store, &keys, &packed).await.unwrap();
    }
    let path = |f: &str| format!("/projects/1/files/{f}?normals=false");
    assert_eq!(s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"], 120);
    let before = s.peak();
    let whole = 120 * 40_000 * 12;
    for (format, least) in [("npy", 128 + whole), ("usda", whole), ("usdc", whole), ("obj", 1 << 20)] {
        // Packing takes most of its time: a fifth of them shows as much.
        let last = if format == "obj" { "&last=23" } else { "" };
        let mut r = s.ask(Method::GET, &(path(format) + last)).send().await.unwrap();
        assert_eq!(r.status(), 200);
        let mut size = 0;
        while let Some(part) = r.chunk().await.unwrap() {
            size += part.len();
        }
        assert!(size >= least, "{format}: {size}");
        println!("{format}: {size} bytes, peak {} MB, {} MB before", s.peak() >> 20, before >> 20);
    }
    // 136 MB as text, and what a run of frames takes while it is read, some 78 MB: none of it is held, or it would be as much more.
    assert!(s.peak() < before + (110 << 20), "{} MB more", (s.peak() - before) >> 20);
    // One that breaks off goes on where it was, with what it said of itself; and not once the scene is another.
    let all = s.ask(Method::GET, &(path("usdc") + "&last=9")).send().await.unwrap();
    let tag = all.headers()["nematon-tag"].to_str().unwrap().to_owned();
    let all = all.bytes().await.unwrap();
    let from = all.len() / 3;
    let on = |tag: &str| path("usdc") + &format!("&last=9&from={from}&tag={tag}");
    let rest = s.ask(Method::GET, &on(&tag)).send().await.unwrap().bytes().await.unwrap();
    assert_eq!(rest, all[from..]);
    let other = s.ask(Method::GET, &on("other")).send().await.unwrap();
    assert_eq!(other.status(), 409);
    assert_eq!(s.edit(1, json!([{"op": "replace", "path": "/name", "value": "Another"}])).await.0, 200);
    assert_eq!(s.ask(Method::GET, &on(&tag)).send().await.unwrap().status(), 409);
}

#[tokio::test]
async fn frames_go_out_at_another_pace_and_beside_a_thing_and_what_can_not_be_is_told() {
    let s = Server::new().await;
    assert_eq!(s.edit(0, json!([{"op": "replace", "path": "/frames/last", "value": 12}])).await.0, 200);
    s.run().await;
    s.until("done", |r| r["state"] == "done").await;
    let read = async |query: &str| {
        let path = format!("/projects/1/files/npy?{query}");
        let got = s.ask(Method::GET, &path).send().await.unwrap();
        (got.status().as_u16(), got.bytes().await.unwrap())
    };
    let points = s.get("/projects/1/lanes").await["lanes"][0]["points"].as_u64().unwrap_or(0);
    let count = |bytes: &[u8]| (bytes.len() - 128) as u64 / 12;
    let (_, plain) = read("").await;
    let (_, twice) = read("rate=48").await;
    let each = count(&plain) / 13;
    assert!(points == 0 || each == points);
    assert_eq!(count(&twice), 25 * each, "0 to 24 at 48 a second");
    let row = |bytes: &[u8], k: u64| {
        bytes[128 + (k * each * 12) as usize..128 + ((k + 1) * each * 12) as usize].to_vec()
    };
    assert_eq!(row(&twice, 24), row(&plain, 12), "every second one is computed");
    for (query, status) in [
        ("rate=0", 422),
        ("rate=48&every=2", 422),
        ("beside=handle:gone", 422),
        ("first=1&last=2&rate=1", 422),
    ] {
        assert_eq!(read(query).await.0, status, "{query}");
    }
}

#[tokio::test]
async fn maps_go_out_as_files_and_a_figures_file_takes_the_place_of_another() {
    let s = Server::new().await;
    let all = s.get("/projects").await;
    let id = all.as_array().unwrap().iter().find(|p| p["name"] == "The Courier lands").unwrap()["id"]
        .as_i64()
        .unwrap();
    let scene = s.get(&format!("/projects/{id}")).await["scene"].clone();
    let (body, maps) =
        scene["bodies"].as_object().unwrap().iter().find(|(_, b)| b["maps"].is_object()).unwrap();
    let map = maps["maps"].as_object().unwrap().keys().next().unwrap();
    let file = async |format: &str| {
        let path = format!("/projects/{id}/bodies/{body}/maps/{map}/files/{format}");
        let got = s.ask(Method::GET, &path).send().await.unwrap();
        (got.status().as_u16(), got.bytes().await.unwrap())
    };
    assert!(file("csv").await.1.starts_with(b"point,weight\n0,"));
    assert!(file("npy").await.1.starts_with(b"\x93NUMPY"));
    assert!(file("png?side=64").await.1.starts_with(b"\x89PNG"));
    assert!(file("exr?side=64").await.1.starts_with(b"v/1\x01"));
    assert_eq!((file("gif").await.0, file("png?side=0").await.0), (404, 422));
    // The own file of the moth again: all of it fits, and nothing is edited.
    let figure = "courier";
    let blob = scene["figures"][figure]["from"]["blob"].as_str().unwrap();
    let path = |blob: &str| format!("/projects/{id}/figures/{figure}/version?blob={blob}");
    let told = s.get(&path(blob)).await;
    assert_eq!(told["lost"], json!([]), "{told}");
    assert_eq!(told["patch"].as_array().unwrap().len(), 1);
    assert!(told["kept"].as_array().unwrap().len() > 1, "{told}");
    assert_eq!(s.ask(Method::GET, &path(&"0".repeat(64))).send().await.unwrap().status(), 422);
    // A file with no camera in it, and one that is no glTF.
    let cameras = async |bytes: Vec<u8>| {
        let path = format!("/projects/{id}/cameras/read?name=moth.glb");
        s.ask(Method::POST, &path).body(bytes).send().await.unwrap()
    };
    let moth = std::fs::read(format!("{}/../../demo/courier.glb", env!("CARGO_MANIFEST_DIR"))).unwrap();
    let none: Value = cameras(moth).await.json().await.unwrap();
    assert!(none["detail"].as_str().unwrap().contains("no camera"), "{none}");
    assert_eq!(cameras(b"nothing".to_vec()).await.status(), 422);
    let text = json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "Eye", "camera": 0, "translation": [1, 2, 3]}],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.5, "znear": 0.1}}],
    });
    let found: Value = cameras(text.to_string().into_bytes()).await.json().await.unwrap();
    assert_eq!(
        (&found[0]["name"], &found[0]["place"]["position"]),
        (&json!("Eye"), &json!([1.0, 2.0, 3.0])),
        "{found}"
    );
}

#[tokio::test]
async fn an_edit_is_tried_without_being_made() {
    let s = Server::new().await;
    let patch = json!([{"op": "replace", "path": "/fields/gravity/act/gravity/strength", "value": 0}]);
    let body = json!({"patch": patch, "body": "landing-canopy", "frames": 5});
    let bytes =
        s.ask(Method::POST, "/projects/1/attempt").json(&body).send().await.unwrap().bytes().await.unwrap();
    let head = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
    let told: Value = serde_json::from_slice(&bytes[4..4 + head]).unwrap();
    let points = told["bodies"][0]["points"].as_u64().unwrap() as usize;
    let frames: Vec<&[u8]> = bytes[4 + head..].chunks(4 + 12 * points).collect();
    assert_eq!(frames.len(), 5);
    let number = |f: &[u8]| i32::from_le_bytes(f[..4].try_into().unwrap());
    assert_eq!(frames.iter().map(|f| number(f)).collect::<Vec<_>>(), [0, 1, 2, 3, 4]);
    let project = s.get("/projects/1").await;
    assert_eq!((&project["revision"], &project["undo"]), (&json!(0), &Value::Null), "nothing was made of it");
    let wrong = json!({"patch": [{"op": "replace", "path": "/frames/rate", "value": 0}], "body": "landing-canopy", "frames": 5});
    assert_eq!(s.ask(Method::POST, "/projects/1/attempt").json(&wrong).send().await.unwrap().status(), 422);
}

#[tokio::test]
async fn points_become_an_area_that_a_grip_takes_and_a_denser_sheet_fills() {
    let s = Server::new().await;
    let shape = |b: &[u8]| -> Value {
        serde_json::from_slice(&b[4..4 + u32::from_le_bytes(b[..4].try_into().unwrap()) as usize]).unwrap()
    };
    let sheet = json!({"sheet": {"width": 1, "depth": 1, "columns": 21, "rows": 21}});
    s.edit(
        0,
        json!([{"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape", "value": sheet},
                     {"op": "replace", "path": "/bodies/landing-canopy/grips", "value": {}}]),
    )
    .await;
    let square: Vec<u32> = (0..5).flat_map(|j| (0..5).map(move |i| 21 * (8 + j) + 8 + i)).collect();
    let area = s.ask(Method::POST, "/projects/1/bodies/landing-canopy/area").json(&json!({"points": square}));
    let area: Value = area.send().await.unwrap().json().await.unwrap();
    let grip = json!({"name": "Patch", "points": [area], "to": "world"});
    let (status, _) =
        s.edit(1, json!([{"op": "add", "path": "/bodies/landing-canopy/grips/patch", "value": grip}])).await;
    assert_eq!(status, 200);
    for (revision, columns, points) in [(2, 41, 81), (3, 81, 17 * 17), (4, 21, 25), (5, 11, 9)] {
        let to = json!([{"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/columns", "value": columns},
                        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/rows", "value": columns},
                        {"op": "replace", "path": "/bodies/landing-canopy/kind/cloth/shape/sheet/width", "value": revision}]);
        assert_eq!(s.edit(revision, to).await.0, 200);
        let bytes = s
            .ask(Method::GET, "/projects/1/bodies/landing-canopy/shape")
            .send()
            .await
            .unwrap()
            .bytes()
            .await
            .unwrap();
        let held = shape(&bytes)["grips"][0]["points"].as_array().unwrap().len();
        assert_eq!(held, points, "{columns} columns");
    }
}

#[tokio::test]
async fn a_mesh_is_looked_at_by_the_rules_of_its_use_and_mended_where_that_is_asked() {
    let s = Server::new().await;
    // A square of two triangles that face against each other, a doubled one, one without area and a loose point.
    let text =
        "v 0 0 0\nv 100 0 0\nv 100 0 100\nv 0 0 100\nv 5 5 5\nv 50 0 0\nf 1 3 2\nf 1 3 4\nf 2 1 3\nf 1 6 2\n";
    let look = |query: &str| {
        let ask = s.ask(Method::POST, &format!("/meshes/look?name=a.obj{query}")).body(text);
        async move { ask.send().await.unwrap().json::<Value>().await.unwrap() }
    };
    let cloth = look("").await;
    assert!(!cloth["faults"].as_array().unwrap().is_empty());
    assert_eq!(cloth["mends"], json!({"loose": 1, "no_area": 1, "split": 0, "doubled": 1, "turned": 1}));
    assert_eq!((&cloth["left"], &cloth["pieces"]), (&json!([]), &json!(1)));
    assert_eq!(look("&for=mesh").await["faults"], json!([]), "a collider's triangles may lie as they like");
    let hull = look("&for=hull").await["faults"].to_string();
    assert!(!hull.contains("cloth"), "{hull}");
    let refused = s.ask(Method::POST, "/meshes?name=a.obj").body(text).send().await.unwrap();
    assert_eq!(refused.status(), 422);
    let kept =
        s.ask(Method::POST, "/meshes?name=a.obj&clean=true&scale=0.01&up=z").body(text).send().await.unwrap();
    let kept: Value = kept.json().await.unwrap();
    assert_eq!((&kept["points"], &kept["triangles"]), (&json!(4), &json!(2)));
    assert_eq!(kept["size"], json!([1.0, 1.0, 0.0]), "centimetres, and z was up");
}

#[tokio::test]
async fn a_thing_is_set_down_on_what_lies_below_it() {
    let s = Server::new().await;
    let ball = json!({"name": "Ball", "form": {"ball": {"radius": 0.25}}, "thickness": 0.002, "place": {"position": [9, 0.25, 0], "turn": [0, 0, 0]}});
    let sheet = json!({"name": "Sheet", "kind": {"cloth": {"matter": {"thickness": 0.001},
                       "shape": {"sheet": {"width": 0.2, "depth": 0.2, "columns": 11, "rows": 11}}}}, "place": {"position": [9, 3, 0], "turn": [0, 0, 0]}});
    s.edit(
        0,
        json!([{"op": "add", "path": "/colliders", "value": {"ball": ball}},
                     {"op": "add", "path": "/bodies/sheet", "value": sheet},
                     {"op": "add", "path": "/floor", "value": {"height": 0}}]),
    )
    .await;
    let down = |what: Value| {
        let ask = s.ask(Method::POST, "/projects/1/set-down").json(&what);
        async move { ask.send().await.unwrap().json::<Value>().await.unwrap()["position"][1].as_f64().unwrap() }
    };
    let on_ball = down(json!({"body": "sheet"})).await;
    assert!((on_ball - 0.5025).abs() < 1e-3, "{on_ball}");
    let on_floor = down(json!({"collider": "ball"})).await;
    assert!((on_floor - 0.252).abs() < 1e-4, "{on_floor}");
}

#[tokio::test]
async fn what_a_matter_is_like_is_told_with_its_weight() {
    let s = Server::new().await;
    let feel = s.get("/projects/1/bodies/landing-canopy/feel").await;
    let project = s.get("/projects/1").await;
    let body = &project["scene"]["bodies"]["landing-canopy"]["kind"]["cloth"];
    let (sheet, weight) = (&body["shape"]["sheet"], body["matter"]["areal_weight"].as_f64().unwrap());
    let area = sheet["width"].as_f64().unwrap() * sheet["depth"].as_f64().unwrap();
    assert!((feel["mass"].as_f64().unwrap() / (area * weight) - 1.0).abs() < 1e-4, "{feel}");
    assert!(feel["droop_warp"].as_array().unwrap().len() > 20);
}

#[tokio::test]
async fn a_run_of_a_part_computes_that_part_and_one_that_waits_says_for_what() {
    let s = Server::new().await;
    let ask = |wish: Value| s.ask(Method::POST, "/projects/1/runs").json(&wish).send();
    assert_eq!(ask(json!({"until": 9999})).await.unwrap().status(), 422);
    assert_eq!(ask(json!({"bodies": ["tent"]})).await.unwrap().status(), 422);
    ask(json!({"until": 12, "bodies": ["landing-canopy"]})).await.unwrap();
    s.until("the part is done", |r| r["state"] == "done").await;
    assert_eq!(s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"], 13);
    s.edit(0, sub_steps(150)).await;
    ask(json!({})).await.unwrap();
    s.until("it is at work", |r| r["state"] == "running").await;
    let copy: Value = s.ask(Method::POST, "/projects/1/copy").send().await.unwrap().json().await.unwrap();
    let path = format!("/projects/{}/runs", copy["id"]);
    s.ask(Method::POST, &path).json(&json!({})).send().await.unwrap();
    let waits = &s.get(&path).await[0]["waits"];
    assert_eq!(waits["behind"], json!(["Thistledown Relay"]), "{waits}");
    assert!(waits["seconds"].as_f64().unwrap() <= 8.5);
    let run = s.get(&path).await[0]["id"].clone();
    s.ask(Method::POST, &format!("/runs/{run}/first")).send().await.unwrap();
    // The long run rests where it is, and both get on.
    let until = Instant::now() + Duration::from_secs(20);
    while s.get(&path).await[0]["state"] != "running" {
        assert!(Instant::now() < until, "the one that was put first waits still");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let long = s.get("/projects/1/runs").await;
    assert_eq!(long[0]["state"], "queued", "{long}");
}

/// What a server of documents of version 1 kept: a scene with all that version 2 says otherwise, five edits of which the
/// last is undone, and the twelve frames that were computed before that.
const AWNING_YARD: &str = include_str!("v1/awning-yard.sql");

#[tokio::test]
async fn a_project_of_the_first_version_opens_is_true_where_it_was_and_undoes() {
    let database = fresh().await;
    let pool = sqlx::PgPool::connect(&database).await.unwrap();
    sqlx::raw_sql(AWNING_YARD).execute(&pool).await.unwrap();
    pool.close().await;
    let s = start(&database);
    let counts = async || s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"].as_u64().unwrap();
    let turn = async |way: &str| {
        let now = s.get("/projects/1").await;
        let r =
            s.ask(Method::POST, &format!("/projects/1/{way}")).json(&json!({"revision": now["revision"]}));
        assert_eq!(r.send().await.unwrap().status(), 200, "{way}");
        s.get("/projects/1").await
    };
    let now = s.get("/projects/1").await;
    assert_eq!((&now["scene"]["nematon"], &now["revision"]), (&json!(2), &json!(6)));
    assert_eq!((&now["undo"], &now["redo"]), (&json!("Hem map"), &json!("Awning columns")));
    assert_eq!(counts().await, 0, "with seven columns it was never computed");
    let again = turn("redo").await;
    let cloth = |p: &Value| p["scene"]["bodies"]["awning"]["kind"]["cloth"].clone();
    assert_eq!(cloth(&again)["shape"]["sheet"]["columns"], 8);
    // There is turbulence in it, and its law is another since; of the frame that no air has met it is known why it is out of
    // date, and kept: how places are summed up is another too.
    assert_eq!(counts().await, 0);
    let lanes = s.get("/projects/1/lanes").await;
    let first = &lanes["lanes"][0]["stretches"][0];
    assert_eq!(
        (&first["first"], &first["last"], &first["state"]),
        (&json!(1), &json!(1), &json!("stale")),
        "{lanes}"
    );
    assert!(first["reasons"][0].as_str().unwrap().contains("Nematon was renewed"), "{lanes}");
    let scene = |p: &Value, path: &str| p["scene"].pointer(path).unwrap().as_f64().unwrap();
    for (undo, path, value) in [
        ("Awning columns", "/bodies/awning/kind/cloth/shape/sheet/columns", 7.0),
        ("Hem map", "/bodies/awning/maps/hem/layers/0/weights/border/reach", 0.4),
        ("Awning rest scale", "/bodies/awning/kind/cloth/rest/scale/keys/1/value", 1.1),
        ("Roller second key", "/colliders/roller/place/position/1/keys/1/value", 1.2),
        ("Awning areal weight", "/bodies/awning/kind/cloth/matter/areal_weight", 0.2),
    ] {
        assert_eq!(s.get("/projects/1").await["undo"], undo);
        assert_eq!(scene(&turn("undo").await, path), value, "{undo}");
    }
    assert_eq!(s.get("/projects/1").await["undo"], Value::Null);
    for _ in 0..5 {
        turn("redo").await;
    }
    assert_eq!(s.get("/projects/1").await["scene"], again["scene"], "and all the way forward again");
    assert_eq!(counts().await, 0);
    let file = s.ask(Method::GET, "/projects/1/files/npy").send().await.unwrap();
    assert_eq!(file.status(), 409, "frames of another air are not delivered as if they were true");
    // An edit by this version, on what came from the other.
    let patch = json!([{"op": "replace", "path": "/colliders/roller/place/position/1", "value": 1.0}]);
    assert_eq!(s.edit(s.get("/projects/1").await["revision"].as_i64().unwrap(), patch).await.0, 200);
    let lanes = s.get("/projects/1/lanes").await;
    let reasons = &lanes["lanes"][0]["stretches"][0]["reasons"];
    assert!(reasons[0].as_str().unwrap().contains("renewed"), "{lanes}");
}

#[tokio::test]
async fn where_things_are_is_told_frame_by_frame_and_on_what_they_stand() {
    let s = Server::new().await;
    let quarter = std::f64::consts::FRAC_PI_2;
    let keys = |a: f64, b: f64| json!({"keys": [{"frame": 0, "value": a}, {"frame": 10, "value": b}]});
    let post = json!({"name": "Post", "place": {"position": [keys(0.0, 2.0), 1, 0], "turn": [0, keys(0.0, quarter), 0]}});
    let lamp = json!({"name": "Lamp", "form": {"ball": {"radius": 0.1}}, "place": {"position": [0, 0.5, 1], "on": {"handle": "post"}}});
    let stone = json!({"name": "Stone", "form": {"ball": {"radius": 0.1}}, "place": {"position": [3, 0, 0]}});
    let patch = json!([{"op": "add", "path": "/handles", "value": {"post": post}},
        {"op": "add", "path": "/colliders", "value": {"lamp": lamp, "stone": stone}}]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    let read = async |query: &str| {
        let bytes = s
            .ask(Method::GET, &format!("/projects/1/tracks{query}"))
            .send()
            .await
            .unwrap()
            .bytes()
            .await
            .unwrap();
        let head = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
        let told: Value = serde_json::from_slice(&bytes[4..4 + head]).unwrap();
        let numbers: Vec<f32> =
            bytes[4 + head..].chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
        (told, numbers)
    };
    let (told, numbers) = read("").await;
    let counts: Vec<u64> =
        told["tracks"].as_array().unwrap().iter().map(|t| t["frames"].as_u64().unwrap()).collect();
    // The scenery and the view of the demo come after them.
    assert_eq!(counts[..3], [241, 1, 241], "what never moves has one pose");
    assert!(counts[3..].iter().all(|c| *c == 1));
    let lamp = |frame: usize| &numbers[7 * frame..7 * frame + 7];
    let near = |a: &[f32], b: [f64; 3]| (0..3).all(|k| (f64::from(a[k]) - b[k]).abs() < 1e-6);
    assert!(near(lamp(0), [0.0, 1.5, 1.0]), "{:?}", lamp(0));
    // A quarter turn about y brings z to x; it turns with what it stands on.
    assert!(near(lamp(10), [3.0, 1.5, 0.0]) && near(lamp(240), [3.0, 1.5, 0.0]), "{:?}", lamp(10));
    assert!((f64::from(lamp(10)[4]) - (quarter / 2.0).sin()).abs() < 1e-6);
    let (told, few) = read("?first=4&last=6").await;
    assert_eq!((&told["first"], few.len()), (&json!(4), 7 * (3 + 1 + 3 + counts.len() - 3)));
    assert_eq!(&few[..7], lamp(4));
}

#[tokio::test]
async fn numbers_that_move_are_told_frame_by_frame_and_a_typed_formula_with_its_fault() {
    let s = Server::new().await;
    let keys = json!({"keys": [{"frame": 0, "value": 2}, {"frame": 10, "value": 4}], "after": "on"});
    let speed = "/fields/ridge-wind/act/wind/speed";
    let patch = json!([{"op": "replace", "path": speed, "value": keys}]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    let ask = async |body: Value| -> Value {
        let told = s.ask(Method::POST, "/projects/1/values").json(&body).send().await.unwrap();
        assert_eq!(told.status(), 200);
        told.json().await.unwrap()
    };
    let told =
        ask(json!({"paths": [speed, "/frames/rate", "/name", "/nowhere"], "first": 4, "last": 12})).await;
    assert_eq!(told["first"], json!(4));
    let row: Vec<f64> = serde_json::from_value(told["numbers"][0].clone()).unwrap();
    let want: Vec<f64> = (4..=12).map(|f| 2.0 + 0.2 * f64::from(f)).collect();
    assert!(row.len() == 9 && row.iter().zip(want).all(|(a, b)| (a - b).abs() < 1e-12), "{row:?}");
    assert_eq!(told["numbers"][1], json!([24.0]), "what never moves has one");
    assert_eq!((&told["numbers"][2], &told["numbers"][3]), (&json!([]), &json!([])));
    let told = ask(json!({"motion": {"formula": "f * 2"}, "first": 1, "last": 3})).await;
    assert_eq!((&told["motion"], &told["fault"]), (&json!([2.0, 4.0, 6.0]), &Value::Null));
    let told = ask(json!({"motion": {"formula": "2 * wind"}})).await;
    assert_eq!((&told["motion"], &told["fault"]["at"]), (&json!([]), &json!(4)));
    assert!(told["fault"]["why"].as_str().unwrap().contains("wind"));
}

#[tokio::test]
async fn a_figure_is_brought_in_looked_at_played_stood_on_and_stood_in_for() {
    let s = Server::new().await;
    let moth = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/courier.glb");
    let send = async |name: &str, bytes: Vec<u8>| {
        let sent = s.ask(Method::POST, &format!("/figures?name={name}")).body(bytes).send().await.unwrap();
        (sent.status().as_u16(), sent.json::<Value>().await.unwrap())
    };
    let (status, problem) = send("moth.glb", b"glTF".to_vec()).await;
    assert_eq!(status, 422, "{problem}");
    assert!(problem["title"].as_str().unwrap().contains("moth.glb"), "{problem}");
    let (status, head) = send("moth.glb", std::fs::read(moth).unwrap()).await;
    assert_eq!((status, &head["points"], &head["clips"]), (200, &json!(1420), &json!(["Landing"])));
    let figure = json!({"name": "Moth", "from": {"blob": head["blob"]}, "place": {"position": [0, 1, 0]}});
    let rider = json!({"name": "Rider", "place": {"on": {"joint": {"figure": "moth", "joint": "head"}}}});
    let patch = json!([{"op": "add", "path": "/figures", "value": {"moth": figure}},
        {"op": "add", "path": "/handles", "value": {"rider": rider}}]);
    assert_eq!(s.edit(0, patch).await.0, 200);
    let look = s.get("/projects/1/figures/moth").await;
    assert_eq!((look["joints"].as_array().unwrap().len(), &look["length"]), (33, &json!(10.0)));
    assert_eq!(look["parts"][0]["name"], json!("body"));
    // A chunk of three frames, of all its points.
    let sent = s.ask(Method::GET, "/projects/1/figures/moth/frames?first=20&last=22").send().await.unwrap();
    let bytes = sent.bytes().await.unwrap();
    let long = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
    let chunk: Value = serde_json::from_slice(&bytes[4..4 + long]).unwrap();
    assert_eq!((&chunk["frames"], &chunk["channels"][0]["points"]), (&json!(3), &json!([1420])));
    // What stands on its head keeps its place when it is given the world to stand on.
    let ask = json!({"path": "/handles/rider/place", "frame": 100, "on": null});
    let told = s.ask(Method::POST, "/projects/1/place").json(&ask).send().await.unwrap();
    let placed: Value = told.json().await.unwrap();
    assert!(placed["position"][1].as_f64().unwrap() > 1.2, "{placed}");
    let ask = json!({"path": "/nowhere/place", "frame": 100});
    assert_eq!(s.ask(Method::POST, "/projects/1/place").json(&ask).send().await.unwrap().status(), 404);
    let fitted = s.get("/projects/1/figures/moth/stand-ins").await;
    assert!(fitted["colliders"].as_array().unwrap().len() > 10 && fitted["skin"].as_f64().unwrap() > 0.0);
    let one = &fitted["colliders"][0];
    let patch = json!([{"op": "add", "path": "/colliders", "value": {"one": one}}]);
    assert_eq!(s.edit(1, patch).await.0, 200, "a capsule is a collider as it is: {one}");
    // A joint that there is not is told before anything is run.
    let patch = json!([{"op": "replace", "path": "/handles/rider/place/on/joint/joint", "value": "tooth"}]);
    assert_eq!(s.edit(2, patch).await.0, 200);
    let lanes = s.ask(Method::GET, "/projects/1/lanes").send().await.unwrap();
    let said = lanes.text().await.unwrap();
    assert!(said.contains("tooth") || said.contains("missing"), "{said}");
    assert_eq!(s.ask(Method::GET, "/projects/1/figures/crow").send().await.unwrap().status(), 404);
}

/// A grey picture as PNG.
fn png(side: u32) -> Vec<u8> {
    let mut out = std::io::Cursor::new(vec![]);
    let picture = image::GrayImage::from_fn(side, side, |x, _| image::Luma([(x % 256) as u8]));
    picture.write_to(&mut out, image::ImageFormat::Png).unwrap();
    out.into_inner()
}

/// What a map comes to: its head, and its weights.
async fn map(s: &Server, project: i64, map: &str) -> (Value, Vec<f32>) {
    let path = format!("/projects/{project}/bodies/landing-canopy/maps/{map}?frame=3");
    let bytes = s.ask(Method::GET, &path).send().await.unwrap().bytes().await.unwrap();
    let long = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
    let head = serde_json::from_slice(&bytes[4..4 + long]).unwrap();
    let floats = bytes[4 + long..].chunks_exact(4);
    (head, floats.map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect())
}

#[tokio::test]
async fn maps_are_told_painted_as_a_whole_made_of_pictures_and_travel_with_their_project() {
    let s = Server::new().await;
    let picture = async |bytes: Vec<u8>| {
        let sent = s.ask(Method::POST, "/pictures?name=p.png").body(bytes).send().await.unwrap();
        (sent.status().as_u16(), sent.json::<Value>().await.unwrap())
    };
    for (bad, why) in [(b"nothing".to_vec(), "neither PNG nor JPEG"), (png(8192), "8192 by 8192")] {
        let (status, told) = picture(bad).await;
        assert_eq!(status, 422);
        assert!(told["detail"].as_str().unwrap().contains(why), "{told}");
    }
    let (status, one) = picture(png(1)).await;
    assert_eq!((status, &one["width"]), (200, &json!(1)), "a picture of one pixel is a picture");
    let (_, wide) = picture(png(256)).await;
    let maps = json!({
        "soft": {"name": "Soft", "layers": [{"weights": {"painted": {}}}]},
        "light": {"name": "Light", "layers": [{"weights": {"picture": {"from": {"blob": wide["blob"]}}}}]},
        "dot": {"name": "Dot", "layers": [{"weights": {"picture": {"from": {"blob": one["blob"]}}}}]},
    });
    let at = "/bodies/landing-canopy";
    assert_eq!(s.edit(0, json!([{"op": "add", "path": format!("{at}/maps"), "value": maps}])).await.0, 200);
    let (head, weights) = map(&s, 1, "soft").await;
    assert_eq!((&head["most"], weights.len(), &head["bars"][0]), (&json!(0.0), 2400, &json!(2400)));
    let (head, weights) = map(&s, 1, "light").await;
    assert!(head["mean"].as_f64().unwrap() > 0.4 && weights[30] > weights[5], "{head}");
    assert_eq!(map(&s, 1, "dot").await.0["most"], json!(0.0));
    // All of it: nothing is edited until the answer is.
    let whole = async |revision: i64, what: Value| {
        let path = "/projects/1/bodies/landing-canopy/maps/soft/layers/0/whole";
        let sent = s.ask(Method::POST, path).json(&what).send().await.unwrap();
        assert_eq!(sent.status(), 200);
        let painted: Value = sent.json().await.unwrap();
        let path = format!("{at}/maps/soft/layers/0/weights/painted");
        let (status, told) = s.edit(revision, json!([{"op": "add", "path": path, "value": painted}])).await;
        assert_eq!(status, 200, "{told}");
        painted
    };
    let flood = json!({"flood": {"at": {"triangle": 7, "shares": [0.2, 0.3, 0.5]}, "value": 0.25}});
    let painted = whole(1, flood).await;
    assert_eq!(painted["strokes"].as_array().unwrap().len(), 1);
    assert!(map(&s, 1, "soft").await.1.iter().all(|w| *w == 0.25));
    assert_eq!(
        whole(2, json!("invert")).await["strokes"].as_array().unwrap().len(),
        2,
        "strokes are differences"
    );
    assert!(map(&s, 1, "soft").await.1.iter().all(|w| *w == 0.75));
    assert_eq!(whole(3, json!("invert")).await["on"], painted["on"], "of the same surface");
    // Another density: what was painted is carried over, and all of it is begun anew there.
    let columns = format!("{at}/kind/cloth/shape/sheet/columns");
    assert_eq!(s.edit(4, json!([{"op": "replace", "path": columns, "value": 31}])).await.0, 200);
    assert_eq!(map(&s, 1, "soft").await.1, vec![0.25; 31 * 40]);
    let anew = whole(5, json!({"fill": 0.5})).await;
    assert_eq!(anew["strokes"].as_array().unwrap().len(), 1);
    assert_ne!(anew["on"], painted["on"]);
    // A layer that is not painted, a map and a body that there are not.
    for (path, status) in [
        ("/projects/1/bodies/landing-canopy/maps/light/layers/0/whole", 422),
        ("/projects/1/bodies/landing-canopy/maps/soft/layers/9/whole", 404),
        ("/projects/1/bodies/landing-canopy/maps/none/layers/0/whole", 404),
        ("/projects/1/bodies/none/maps/soft/layers/0/whole", 404),
    ] {
        let sent = s.ask(Method::POST, path).json(&json!("grow")).send().await.unwrap();
        assert_eq!(sent.status(), status, "{path}");
    }
    // What is painted, and pictures, go out and come in with their project.
    let file = s.ask(Method::GET, "/projects/1/export").send().await.unwrap().bytes().await.unwrap();
    let other = Server::new().await;
    let sent = other.ask(Method::POST, "/projects/import").body(file).send().await.unwrap();
    let (status, project) = (sent.status(), sent.json::<Value>().await.unwrap());
    assert_eq!(status, 201, "{project}");
    assert_eq!(project["scene"], s.get("/projects/1").await["scene"], "the very same scene");
    let id = project["id"].as_i64().unwrap();
    for name in ["soft", "light", "dot"] {
        assert_eq!(map(&other, id, name).await, map(&s, 1, name).await, "{name}");
    }
    // A stroke that is kept nowhere is told by the map's name, and the scene stays as it is.
    let gone = json!([{"op": "add", "path": format!("{at}/maps/soft/layers/0/weights/painted/strokes/-"),
        "value": {"blob": "0".repeat(64)}}]);
    assert_eq!(s.edit(6, gone).await.0, 200);
    let sent = s.ask(Method::GET, "/projects/1/bodies/landing-canopy/maps/soft").send().await.unwrap();
    assert_eq!(sent.status(), 422);
    let told = sent.text().await.unwrap();
    assert!(told.contains("Soft") && told.contains("Bring it in again"), "{told}");
}

#[tokio::test]
async fn what_is_removed_is_let_go_of_in_one_edit_and_a_name_is_no_step_of_undo() {
    let s = Server::new().await;
    let before = s.get("/projects/1").await["scene"].clone();
    let (status, _) = s
        .edit(0, json!([
            {"op": "add", "path": "/handles", "value": {"crane": {"name": "Crane", "place": {"position": [1, 2, 0]}}, "hook": {"name": "Hook", "place": {"position": [0, 1, 0], "on": {"handle": "crane"}}}}},
            {"op": "add", "path": "/bodies/landing-canopy/grips/post-corner/to", "value": {"handle": "crane"}}
        ]))
        .await;
    assert_eq!(status, 200);
    let ask = async |path: &str| {
        let body = json!({"path": path, "frame": 0});
        let r = s.ask(Method::POST, "/projects/1/removal").json(&body).send().await.unwrap();
        (r.status().as_u16(), r.json::<Value>().await.unwrap())
    };
    let (status, told) = ask("/handles/crane").await;
    let said: Vec<&str> = told["lets_go"].as_array().unwrap().iter().map(|w| w.as_str().unwrap()).collect();
    assert_eq!(
        (status, said),
        (200, vec!["Post corner of Landing canopy lets go", "Hook stands in the world then"]),
        "{told}"
    );
    let (status, now) = s.edit(1, told["patch"].clone()).await;
    assert_eq!(
        (status, &now["scene"]["handles"]["hook"]["place"]["position"]),
        (200, &json!([1.0, 3.0, 0.0])),
        "{now}"
    );
    assert_eq!(ask("/handles/crane").await.0, 404);
    // What is refused says where by names, and keeps the path for who wants it.
    let (status, problem) = s.edit(2, json!([{"op": "remove", "path": "/handles"}, {"op": "replace", "path": "/fields/ridge-wind/act/wind/speed", "value": 1e9}])).await;
    assert_eq!(status, 422);
    let detail = problem["detail"].as_str().unwrap();
    assert!(detail.starts_with("Ridge wind, speed: ") && !detail.contains("/fields"), "{detail}");
    assert_eq!(problem["faults"][0]["path"], "/fields/ridge-wind/act/wind/speed");
    // A name: another revision, and no other undo.
    let name = json!({"name": "Ridge at noon"});
    let r = s.ask(Method::PUT, "/projects/1/name").json(&name).send().await.unwrap();
    let named: Value = r.json().await.unwrap();
    assert_eq!(
        (&named["name"], &named["scene"]["name"], &named["undo"]),
        (&json!("Ridge at noon"), &json!("Ridge at noon"), &json!("edit"))
    );
    for revision in [3, 4] {
        s.ask(Method::POST, "/projects/1/undo").json(&json!({"revision": revision})).send().await.unwrap();
    }
    let mut back = s.get("/projects/1").await["scene"].clone();
    assert_eq!(back["name"], "Ridge at noon");
    back["name"] = before["name"].clone();
    assert_eq!(back, before);
    let r = s.ask(Method::PUT, "/projects/1/name").json(&json!({"name": ""})).send().await.unwrap();
    assert_eq!(r.status(), 422);
}

#[tokio::test]
async fn the_reason_is_what_differs_from_the_nearest_take() {
    let s = Server::new().await;
    let path = "/bodies/landing-canopy/kind/cloth/matter";
    let set = |what: &str, v: f64| json!([{"op": "replace", "path": format!("{path}/{what}"), "value": v}]);
    s.edit(0, json!([{"op": "replace", "path": "/frames/last", "value": 4}])).await;
    let was =
        s.get("/projects/1").await["scene"].pointer(&format!("{path}/shear")).unwrap().as_f64().unwrap();
    let run = async || {
        s.run().await;
        s.until("it is done", |r| r["state"] == "done").await;
    };
    run().await;
    s.edit(1, set("shear", 2.0 * was)).await;
    run().await;
    s.ask(Method::POST, "/projects/1/undo").json(&json!({"revision": 2})).send().await.unwrap();
    s.edit(3, set("damping", 0.5)).await;
    let lanes = s.get("/projects/1/lanes").await;
    let told =
        lanes["lanes"][0]["stretches"].as_array().unwrap().iter().find(|t| t["state"] == "stale").unwrap();
    let reasons = told["reasons"].as_array().unwrap();
    assert!(
        reasons.len() == 1 && reasons[0].as_str().unwrap().contains("damping"),
        "what was undone is no reason: {lanes}"
    );
}

#[tokio::test]
async fn a_take_outlives_edits_and_runs_and_comes_back_whole_or_by_parts() {
    let s = Server::new().await;
    let short = json!([{"op": "replace", "path": "/frames/last", "value": 12}]);
    assert_eq!(s.edit(0, short).await.0, 200);
    s.run().await;
    s.until("it is done", |r| r["state"] == "done").await;
    let ask = |path: &str, body: Value| s.ask(Method::POST, path).json(&body).send();
    // Beside those that come with the demo.
    let came = s.get("/projects/1/takes").await.as_array().map_or(0, Vec::len);
    let kept = ask("/projects/1/takes", json!({})).await.unwrap();
    assert_eq!(kept.status(), 201);
    let kept: Value = kept.json().await.unwrap();
    assert_eq!((kept["name"].as_str(), kept["starred"].as_bool()), (Some("Take 1"), Some(false)));
    let second: Value = ask("/projects/1/takes", json!({"name": "Stiffer", "note": "too slow"}))
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    assert_eq!((second["name"].as_str(), second["note"].as_str()), (Some("Stiffer"), Some("too slow")));
    // Both are the scene as it is, until that changes.
    let like = async || {
        let all = s.get("/projects/1/takes").await;
        let own = all.as_array().into_iter().flatten().filter(|t| t["current"] == true);
        own.filter_map(|t| t["name"].as_str().map(str::to_owned)).collect::<Vec<_>>()
    };
    assert!(kept["current"] == true && second["current"] == true);
    assert_eq!(like().await, ["Stiffer", "Take 1"]);
    // Another matter, another wind, fewer frames.
    let wind = "/fields/squall/act/wind/speed";
    let warp = "/bodies/landing-canopy/kind/cloth/matter/bend_warp";
    let was = s.get("/projects/1").await["scene"].clone();
    let (status, now) = s
        .edit(1, json!([{"op": "replace", "path": warp, "value": 0.01}, {"op": "replace", "path": wind, "value": 3.5}]))
        .await;
    assert_eq!(status, 200);
    assert!(like().await.is_empty());
    // What is said of a frame, and of a point there.
    let notes = format!("/projects/1/takes/{}/notes", kept["id"]);
    let said: Value =
        ask(&notes, json!({"frame": 9, "body": "landing-canopy", "point": 40, "words": " lags here "}))
            .await
            .unwrap()
            .json()
            .await
            .unwrap();
    assert_eq!(said["notes"][0]["words"], "lags here");
    let both: Value =
        ask(&notes, json!({"frame": 3, "words": "comes in"})).await.unwrap().json().await.unwrap();
    let of =
        |t: &Value| t["notes"].as_array().unwrap().iter().map(|n| n["frame"].clone()).collect::<Vec<_>>();
    assert_eq!(of(&both), [json!(3), json!(9)], "by frame");
    for wrong in [
        json!({"frame": 3, "words": "  "}),
        json!({"frame": 3, "words": "x", "body": "nobody"}),
        json!({"frame": 3, "words": "x", "point": 4}),
    ] {
        assert_eq!(ask(&notes, wrong.clone()).await.unwrap().status(), 422, "{wrong}");
    }
    let one = format!("{notes}/{}", both["notes"][0]["id"]);
    let other = s.ask(Method::PATCH, &one).json(&json!({"words": "comes in late"})).send().await.unwrap();
    assert_eq!(other.json::<Value>().await.unwrap()["notes"][0]["words"], "comes in late");
    assert_eq!(s.ask(Method::DELETE, &one).send().await.unwrap().status(), 200);
    assert_eq!(s.ask(Method::DELETE, &one).send().await.unwrap().status(), 404);
    assert_eq!(
        ask("/projects/1/takes/999/notes", json!({"frame": 3, "words": "x"})).await.unwrap().status(),
        404
    );
    // The frames of the take are as they were, those of the scene are not.
    let take = format!("/projects/1/takes/{}", kept["id"]);
    let lanes = s.get(&format!("{take}/lanes")).await;
    assert_eq!(lanes[0]["counts"]["true"], 13, "{lanes}");
    assert_eq!(s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"], 0);
    let shape = s.ask(Method::GET, &format!("{take}/bodies/landing-canopy/shape")).send().await.unwrap();
    assert!(shape.status() == 200 && shape.bytes().await.unwrap().len() > 10_000);
    // Its materials alone: the wind stays as it is now. One undo.
    let back = ask(&format!("{take}/restore"), json!({"revision": 2, "part": "material"})).await.unwrap();
    let back: Value = back.json().await.unwrap();
    assert_eq!(back["scene"].pointer(warp), was.pointer(warp));
    assert_eq!(back["scene"].pointer(wind), now["scene"].pointer(wind));
    assert_eq!(back["undo"], "Take 1: material");
    let air = ask(&format!("{take}/restore"), json!({"revision": 3, "part": "air"})).await.unwrap();
    assert_eq!(air.json::<Value>().await.unwrap()["scene"], was, "both parts are all that differed");
    for revision in [4, 5] {
        assert_eq!(ask("/projects/1/undo", json!({ "revision": revision })).await.unwrap().status(), 200);
    }
    assert_eq!(s.get("/projects/1").await["scene"], now["scene"]);
    let whole: Value = ask(&format!("{take}/restore"), json!({"revision": 6, "part": "whole"}))
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    assert_eq!(whole["scene"], was);
    assert_eq!(like().await, ["Stiffer", "Take 1"]);
    assert_eq!(s.get("/projects/1/lanes").await["lanes"][0]["counts"]["true"], 13);
    // A stale wish gets the project as it is; what is not there is told; words that can't be are refused.
    assert_eq!(
        ask(&format!("{take}/restore"), json!({"revision": 6, "part": "air"})).await.unwrap().status(),
        409
    );
    assert_eq!(
        ask("/projects/1/takes/999/restore", json!({"revision": 7, "part": "air"})).await.unwrap().status(),
        404
    );
    let patch = |body: Value| s.ask(Method::PATCH, &take).json(&body).send();
    assert_eq!(patch(json!({"name": "  "})).await.unwrap().status(), 422);
    let starred: Value =
        patch(json!({"starred": true, "note": "the one"})).await.unwrap().json().await.unwrap();
    assert_eq!(
        (starred["starred"].as_bool(), starred["note"].as_str(), starred["name"].as_str()),
        (Some(true), Some("the one"), Some("Take 1"))
    );
    assert_eq!(s.ask(Method::DELETE, &take).send().await.unwrap().status(), 200);
    assert_eq!(s.ask(Method::DELETE, &take).send().await.unwrap().status(), 404);
    assert_eq!(s.get("/projects/1/takes").await.as_array().map(Vec::len), Some(came + 1));
}
