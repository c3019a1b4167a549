//! What is kept, against a real PostgreSQL (`NEMATON_TEST_DATABASE`, which `./test` starts).
#![allow(clippy::unwrap_used)]
use nematon_store::*;
use serde_json::{Value, json};

async fn fresh() -> Store {
    let url =
        std::env::var("NEMATON_TEST_DATABASE").expect("run ./test: it starts the database that these need");
    Store::open_fresh(&url).await.unwrap().0
}

const EDIT: NewEdit<'static> = NewEdit { label: "Speed", forward: "f", backward: "b" };

fn done(o: EditOutcome) -> ProjectRow {
    match o {
        EditOutcome::Done(p) => p,
        other => panic!("{other:?}"),
    }
}

#[tokio::test]
async fn postgres_keeps_the_contract_of_frames() {
    nematon_frames::contract::holds(&fresh().await).await;
}

#[tokio::test]
async fn edits_count_up_undo_and_redo_and_a_new_edit_ends_redo() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P", "v": 0})).await.unwrap();
    let scene = |v: i64| json!({"name": "P", "v": v});
    let p = done(s.edit(id, 0, &scene(1), &EDIT).await.unwrap());
    assert_eq!((p.revision, p.undo.as_deref(), p.redo), (1, Some("Speed"), None));
    let back = |now: &Value, patch: &str| {
        assert_eq!((now["v"].as_i64(), patch), (Some(1), "b"));
        Some(json!({"name": "P", "v": 0}))
    };
    let p = done(s.turn(id, 1, true, back).await.unwrap());
    assert_eq!(
        (p.revision, p.scene["v"].as_i64(), p.undo, p.redo.as_deref()),
        (2, Some(0), None, Some("Speed"))
    );
    let again = |_: &Value, patch: &str| {
        assert_eq!(patch, "f");
        Some(json!({"name": "P", "v": 1}))
    };
    assert_eq!(done(s.turn(id, 2, false, again).await.unwrap()).scene["v"], 1);
    done(s.turn(id, 3, true, |_, _| Some(json!({"name": "P", "v": 0}))).await.unwrap());
    let p = done(s.edit(id, 4, &scene(9), &EDIT).await.unwrap());
    assert_eq!(p.redo, None);
    assert_eq!(s.turn(id, 5, false, |_, _| None).await.unwrap(), EditOutcome::Nothing);
}

#[tokio::test]
async fn of_two_edits_on_one_revision_the_second_is_told_what_is_there_now() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let (a, b) = (json!({"name": "A"}), json!({"name": "B"}));
    let (x, y) = tokio::join!(s.edit(id, 0, &a, &EDIT), s.edit(id, 0, &b, &EDIT));
    let (x, y) = (x.unwrap(), y.unwrap());
    let (won, lost) = if matches!(x, EditOutcome::Done(_)) { (x, y) } else { (y, x) };
    match lost {
        EditOutcome::Stale(now) => assert_eq!((now.revision, now.scene), (1, done(won).scene)),
        other => panic!("{other:?}"),
    }
    assert_eq!(s.edit(99, 0, &a, &EDIT).await.unwrap(), EditOutcome::NoSuchProject);
}

#[tokio::test]
async fn a_run_is_claimed_once_goes_on_after_a_dead_worker_and_can_be_cancelled() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id).await.unwrap().unwrap();
    assert_eq!(s.queue_run(id).await.unwrap().unwrap().id, run.id, "the same revision is queued once");
    let (a, b) = tokio::join!(s.claim_run("a"), s.claim_run("b"));
    let (a, b) = (a.unwrap(), b.unwrap());
    assert!(a.is_some() != b.is_some(), "one takes it");
    let (owner, other) = if a.is_some() { ("a", "b") } else { ("b", "a") };
    let at = RunRow { done: 5, total: 10, computed: 5, seconds: 0.5, ..run.clone() };
    assert!(s.progress(owner, &at).await.unwrap());
    assert!(s.claim_run(other).await.unwrap().is_none(), "it is being computed");
    s.age_run(run.id).await.unwrap();
    assert_eq!(s.claim_run(other).await.unwrap().unwrap().run, run.id, "its worker is dead");
    assert!(!s.progress(owner, &at).await.unwrap(), "the dead worker, if it wakes, must stop");
    s.cancel_run(run.id).await.unwrap();
    assert!(!s.progress(other, &at).await.unwrap(), "cancelled");
    s.end_run(other, &RunRow { state: RunState::Cancelled, ..at.clone() }).await.unwrap();
    let ended = s.run(run.id).await.unwrap().unwrap();
    assert_eq!((ended.state, ended.done), (RunState::Cancelled, 5));
}

#[tokio::test]
async fn a_run_that_waits_is_cancelled_at_once() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id).await.unwrap().unwrap();
    assert_eq!(s.cancel_run(run.id).await.unwrap().unwrap().state, RunState::Cancelled);
    assert!(s.claim_run("a").await.unwrap().is_none());
}

#[tokio::test]
async fn changes_are_told_to_all_who_listen() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let mut heard = s.listen().await.unwrap();
    done(s.edit(id, 0, &json!({"name": "Q"}), &EDIT).await.unwrap());
    assert_eq!(heard.next().await.unwrap(), Notice::Scene { project: id, revision: 1 });
    assert_eq!(s.projects().await.unwrap()[0].name, "Q");
    let run = s.queue_run(id).await.unwrap().unwrap();
    assert_eq!(heard.next().await.unwrap(), Notice::Run { project: id, run: run.id });
}

#[tokio::test]
async fn a_mesh_is_kept_once_under_its_hash() {
    let s = fresh().await;
    s.keep_mesh("ab", "flag.obj", b"v").await.unwrap();
    s.keep_mesh("ab", "other.obj", b"v").await.unwrap();
    assert_eq!(s.mesh("ab").await.unwrap().unwrap().name, "flag.obj");
    assert_eq!(s.mesh("cd").await.unwrap(), None);
}

#[tokio::test]
async fn a_database_that_is_not_there_is_away_and_not_a_panic() {
    let e = Store::open("postgres://nobody@127.0.0.1:9/none").await.err().unwrap();
    assert!(e.is_away(), "{e}");
}
