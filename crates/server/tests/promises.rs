//! What the server promises, asked over HTTP of the real program (`NEMATON_PROGRAM`, see `./test`).
#![allow(clippy::unwrap_used)]
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
        while start.elapsed() < Duration::from_secs(60) {
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

    async fn run(&self) {
        let r = self.ask(Method::POST, "/projects/1/runs").send().await.unwrap();
        assert_eq!(r.status(), 202);
    }
}

fn sub_steps(n: u32) -> Value {
    json!([{"op": "replace", "path": "/frames/substeps", "value": n}])
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
async fn an_edit_lists_all_its_faults_and_a_stale_one_gets_the_project_as_it_is() {
    let s = Server::new().await;
    let two = json!([
        {"op": "replace", "path": "/fields/ridge-wind/act/wind/speed", "value": 1e9},
        {"op": "replace", "path": "/bodies/landing-canopy/matter/thickness", "value": 0}
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
    assert_eq!(undone.json::<Value>().await.unwrap()["scene"]["frames"]["substeps"], 10);
    let nothing = s.ask(Method::POST, "/projects/1/undo").json(&json!({"revision": 2})).send().await.unwrap();
    assert_eq!(nothing.status(), 409);
}

#[tokio::test]
async fn what_is_not_there_or_not_readable_is_a_problem_and_not_a_crash() {
    let s = Server::new().await;
    for path in [
        "/projects/99",
        "/chunks/99",
        "/projects/1/bodies/tent/shape",
        "/nowhere",
        "/projects/1/bodies/landing-canopy/files/gif",
    ] {
        let r = s.ask(Method::GET, path).send().await.unwrap();
        assert!([404, 409].contains(&r.status().as_u16()), "{path}: {}", r.status());
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
    let untrue = s.ask(Method::GET, "/projects/1/bodies/landing-canopy/files/npy").send().await.unwrap();
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
    let before = at["done"].as_i64().unwrap();
    let database = s.database.clone();
    drop(s); // kill -9
    let s = start(&database);
    let done = s.until("it is done", |r| r["state"] == "done").await;
    assert_eq!(done["done"].as_i64(), Some(241));
    assert!(
        done["computed"].as_i64().unwrap() <= 241 - before,
        "what was stored was not computed again: {done}"
    );
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
        {"op": "replace", "path": "/bodies/landing-canopy/matter/drag", "value": 0},
        {"op": "replace", "path": "/bodies/landing-canopy/matter/lift", "value": 0},
        {"op": "replace", "path": "/bodies/landing-canopy/shape/sheet/columns", "value": 4},
        {"op": "replace", "path": "/bodies/landing-canopy/shape/sheet/rows", "value": 4},
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
    let served = s
        .ask(Method::GET, "/projects/1/bodies/landing-canopy/files/npy")
        .send()
        .await
        .unwrap()
        .bytes()
        .await
        .unwrap();
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
