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
///   it must get is more;
/// * each class is as near to its own shares as the first two allow.
///
/// `weights` are the shares of the parts in a common unit. Each class starts with what its parts
/// must get; the rest goes one by one to the part that lacks most, which is rounding by largest
/// remainder. Then pictures are moved between parts, each time in the class where it costs least
/// in squared difference from its exact shares, until the totals of the collection are right.
/// Ties fall to the earlier part and class.
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
    let total = |got: &[Vec<u64>], part: usize| got.iter().map(|got| got[part]).sum::<u64>();
    loop {
        let totals: Vec<u64> = (0..parts).map(|part| total(&got, part)).collect();
        let over: Vec<usize> = (0..parts).filter(|&part| totals[part] > target[part]).collect();
        let under: Vec<usize> = (0..parts).filter(|&part| totals[part] < target[part]).collect();
        let moves = (0..classes.len()).flat_map(|class| {
            let pairs = over.iter().flat_map(|&from| under.iter().map(move |&to| (from, to)));
            pairs.map(move |(from, to)| (class, from, to))
        });
        let possible =
            moves.filter(|&(class, from, _)| got[class][from] > classes[class].least[from]);
        let gain = |&(class, from, to): &(usize, usize, usize)| {
            let lack = |part| lack(classes[class].images, weights, &got[class], part);
            lack(to) - lack(from)
        };
        let Some((class, from, to)) = most(possible, gain) else { return got };
        got[class][from] -= 1;
        got[class][to] += 1;
    }
}

/// How many pictures a part lacks of its exact share of a class, times the sum of the weights.
fn lack(images: u64, weights: &[u64], got: &[u64], part: usize) -> i128 {
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
