//! The algebra of maps: what layers, strengths, inverting and remapping do to weights.
use nematon_document::{Blend, Layer, Map, Ramp, Weights, validate};
use proptest::prelude::*;
use serde_json::{Value, json};

const BLENDS: [Blend; 6] = [Blend::Over, Blend::Add, Blend::Take, Blend::Multiply, Blend::Most, Blend::Least];

fn layer(blend: Blend, invert: bool) -> Layer {
    let ramp = Ramp { along: nematon_document::Axis::X, from: 0.0, to: 1.0 };
    Layer { blend, invert, ..Layer::of(Weights::Ramp(ramp)) }
}

proptest! {
    #[test]
    fn weights_stay_weights_whatever_is_laid(
        under in 0.0..=1.0f64, own in 0.0..=1.0f64, strength in -2.0..3.0f64, k in 0..6usize, invert: bool,
    ) {
        let w = layer(BLENDS[k], invert).lay(under, own, strength);
        prop_assert!((0.0..=1.0).contains(&w), "{w}");
    }

    #[test]
    fn of_no_strength_it_leaves_all_as_it_was_and_of_half_it_is_half_way(
        under in 0.0..=1.0f64, own in 0.0..=1.0f64, k in 0..6usize, invert: bool,
    ) {
        let l = layer(BLENDS[k], invert);
        prop_assert_eq!(l.lay(under, own, 0.0), under);
        let half = 0.5 * (under + l.lay(under, own, 1.0));
        prop_assert!((l.lay(under, own, 0.5) - half).abs() < 1e-12);
    }

    #[test]
    fn what_is_most_inverted_is_least_of_the_inverted_and_adding_undoes_taking_where_nothing_was_cut(
        a in 0.0..=1.0f64, b in 0.0..=1.0f64,
    ) {
        let lay = |blend: Blend, a, b| blend.lay(a, b);
        prop_assert!((1.0 - lay(Blend::Most, a, b) - lay(Blend::Least, 1.0 - a, 1.0 - b)).abs() < 1e-12);
        prop_assert_eq!(lay(Blend::Multiply, a, b), lay(Blend::Multiply, b, a));
        if a + b <= 1.0 {
            prop_assert!((lay(Blend::Take, lay(Blend::Add, a, b), b) - a).abs() < 1e-12);
        }
        prop_assert!(lay(Blend::Take, a, b) <= a && lay(Blend::Add, a, b) >= a);
    }

    #[test]
    fn a_remap_goes_through_its_points_and_inverting_comes_first(
        w in 0.0..=1.0f64, low in 0.0..0.5f64, high in 0.5..=1.0f64, a in 0.0..=1.0f64, b in 0.0..=1.0f64,
    ) {
        let mut map = Map::of("m", layer(Blend::Over, false).weights);
        prop_assert_eq!(map.becomes(w), w);
        map.remap = vec![[low, a], [high, b]];
        prop_assert!((map.becomes(low) - a).abs() < 1e-12);
        prop_assert!((map.becomes(high) - b).abs() < 1e-9);
        prop_assert_eq!(map.becomes(0.0), a);
        prop_assert!((a.min(b) - 1e-12..=a.max(b) + 1e-12).contains(&map.becomes(w)));
        let straight = map.becomes(1.0 - w);
        map.invert = true;
        prop_assert_eq!(map.becomes(w), straight);
    }
}

fn faults(change: impl FnOnce(&mut Value)) -> Vec<(String, String)> {
    let mut scene: Value = serde_json::from_str(include_str!("full.json")).unwrap();
    change(&mut scene["bodies"]["canopy"]);
    match validate(&scene) {
        Ok(_) => vec![],
        Err(all) => all.into_iter().map(|f| (f.path, f.message)).collect(),
    }
}

#[test]
fn what_maps_and_their_users_can_not_be_is_told_where_it_is() {
    assert_eq!(faults(|_| {}), []);
    let one = |change: &dyn Fn(&mut Value)| {
        let all = faults(change);
        assert_eq!(all.len(), 1, "{all:?}");
        all[0].clone()
    };
    let at = "/bodies/canopy/maps/fade";
    let (path, why) = one(&|b| b["maps"]["fade"]["remap"] = json!([[0.5, 0], [0.5, 1]]));
    assert_eq!(path, format!("{at}/remap/1/0"));
    assert!(why.contains("0.5"), "{why}");
    let (path, _) = one(&|b| b["maps"]["fade"]["remap"] = json!([[0.5, 1.5]]));
    assert_eq!(path, format!("{at}/remap/0/1"));
    let stroke = json!({"blob": "0".repeat(64)});
    let painted = json!([{"weights": {"painted": {"strokes": [stroke]}}}]);
    let (path, _) = one(&|b| b["maps"]["fade"]["layers"] = painted.clone());
    assert_eq!(path, format!("{at}/layers/0/weights/painted/on"));
    let many: Vec<Value> = (0..201).map(|_| json!({"weights": {"noise": {"size": 1}}})).collect();
    let (path, _) = one(&|b| b["maps"]["fade"]["layers"] = json!(many));
    assert_eq!(path, format!("{at}/layers"));
    let (path, why) = one(&|b| {
        b["scaled"]["follow"] = json!({"map": "fade"});
        b.as_object_mut().unwrap().remove("follow");
    });
    assert_eq!(path, "/bodies/canopy/scaled/follow");
    assert!(why.contains("follow"), "{why}");
    let (path, _) = one(&|b| b["grips"]["bare"] = json!({"name": "Bare", "points": []}));
    assert_eq!(path, "/bodies/canopy/grips/bare/points");
    let (path, why) = one(&|b| b["grips"]["bare"] = json!({"name": "Bare", "points": [], "map": "none"}));
    assert_eq!(path, "/bodies/canopy/grips/bare/map");
    assert!(why.contains("none"), "{why}");
    assert_eq!(faults(|b| b["grips"]["soft"] = json!({"name": "Soft", "points": [], "map": "fade"})), []);
}

#[test]
fn zones_of_maps_have_places_and_files_of_layers_are_told() {
    let mut scene: Value = serde_json::from_str(include_str!("full.json")).unwrap();
    let blob = |c: char| json!({"blob": c.to_string().repeat(64)});
    scene["bodies"]["canopy"]["maps"]["more"] = json!({"name": "More", "layers": [
        {"weights": {"zone": {"form": {"tube": {"radius": 1, "length": 1, "wall": 0.1}}, "edge": 0.1}}},
        {"weights": {"painted": {"on": blob('a'), "strokes": [blob('b'), blob('c')]}}},
        {"weights": {"picture": {"from": blob('d')}}},
    ]});
    let mut scene = validate(&scene).unwrap();
    let at = "/bodies/canopy/maps/more/layers";
    assert!(scene.nodes().iter().any(|(p, _)| *p == format!("{at}/0/weights/zone/place")));
    let paths: Vec<String> =
        scene.sources().into_iter().map(|(p, _)| p).filter(|p| p.starts_with(at)).collect();
    let own = [
        "1/weights/painted/on",
        "1/weights/painted/strokes/0",
        "1/weights/painted/strokes/1",
        "2/weights/picture/from",
    ];
    assert_eq!(paths, own.map(|p| format!("{at}/{p}")));
    let all = scene.meshes().len();
    assert_eq!(scene.meshes_mut().len(), all);
}
