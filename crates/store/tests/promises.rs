//! What is kept, against a real PostgreSQL (`NEMATON_TEST_DATABASE`, which `./test` starts).
#![allow(clippy::unwrap_used)]
use nematon_frames::FrameStore;
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
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
    assert_eq!(
        s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap().id,
        run.id,
        "the same revision is queued once"
    );
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
async fn a_run_that_ends_its_worker_is_taken_three_times_and_then_has_failed() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
    for worker in ["a", "b", "c"] {
        assert_eq!(s.claim_run(worker).await.unwrap().unwrap().run, run.id, "{worker}");
        s.age_run(run.id).await.unwrap();
    }
    assert!(s.claim_run("d").await.unwrap().is_none(), "three are enough");
    let ended = s.run(run.id).await.unwrap().unwrap();
    assert_eq!(ended.state, RunState::Failed);
    assert!(ended.message.contains("3 times after 0 of 0 frames"), "{}", ended.message);
}

#[tokio::test]
async fn a_run_that_gets_further_each_time_goes_on_and_one_that_is_given_back_loses_no_attempt() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
    for k in 1..8 {
        let worker = format!("w{k}");
        assert_eq!(s.claim_run(&worker).await.unwrap().unwrap().run, run.id, "{worker}");
        let at = RunRow { done: 10 * k, total: 99, computed: 10, ..run.clone() };
        assert!(s.progress(&worker, &at).await.unwrap());
        s.age_run(run.id).await.unwrap();
    }
    for k in 0..8 {
        let worker = format!("g{k}");
        assert_eq!(s.claim_run(&worker).await.unwrap().unwrap().run, run.id, "{worker}");
        s.give_back(&worker).await.unwrap();
    }
    assert_eq!(s.run(run.id).await.unwrap().unwrap().state, RunState::Queued);
}

#[tokio::test]
async fn a_worker_that_builds_for_long_beats_and_is_told_when_nobody_waits_any_more() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
    s.claim_run("a").await.unwrap().unwrap();
    s.age_run(run.id).await.unwrap();
    assert!(s.beat("a", run.id).await.unwrap());
    assert!(s.claim_run("b").await.unwrap().is_none(), "it lives");
    s.cancel_run(run.id).await.unwrap();
    assert!(!s.beat("a", run.id).await.unwrap());
    assert!(!s.beat("b", run.id).await.unwrap(), "not its own");
}

#[tokio::test]
async fn what_nobody_asks_for_goes_the_longest_unused_first_and_no_more_than_must() {
    let s = fresh().await;
    let key = |n: u8| [n; 32];
    // Each of a thousand bytes; the oldest first.
    for n in 0..4 {
        s.keep(&[key(2 * n), key(2 * n + 1)], &vec![n; 1000]).await.unwrap();
        s.age_all(1).await.unwrap();
    }
    s.keep_checkpoint(&key(0), &[0; 1000]).await.unwrap();
    s.keep_checkpoint(&key(7), &[0; 1000]).await.unwrap();
    s.keep_mesh("ab", "a.obj", &[0; 1000]).await.unwrap();
    s.age_all(2).await.unwrap();
    let space = s.space().await.unwrap();
    assert_eq!((space.frames, space.checkpoints, space.meshes, space.all()), (4000, 2000, 1000, 7000));
    let there = async |k: u8| s.find(&[key(k)]).await.unwrap()[0].is_some();
    assert_eq!(let_go(&s, 7000, &[], &[]).await.unwrap(), 0, "nothing has to go");
    // A frame of the first chunk is asked for, and the last checkpoint.
    let asked = [key(1), key(7)];
    assert_eq!(let_go(&s, 4600, &asked, &["ab".into()]).await.unwrap(), 3000);
    assert!(there(0).await && there(1).await && there(7).await && !there(2).await && !there(5).await);
    assert!(s.last_checkpoint(&[key(0)]).await.unwrap().is_none());
    assert!(s.last_checkpoint(&[key(7)]).await.unwrap().is_some());
    assert_eq!(let_go(&s, 0, &asked, &["ab".into()]).await.unwrap(), 0, "all that is left is asked for");
    assert!(s.mesh("ab").await.unwrap().is_some());
    assert_eq!(let_go(&s, 0, &[], &[]).await.unwrap(), 4000);
    assert_eq!(s.space().await.unwrap().all(), 0);
}

/// Lets go of what nobody asks for now.
async fn let_go(s: &Store, keep: i64, asked: &[[u8; 32]], meshes: &[String]) -> Result<i64, StoreError> {
    let now = s.moment().await?;
    s.let_go(keep, asked, meshes, &now).await
}

#[tokio::test]
async fn what_comes_while_room_is_made_stays() {
    let s = fresh().await;
    let begun = s.moment().await.unwrap();
    s.keep_checkpoint(&[3; 32], &[0; 500]).await.unwrap();
    assert_eq!(s.let_go(0, &[], &[], &begun).await.unwrap(), 0, "it came since");
    assert_eq!(let_go(&s, 0, &[], &[]).await.unwrap(), 500);
}

#[tokio::test]
async fn a_mesh_that_just_came_in_stays_until_a_scene_can_name_it() {
    let s = fresh().await;
    s.keep_mesh("ab", "a.obj", &[0; 1000]).await.unwrap();
    assert_eq!(let_go(&s, 0, &[], &[]).await.unwrap(), 0);
}

#[tokio::test]
async fn a_removed_project_is_away_can_be_brought_back_and_is_gone_after_thirty_days() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
    assert!(s.set_removed(id, true).await.unwrap());
    assert!(s.project(id).await.unwrap().is_none() && s.projects().await.unwrap().is_empty());
    assert_eq!(s.queue_run(id, &RunWish::default(), false).await.unwrap(), None);
    assert_eq!(s.run(run.id).await.unwrap().unwrap().state, RunState::Cancelled);
    assert_eq!(s.removed_projects().await.unwrap()[0].id, id);
    assert!(s.set_removed(id, false).await.unwrap() && !s.set_removed(id, false).await.unwrap());
    assert!(s.project(id).await.unwrap().is_some());
    s.set_removed(id, true).await.unwrap();
    s.age_all(29).await.unwrap();
    assert_eq!(s.end_removed().await.unwrap(), 0);
    s.age_all(2).await.unwrap();
    assert_eq!(s.end_removed().await.unwrap(), 1);
    assert!(!s.set_removed(id, false).await.unwrap());
}

#[tokio::test]
async fn all_scenes_are_those_of_now_of_undo_of_redo_and_of_runs() {
    let s = fresh().await;
    let scene = |v: i64| json!({"name": "P", "v": v});
    let id = s.create_project("P", &scene(0)).await.unwrap();
    // Patches here are simply the scenes that they lead to.
    let to = |v: i64| scene(v).to_string();
    for v in 1..5 {
        let (forward, backward) = (to(v), to(v - 1));
        let edit = NewEdit { label: "v", forward: &forward, backward: &backward };
        done(s.edit(id, v - 1, &scene(v), &edit).await.unwrap());
    }
    s.queue_run(id, &RunWish::default(), false).await.unwrap();
    let apply = |_: &Value, patch: &str| serde_json::from_str(patch).ok();
    for revision in [4, 5] {
        done(s.turn(id, revision, true, apply).await.unwrap());
    }
    let mut all: Vec<i64> =
        s.all_scenes(apply).await.unwrap().iter().map(|s| s["v"].as_i64().unwrap()).collect();
    all.sort_unstable();
    assert_eq!(all, [0, 1, 2, 3, 4, 4], "now 2, undo 1 and 0, redo 3 and 4, the run's 4");
}

#[tokio::test]
async fn a_run_that_waits_is_cancelled_at_once() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
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
    let run = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
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

#[tokio::test]
async fn projects_take_turns_and_what_is_put_first_comes_first() {
    let s = fresh().await;
    let mut ids = vec![];
    for name in ["Long", "Short", "Other"] {
        ids.push(s.create_project(name, &json!({"name": name})).await.unwrap());
    }
    let all = RunWish::default();
    let long = s.queue_run(ids[0], &all, false).await.unwrap().unwrap();
    assert_eq!(s.claim_run("w").await.unwrap().unwrap().run, long.id);
    assert!(!s.is_waited_for(long.id, true).await.unwrap(), "nobody else is there");
    // The long project asks for more before the others ask at all: theirs come first all the same.
    let wish = RunWish { until: Some(9), bodies: vec!["a".into()] };
    let more = s.queue_run(ids[0], &wish, false).await.unwrap().unwrap();
    assert_eq!((&more.wish, more.id != long.id), (&wish, true), "another wish is another run");
    let short = s.queue_run(ids[1], &all, false).await.unwrap().unwrap();
    let other = s.queue_run(ids[2], &all, false).await.unwrap().unwrap();
    assert!(!s.is_waited_for(long.id, false).await.unwrap(), "its turn is not over");
    assert!(s.is_waited_for(long.id, true).await.unwrap());
    let at = RunRow { done: 7, total: 10, computed: 7, seconds: 3.5, ..long.clone() };
    s.hand_on("w", &at).await.unwrap();
    let queue: Vec<i64> = s.going().await.unwrap().iter().map(|g| g.run).collect();
    assert_eq!(queue, [short.id, other.id, long.id, more.id]);
    assert_eq!(s.claim_run("w").await.unwrap().unwrap().run, short.id);
    s.put_first(more.id).await.unwrap();
    assert!(s.is_waited_for(short.id, false).await.unwrap(), "put first by hand, at once");
    let next = s.claim_run("v").await.unwrap().unwrap();
    assert_eq!((next.run, next.wish), (more.id, wish));
    assert_eq!(s.claim_run("u").await.unwrap().unwrap().run, other.id);
    let last = s.claim_run("t").await.unwrap().unwrap();
    assert_eq!((last.run, last.computed, last.seconds), (long.id, 7, 3.5), "it goes on from where it was");
}

#[tokio::test]
async fn run_again_ends_what_the_older_revision_was_at() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    let old = s.queue_run(id, &RunWish::default(), false).await.unwrap().unwrap();
    s.claim_run("w").await.unwrap();
    done(s.edit(id, 0, &json!({"name": "Q"}), &EDIT).await.unwrap());
    let new = s.queue_run(id, &RunWish::default(), true).await.unwrap().unwrap();
    assert_ne!(new.id, old.id);
    assert!(!s.beat("w", old.id).await.unwrap(), "its worker is told to stop");
}

#[tokio::test]
async fn a_project_keeps_a_picture_of_a_revision() {
    let s = fresh().await;
    let id = s.create_project("P", &json!({"name": "P"})).await.unwrap();
    assert_eq!((s.picture(id).await.unwrap(), s.projects().await.unwrap()[0].pictured), (None, None));
    assert!(s.keep_picture(id, 3, b"png").await.unwrap());
    assert_eq!(s.picture(id).await.unwrap().unwrap(), b"png");
    assert_eq!(s.projects().await.unwrap()[0].pictured, Some(3));
    assert!(!s.keep_picture(99, 3, b"png").await.unwrap());
}
