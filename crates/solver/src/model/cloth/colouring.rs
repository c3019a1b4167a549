//! Packs constraints into groups of eight that share no point. A pure function of its input.

/// Groups of up to eight of the items (by their place in `items`) such that no point occurs twice in
/// a group. Neighbouring groups tend to share no point either, so that one need not wait for the
/// other's stores: items are first coloured greedily, then taken colour by colour.
pub fn pack<const P: usize>(items: &[[u32; P]]) -> Vec<Vec<usize>> {
    let Some(most) = items.iter().flatten().max() else { return vec![] };
    let low = items.iter().flatten().min().copied().unwrap_or(0);
    let mut used = vec![0u64; (most - low) as usize + 1];
    let mut coloured: Vec<(u32, usize)> = items
        .iter()
        .enumerate()
        .map(|(k, item)| {
            let taken = item.iter().fold(0, |m, &p| m | used[(p - low) as usize]);
            let colour = taken.trailing_ones().min(63);
            item.iter().for_each(|&p| used[(p - low) as usize] |= 1 << colour);
            (colour, k)
        })
        .collect();
    coloured.sort_unstable();
    let mut left: std::collections::VecDeque<usize> = coloured.into_iter().map(|(_, k)| k).collect();
    let mut groups = vec![];
    while !left.is_empty() {
        let mut group: Vec<usize> = vec![];
        let mut passed = vec![];
        // A look ahead is enough: what it passes over comes first in the next group.
        for _ in 0..256 {
            if group.len() == 8 {
                break;
            }
            let Some(k) = left.pop_front() else { break };
            if group.iter().any(|&g| items[g].iter().any(|p| items[k].contains(p))) {
                passed.push(k);
            } else {
                group.push(k);
            }
        }
        passed.into_iter().rev().for_each(|k| left.push_front(k));
        groups.push(group);
    }
    groups
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_item_is_in_one_group_and_no_group_shares_a_point() {
        let items: Vec<[u32; 3]> = (0..500u32).map(|k| [k, k + 1, (k * 7 + 40) % 600 + 600]).collect();
        let groups = pack(&items);
        let mut seen: Vec<usize> = groups.iter().flatten().copied().collect();
        seen.sort_unstable();
        assert_eq!(seen, (0..500).collect::<Vec<_>>());
        for g in &groups {
            let mut points: Vec<u32> = g.iter().flat_map(|&k| items[k]).collect();
            let n = points.len();
            points.sort_unstable();
            points.dedup();
            assert_eq!(points.len(), n);
        }
        assert!(groups.len() < 80, "{} groups for 500 items", groups.len());
    }
}
