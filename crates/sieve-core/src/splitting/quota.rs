//! How many pictures of each class go to each part: rounding with two margins.

/// One class: how many pictures it has, and how many of them each part must get at least.
#[derive(Clone, Debug)]
pub(super) struct ClassNeed {
    /// Pictures of the class.
    pub images: u64,
    /// For each part the fewest it may get; together no more than `images`.
    pub least: Vec<u64>,
}

/// For each class and part the number of pictures, such that
///
/// * each class gives exactly its pictures, and each part gets at least what it must;
/// * over the whole collection each part gets its share, rounded by largest remainder, unless what
///   it must get stands in the way;
/// * under these, the squared differences from the exact shares of all classes are least.
///
/// `weights` are the shares of the parts in a common unit. Each class starts with what its parts
/// must get; the rest goes one by one to the part that lacks most, which alone would be rounding by
/// largest remainder. Then one picture after the other is moved from a part of the collection that
/// has too many to one that has too few, each time along the cheapest way, which may pass through
/// other parts in other classes (successive shortest paths: every step keeps the sum least for the
/// totals reached so far, because the costs are convex). Ties fall to the earlier part and class.
pub(super) fn quotas(classes: &[ClassNeed], weights: &[u64]) -> Vec<Vec<u64>> {
    let parts = weights.len();
    let mut got: Vec<Vec<u64>> = classes.iter().map(|class| class.least.clone()).collect();
    for (class, got) in classes.iter().zip(&mut got) {
        for _ in got.iter().sum::<u64>()..class.images {
            let part = most(0..parts, |&part| lack(class.images, weights, got, part));
            got[part.expect("there are parts")] += 1;
        }
    }
    let all: u64 = classes.iter().map(|class| class.images).sum();
    let target = largest_remainder(all, weights);
    while let Some(way) = cheapest_way(classes, weights, &got, &target) {
        for step in way {
            got[step.class][step.from] -= 1;
            got[step.class][step.to] += 1;
        }
    }
    got
}

/// One picture of a class moved from a part to another, and what that adds to the squared
/// differences, in a unit that is the same for all classes.
#[derive(Clone, Copy)]
struct Step {
    class: usize,
    from: usize,
    to: usize,
    cost: i128,
}

/// The cheapest way to bring a picture from a part with too many to one with too few.
fn cheapest_way(
    classes: &[ClassNeed],
    weights: &[u64],
    got: &[Vec<u64>],
    target: &[u64],
) -> Option<Vec<Step>> {
    let parts = weights.len();
    let totals: Vec<u64> =
        (0..parts).map(|part| got.iter().map(|got| got[part]).sum::<u64>()).collect();
    if totals == target {
        return None;
    }
    let steps = cheapest_steps(classes, weights, got);
    // Bellman and Ford: ways of one step more in each round.
    let mut ways: Vec<Option<(i128, Vec<Step>)>> =
        (0..parts).map(|part| (totals[part] > target[part]).then(|| (0, Vec::new()))).collect();
    for _ in 1..parts {
        for step in &steps {
            let Some((cost, way)) = &ways[step.from] else { continue };
            let cost = cost + step.cost;
            if ways[step.to].as_ref().is_none_or(|(known, _)| cost < *known) {
                let way = way.iter().copied().chain([*step]).collect();
                ways[step.to] = Some((cost, way));
            }
        }
    }
    let ends = ways.into_iter().enumerate().filter(|(part, _)| totals[*part] < target[*part]);
    let ends = ends.filter_map(|(_, way)| way);
    most(ends, |(cost, _)| -cost).map(|(_, way)| way)
}

/// For each pair of parts the class in which a move costs least.
fn cheapest_steps(classes: &[ClassNeed], weights: &[u64], got: &[Vec<u64>]) -> Vec<Step> {
    let parts = weights.len();
    let sum: i128 = weights.iter().map(|&weight| i128::from(weight)).sum();
    let pairs = (0..parts).flat_map(|from| (0..parts).map(move |to| (from, to)));
    let cheapest = |(from, to): (usize, usize)| {
        let steps =
            (0..classes.len()).filter(|&class| got[class][from] > classes[class].least[from]);
        let steps = steps.map(|class| {
            let lack = |part| lack(classes[class].images, weights, &got[class], part);
            // What (got - exact)² grows by, over twice the sum of the weights.
            Step { class, from, to, cost: lack(from) - lack(to) + sum }
        });
        most(steps, |step| -step.cost)
    };
    pairs.filter(|(from, to)| from != to).filter_map(cheapest).collect()
}

/// How many pictures a part lacks of its exact share of a class, times the sum of the weights.
pub(super) fn lack(images: u64, weights: &[u64], got: &[u64], part: usize) -> i128 {
    let sum: u64 = weights.iter().sum();
    i128::from(images) * i128::from(weights[part]) - i128::from(got[part]) * i128::from(sum)
}

/// `all` divided by `weights`: each exact share rounded down, what is left over one each to the
/// largest remainders (Hamilton's method). Ties fall to the earlier part.
pub(super) fn largest_remainder(all: u64, weights: &[u64]) -> Vec<u64> {
    let sum: u128 = weights.iter().map(|&weight| u128::from(weight)).sum();
    let exact: Vec<u128> =
        weights.iter().map(|&weight| u128::from(all) * u128::from(weight)).collect();
    let mut shares: Vec<u64> = exact.iter().map(|exact| (exact / sum) as u64).collect();
    let mut order: Vec<usize> = (0..weights.len()).collect();
    order.sort_by_key(|&part| std::cmp::Reverse(exact[part] % sum));
    let left = all - shares.iter().sum::<u64>();
    for &part in order.iter().take(left as usize) {
        shares[part] += 1;
    }
    shares
}

/// The first of the items with the greatest value.
pub(super) fn most<T, V: Ord>(
    items: impl Iterator<Item = T>,
    value: impl Fn(&T) -> V,
) -> Option<T> {
    let mut best: Option<(T, V)> = None;
    for item in items {
        let value = value(&item);
        if best.as_ref().is_none_or(|(_, most)| value > *most) {
            best = Some((item, value));
        }
    }
    best.map(|(item, _)| item)
}
