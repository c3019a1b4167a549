//! A frame is kept at the index it was computed for.
use nematon_evaluate::{FrameSnag, FrameTold, Grade};
use nematon_frames::{Chunk, Key};
use nematon_server::packing::{Computed, Own, pack, runs_of};

fn own(keys: Vec<Key>) -> Own {
    Own { keys, error: 5e-5 }
}

fn frame(index: usize) -> Computed {
    Computed {
        index,
        positions: vec![vec![[index as f64; 3]]],
        told: vec![FrameTold::default()],
        ..Computed::default()
    }
}

#[test]
fn frames_are_cut_where_one_is_missing_and_keep_their_own_index() {
    let given = [3, 4, 5, 9, 10, 2, 12];
    let runs = runs_of(given.iter().map(|k| frame(*k)).collect());
    let indices: Vec<Vec<usize>> = runs.iter().map(|r| r.iter().map(|f| f.index).collect()).collect();
    assert_eq!(indices, [vec![3, 4, 5], vec![9, 10], vec![2], vec![12]]);
}

#[test]
fn what_is_packed_stands_under_the_keys_of_its_own_index() {
    let keys = vec![[7u8; 32], [8; 32]];
    let snag = FrameSnag {
        snag: "pop".into(),
        grade: Grade::Large,
        with: None,
        count: 1,
        worst: 2.0,
        point: 3,
        triangles: vec![],
    };
    let mut run = vec![frame(7), frame(8)];
    run[1].told = vec![FrameTold { snags: vec![snag], took: Some(40) }];
    run[1].checkpoint = Some(vec![1, 2, 3]);
    let packed = pack(&[own(keys)], run).unwrap();
    assert_eq!((packed.told.len(), packed.told[0].0, packed.checkpoints[0].0), (1, [8; 32], [8; 32]));
    let told = serde_json::from_str::<FrameTold>(&packed.told[0].1).unwrap();
    assert_eq!((told.snags[0].grade, told.took), (Grade::Large, Some(40)));
    // As builds before told it: faults alone.
    let before: FrameTold =
        serde_json::from_str(r#"[{"snag":"leap","count":1,"worst":2.0,"point":3}]"#).unwrap();
    assert_eq!((before.snags.len(), before.snags[0].grade, before.took), (1, Grade::Small, None));
    let chunk = Chunk::unpack(&packed.chunks[0]).unwrap();
    assert!((chunk.frame(1).unwrap()[0][0] - 8.0).abs() < 1e-4);
}

#[test]
fn a_frame_of_other_bodies_is_told_and_not_kept() {
    let two = vec![own(vec![[0u8; 32]]), own(vec![[1; 32]])];
    assert!(pack(&two, vec![frame(0)]).is_err());
}
