//! How many pictures of each class go to each part: rounding with two margins.

use std::collections::BTreeSet;

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
            let part = most(0..parts, |&part| deficit(class.images, weights, got, part));
            got[part.expect("there are parts")] += 1;
        }
    }
    let all: u64 = classes.iter().map(|class| class.images).sum();
    let target = largest_remainder(all, weights);
    let mut totals: Vec<u64> =
        (0..parts).map(|part| got.iter().map(|got| got[part]).sum::<u64>()).collect();
    let mut moves = Moves::new(classes, weights, &got);
    while let Some(way) = cheapest_way(&moves.cheapest(), &totals, &target) {
        for step in way {
            moves.forget(step.class, &got[step.class]);
            for got in [&mut got[step.class], &mut totals] {
                got[step.from] -= 1;
                got[step.to] += 1;
            }
            moves.add(step.class, &got[step.class]);
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
fn cheapest_way(steps: &[Step], totals: &[u64], target: &[u64]) -> Option<Vec<Step>> {
    let parts = totals.len();
    // Bellman and Ford: ways of one step more in each round.
    let mut ways: Vec<Option<(i128, Vec<Step>)>> =
        (0..parts).map(|part| (totals[part] > target[part]).then(|| (0, Vec::new()))).collect();
    for _ in 1..parts {
        for step in steps {
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

/// What it costs to move one picture, for each pair of parts and each class that can give one: kept in order, as one
/// class changes with each move and there may be ten thousand.
struct Moves<'a> {
    classes: &'a [ClassNeed],
    weights: &'a [u64],
    /// Costs with their classes, by the pair of parts.
    by_pair: Vec<BTreeSet<(i128, usize)>>,
}

impl<'a> Moves<'a> {
    fn new(classes: &'a [ClassNeed], weights: &'a [u64], got: &[Vec<u64>]) -> Self {
        let by_pair = vec![BTreeSet::new(); weights.len() * weights.len()];
        let mut moves = Moves { classes, weights, by_pair };
        got.iter().enumerate().for_each(|(class, got)| moves.add(class, got));
        moves
    }

    /// The moves of a class that has given so many pictures to each part.
    fn steps(&self, class: usize, got: &[u64]) -> Vec<Step> {
        let parts = self.weights.len();
        let sum: i128 = self.weights.iter().map(|&weight| i128::from(weight)).sum();
        let ClassNeed { images, least } = &self.classes[class];
        let deficit = |part| deficit(*images, self.weights, got, part);
        let from = (0..parts).filter(|&from| got[from] > least[from]);
        let pairs = from.flat_map(|from| (0..parts).map(move |to| (from, to)));
        pairs
            .filter(|(from, to)| from != to)
            // What (got - exact)² grows by, over twice the sum of the weights.
            .map(|(from, to)| Step { class, from, to, cost: deficit(from) - deficit(to) + sum })
            .collect()
    }

    fn add(&mut self, class: usize, got: &[u64]) {
        for Step { from, to, cost, .. } in self.steps(class, got) {
            self.by_pair[from * self.weights.len() + to].insert((cost, class));
        }
    }

    fn forget(&mut self, class: usize, got: &[u64]) {
        for Step { from, to, cost, .. } in self.steps(class, got) {
            self.by_pair[from * self.weights.len() + to].remove(&(cost, class));
        }
    }

    /// For each pair of parts the move that costs least; of equals that of the earlier class.
    fn cheapest(&self) -> Vec<Step> {
        let parts = self.weights.len();
        let first = |(pair, costs): (usize, &BTreeSet<(i128, usize)>)| {
            let &(cost, class) = costs.first()?;
            Some(Step { class, from: pair / parts, to: pair % parts, cost })
        };
        self.by_pair.iter().enumerate().filter_map(first).collect()
    }
}

/// How many pictures a part lacks of its exact share of a class, times the sum of the weights.
pub(super) fn deficit(images: u64, weights: &[u64], got: &[u64], part: usize) -> i128 {
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
