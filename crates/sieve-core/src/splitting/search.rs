//! The search for the best counts: how many groups of each kind go to each part.
//!
//! Groups of the same counts in the same rows are of one kind, and may be exchanged freely. Searched is over how many of
//! each kind each part gets: from a start that is drawn in proportion, by moving one group, by exchanging two, and, for
//! problems that are small enough, again from where a few groups were moved at random. What is found depends on the
//! kinds and their random numbers alone.

/// One line of the table that is balanced: a class, a class in a stratum, or all images.
#[derive(Clone, Debug)]
pub struct Row {
    /// What an image too many or too few costs: 1 over the images of the class, or over all.
    pub weight: f64,
    /// Images that each part should have; not whole.
    pub target: Vec<f64>,
    /// Images that each part has already, whatever is decided.
    pub fixed: Vec<u64>,
    /// Whether every part that is to have any must have one, because there are groups enough.
    pub is_in_every_part: bool,
    /// Whether the first part must have one: a class that is not trained on is never learned.
    pub is_in_first_part: bool,
}

/// Groups with the same counts.
#[derive(Clone, Debug)]
pub struct Kind {
    /// Images of one such group by row, sorted by row.
    pub counts: Vec<(usize, u64)>,
    /// How many such groups there are.
    pub groups: u64,
    /// Drawn from the seed and the content of the groups.
    pub random: u64,
}

/// What is to be balanced.
#[derive(Clone, Debug)]
pub struct Problem {
    /// The lines of the table.
    pub rows: Vec<Row>,
    /// The groups.
    pub kinds: Vec<Kind>,
    /// Parts that groups may go to.
    pub is_open: Vec<bool>,
}

/// What an empty part of a row costs that must be in every part: more than all differences together.
const EMPTY: f64 = 1e6;
/// The same for the first part of a row that cannot be in every part.
const NOT_FIRST: f64 = 1e3;
/// What counts: how far all rows are off, and where that is equal, how unevenly. Of two shortfalls of one image the sum of
/// the differences does not tell whether they are in one part or in two; their squares do.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Cost {
    /// Sum of differences.
    pub sum: f64,
    /// Sum of their squares.
    pub squares: f64,
}

impl Cost {
    /// Whether a change of the cost makes it better.
    fn is_gain(self) -> bool {
        self.sum < -NOTHING || (self.sum <= NOTHING && self.squares < -NOTHING)
    }
}

impl std::ops::Add for Cost {
    type Output = Cost;

    fn add(self, other: Cost) -> Cost {
        Cost { sum: self.sum + other.sum, squares: self.squares + other.squares }
    }
}

impl std::ops::Sub for Cost {
    type Output = Cost;

    fn sub(self, other: Cost) -> Cost {
        Cost { sum: self.sum - other.sum, squares: self.squares - other.squares }
    }
}

impl std::iter::Sum for Cost {
    fn sum<I: Iterator<Item = Cost>>(costs: I) -> Cost {
        costs.fold(Cost::default(), |all, cost| all + cost)
    }
}

/// Differences below this are none: what adding up in another order changes.
const NOTHING: f64 = 1e-9;
/// Kinds up to which every two are tried for an exchange.
const ALL_PAIRS: usize = 450;
/// Kinds of one row that are tried for an exchange in larger problems.
const PAIRS_OF_A_ROW: usize = 64;
/// Attempts from moved groups, times the square of the kinds: about a second where the best is not found sooner.
const EFFORT: usize = 80_000_000;
/// Attempts at most.
const MOST_ATTEMPTS: usize = 3_000;

/// Kinds of a neighbourhood in a large problem, at most.
const NEIGHBOURHOOD: usize = 100;
/// Attempts from moved groups in each neighbourhood.
const NEIGHBOURHOOD_ATTEMPTS: usize = 20;
/// Images of a row whose groups are dealt by their sums, at most; in larger ones there is a group of every size.
const MOST_SUM: u64 = 200_000;
/// Rounds over the rows of a large problem.
const MOST_ROUNDS: usize = 12;

/// How many groups of each kind go to each part.
pub type Counts = Vec<Vec<u64>>;

impl Row {
    /// What its differences do not fall below: what whole numbers leave.
    fn bound(&self) -> f64 {
        // Each target rounded down; what is left goes to the largest remainders, one each.
        let mut remainders: Vec<f64> = self.target.iter().map(|target| target.fract()).collect();
        remainders.sort_by(|a, b| b.total_cmp(a));
        let left = remainders.iter().sum::<f64>().round() as usize;
        let up = remainders.iter().take(left).map(|remainder| 1.0 - remainder);
        self.weight * up.chain(remainders.iter().skip(left).copied()).sum::<f64>()
    }
}

impl Problem {
    fn parts(&self) -> usize {
        self.is_open.len()
    }

    fn cell(&self, row: usize, part: usize, count: u64) -> Cost {
        let row = &self.rows[row];
        let empty = match (count, part) {
            (0, _) if row.is_in_every_part && row.target[part] > 0.0 => EMPTY,
            (0, 0) if row.is_in_first_part => NOT_FIRST,
            _ => 0.0,
        };
        let off = (count as f64 - row.target[part]).abs();
        Cost { sum: row.weight * off + empty, squares: row.weight * off * off }
    }

    /// The images that each part has of each row.
    pub fn images(&self, counts: &Counts) -> Vec<Vec<u64>> {
        let mut images: Vec<Vec<u64>> = self.rows.iter().map(|row| row.fixed.clone()).collect();
        for (kind, counts) in self.kinds.iter().zip(counts) {
            for &(row, size) in &kind.counts {
                counts.iter().enumerate().for_each(|(part, n)| images[row][part] += n * size);
            }
        }
        images
    }

    /// How far all of it is off.
    pub fn cost(&self, counts: &Counts) -> Cost {
        let images = self.images(counts);
        let of_row = |row: usize| -> Cost {
            (0..self.parts()).map(|part| self.cell(row, part, images[row][part])).sum()
        };
        (0..self.rows.len()).map(of_row).sum()
    }

    /// What no counts fall below: of each row the difference that whole numbers leave, as if each were alone.
    pub fn bound(&self) -> f64 {
        self.rows.iter().map(Row::bound).sum()
    }

    /// The best counts that are found.
    pub fn solve(&self) -> Counts {
        let mut state = State::new(self);
        state.descend();
        let kinds = self.kinds.len();
        if kinds <= ALL_PAIRS && kinds > 0 {
            let attempts = (EFFORT / (kinds * kinds * self.parts())).clamp(20, MOST_ATTEMPTS);
            state.attempt(attempts);
        } else {
            state.search_neighbourhoods();
        }
        state.counts
    }
}

struct State<'a> {
    problem: &'a Problem,
    counts: Counts,
    images: Vec<Vec<u64>>,
    /// The kinds in random order.
    order: Vec<usize>,
    /// The kinds of each row, in that order.
    of_row: Vec<Vec<usize>>,
    /// Of a small problem, whether two kinds have a row in common beside the last, which all have.
    shared: Vec<bool>,
}

/// One group of a kind from a part to another.
type Move = (usize, usize, usize);

impl<'a> State<'a> {
    fn new(problem: &'a Problem) -> Self {
        State::at(problem, problem.kinds.iter().map(|kind| start(problem, kind)).collect())
    }

    /// The search from these counts on.
    fn at(problem: &'a Problem, counts: Counts) -> Self {
        let images = problem.images(&counts);
        let mut order: Vec<usize> = (0..problem.kinds.len()).collect();
        order.sort_by_key(|&kind| (problem.kinds[kind].random, kind));
        let mut of_row = vec![Vec::new(); problem.rows.len()];
        for &kind in &order {
            problem.kinds[kind].counts.iter().for_each(|&(row, _)| of_row[row].push(kind));
        }
        let kinds = &problem.kinds;
        let last = problem.rows.len() - 1;
        let share = |a: &Kind, b: &Kind| {
            let is_of_b = |row: usize| b.counts.binary_search_by_key(&row, |&(row, _)| row).is_ok();
            a.counts.iter().any(|&(row, _)| row != last && is_of_b(row))
        };
        let shared = match kinds.len() <= ALL_PAIRS {
            true => kinds.iter().flat_map(|a| kinds.iter().map(move |b| share(a, b))).collect(),
            false => Vec::new(),
        };
        State { problem, counts, images, order, of_row, shared }
    }

    /// What a move adds to the cost.
    fn change(&self, (kind, from, to): Move) -> Cost {
        let problem = self.problem;
        let of = |&(row, size): &(usize, u64)| {
            let [a, b] = [from, to].map(|part| self.images[row][part]);
            problem.cell(row, from, a - size) - problem.cell(row, from, a)
                + problem.cell(row, to, b + size)
                - problem.cell(row, to, b)
        };
        problem.kinds[kind].counts.iter().map(of).sum()
    }

    fn make(&mut self, (kind, from, to): Move) {
        self.counts[kind][from] -= 1;
        self.counts[kind][to] += 1;
        for &(row, size) in &self.problem.kinds[kind].counts {
            self.images[row][from] -= size;
            self.images[row][to] += size;
        }
    }

    /// The moves that a kind can make. Which of equal ones is the first, its random number says: no part has an advantage
    /// by its place.
    fn moves(&self, kind: usize) -> impl Iterator<Item = Move> + use<'_, 'a> {
        let parts = self.problem.parts();
        let first = self.problem.kinds[kind].random as usize % parts;
        let turned = move |number: usize| (first + number) % parts;
        let from = (0..parts).map(turned).filter(move |&from| self.counts[kind][from] > 0);
        let pairs = from.flat_map(move |from| (0..parts).map(move |to| (from, turned(to))));
        let is_open = &self.problem.is_open;
        pairs.filter(|&(from, to)| from != to && is_open[to]).map(move |(a, b)| (kind, a, b))
    }

    /// Moves and exchanges groups as long as that makes anything better.
    fn descend(&mut self) {
        loop {
            while self.move_all() {}
            if !self.exchange_all() {
                break;
            }
        }
    }

    /// One round of moves; whether any made it better.
    fn move_all(&mut self) -> bool {
        let mut is_better = false;
        for at in 0..self.order.len() {
            let kind = self.order[at];
            while let Some(best) = self.best(self.moves(kind)) {
                self.make(best);
                is_better = true;
            }
        }
        is_better
    }

    /// The move that makes it better by most; the first of equals.
    fn best(&self, moves: impl Iterator<Item = Move>) -> Option<Move> {
        let mut best: Option<(Cost, Move)> = None;
        for one in moves {
            let change = self.change(one);
            if change.is_gain() && best.is_none_or(|(least, _)| (change - least).is_gain()) {
                best = Some((change, one));
            }
        }
        best.map(|(_, one)| one)
    }

    /// One round of exchanges; whether any made it better.
    fn exchange_all(&mut self) -> bool {
        if self.shared.is_empty() { self.exchange_within_rows() } else { self.exchange_any() }
    }

    /// The same in a large problem: kinds of one row that is off by more than rounding.
    fn exchange_within_rows(&mut self) -> bool {
        let mut is_better = false;
        for at in 0..self.order.len() {
            let kind = self.order[at];
            if !self.is_off(kind) {
                continue;
            }
            let row = self.problem.kinds[kind].counts[0].0;
            for place in 0..self.of_row[row].len().min(PAIRS_OF_A_ROW) {
                let other = self.of_row[row][place];
                is_better |= other != kind && self.exchange(kind, other);
            }
        }
        is_better
    }

    /// The same in a small problem: every two kinds. Where two have only the last row in common, what they change
    /// together is what each changes alone, but for what that row may save at most.
    fn exchange_any(&mut self) -> bool {
        let (kinds, parts) = (self.order.len(), self.problem.parts());
        let weight = self.problem.rows.last().map_or(0.0, |row| row.weight);
        let size =
            |kind: usize| self.problem.kinds[kind].counts.last().map_or(0, |&(_, n)| n) as f64;
        let sizes: Vec<f64> = (0..kinds).map(size).collect();
        let mut alone = self.changes_alone();
        let mut is_better = false;
        for at in 0..kinds {
            let kind = self.order[at];
            for way in 0..parts * parts {
                let (from, to) = (way / parts, way % parts);
                let back = to * parts + from;
                for place in 0..kinds {
                    let other = self.order[place];
                    let sum = alone[kind * parts * parts + way].sum
                        + alone[other * parts * parts + back].sum;
                    let saved = 4.0 * weight * sizes[kind].min(sizes[other]);
                    let is_hopeless = !self.shared[kind * kinds + other] && sum >= saved;
                    if sum.is_finite() && !is_hopeless && other != kind {
                        let first = (kind, from, to);
                        self.make(first);
                        let change =
                            alone[kind * parts * parts + way] + self.change((other, to, from));
                        if change.is_gain() {
                            self.make((other, to, from));
                            alone = self.changes_alone();
                            is_better = true;
                            if !alone[kind * parts * parts + way].sum.is_finite() {
                                break;
                            }
                        } else {
                            self.make((kind, to, from));
                        }
                    }
                }
            }
        }
        is_better
    }

    /// What each move changes by itself, by kind, from and to; infinite where it cannot be made.
    fn changes_alone(&self) -> Vec<Cost> {
        let parts = self.problem.parts();
        let impossible = Cost { sum: f64::INFINITY, squares: 0.0 };
        let mut alone = vec![impossible; self.order.len() * parts * parts];
        for kind in 0..self.order.len() {
            for (_, from, to) in self.moves(kind) {
                alone[(kind * parts + from) * parts + to] = self.change((kind, from, to));
            }
        }
        alone
    }

    /// Searches a large problem in neighbourhoods: the kinds of one row at a time, as a small problem in which all others
    /// stay where they are. Rows that are further off than rounding explains take their turns, again as long as anything
    /// gets better.
    fn search_neighbourhoods(&mut self) {
        let last = self.problem.rows.len() - 1;
        let mut random = mixed(self.problem.kinds.iter().fold(0, |all, kind| all ^ kind.random));
        for _ in 0..MOST_ROUNDS {
            let mut is_better = false;
            for row in 0..=last {
                let least = self.problem.rows[row].bound() + NOTHING;
                if self.of_row[row].is_empty() || self.row_cost(row).sum <= least {
                    continue;
                }
                random = mixed(random);
                is_better |= self.fill_row(row, random) || self.search_neighbourhood(row, random);
            }
            if !is_better {
                break;
            }
        }
    }

    /// Searches among kinds of one row, drawn at random where there are many; whether that made it better.
    fn search_neighbourhood(&mut self, row: usize, random: u64) -> bool {
        let mut kinds = self.of_row[row].clone();
        if kinds.len() > NEIGHBOURHOOD {
            kinds.sort_unstable_by_key(|&kind| mixed(random ^ self.problem.kinds[kind].random));
            kinds.truncate(NEIGHBOURHOOD);
        }
        let mut rows: Vec<usize> = kinds
            .iter()
            .flat_map(|&kind| self.problem.kinds[kind].counts.iter().map(|&(row, _)| row))
            .collect();
        rows.sort_unstable();
        rows.dedup();
        let place = |row: usize| rows.binary_search(&row).expect("a row of the neighbourhood");
        let small_kinds: Vec<Kind> = kinds
            .iter()
            .map(|&kind| {
                let Kind { counts, groups, random } = &self.problem.kinds[kind];
                let counts = counts.iter().map(|&(row, size)| (place(row), size)).collect();
                Kind { counts, groups: *groups, random: *random }
            })
            .collect();
        let small_rows = rows.iter().map(|&row| Row {
            fixed: vec![0; self.problem.parts()],
            ..self.problem.rows[row].clone()
        });
        let mut small = Problem {
            rows: small_rows.collect(),
            kinds: small_kinds,
            is_open: self.problem.is_open.clone(),
        };
        let counts: Counts = kinds.iter().map(|&kind| self.counts[kind].clone()).collect();
        // What all others have stays: it is what there is less what these have.
        let own = small.images(&counts);
        for ((small, own), &row) in small.rows.iter_mut().zip(own).zip(&rows) {
            let rest = self.images[row].iter().zip(own).map(|(all, own)| all - own);
            small.fixed = rest.collect();
        }
        let before = small.cost(&counts);
        let mut state = State::at(&small, counts);
        state.descend();
        state.attempt(NEIGHBOURHOOD_ATTEMPTS);
        if !(small.cost(&state.counts) - before).is_gain() {
            return false;
        }
        for (&row, images) in rows.iter().zip(state.images) {
            self.images[row] = images;
        }
        for (&kind, counts) in kinds.iter().zip(state.counts) {
            self.counts[kind] = counts;
        }
        true
    }

    /// Deals the groups that are of one row only again, so that each part but the first gets as near to its target as any choice of
    /// them comes (a subset-sum table), the parts in random order; whether that made it better.
    fn fill_row(&mut self, row: usize, random: u64) -> bool {
        let last = self.problem.rows.len() - 1;
        let is_alone = |kind: &usize| {
            let counts = &self.problem.kinds[*kind].counts;
            counts.iter().all(|&(of, _)| of == row || of == last)
        };
        let mut kinds: Vec<usize> = self.of_row[row].iter().copied().filter(is_alone).collect();
        kinds.sort_unstable_by_key(|&kind| mixed(random ^ self.problem.kinds[kind].random));
        let sizes: Vec<u64> =
            kinds.iter().map(|&kind| self.problem.kinds[kind].counts[0].1).collect();
        let mut left: Vec<u64> =
            kinds.iter().map(|&kind| self.problem.kinds[kind].groups).collect();
        let sum: u64 = sizes.iter().zip(&left).map(|(size, groups)| size * groups).sum();
        if row == last || kinds.is_empty() || sum > MOST_SUM {
            return false;
        }
        let mut parts: Vec<usize> =
            (0..self.problem.parts()).filter(|&part| self.problem.is_open[part]).collect();
        if parts.is_empty() {
            return false;
        }
        let rest = parts.remove(0);
        parts.sort_unstable_by_key(|&part| mixed(random ^ part as u64));
        let before = self.row_cost(row) + self.row_cost(last);
        let mut dealt: Counts = vec![vec![0; self.problem.parts()]; kinds.len()];
        let own = |part: usize| -> u64 {
            kinds.iter().zip(&sizes).map(|(&kind, size)| self.counts[kind][part] * size).sum()
        };
        for part in parts {
            let others = (self.images[row][part] - own(part)) as f64;
            let wanted = (self.problem.rows[row].target[part] - others).max(0.0);
            for (at, taken) in nearest_sum(&sizes, &left, wanted).into_iter().enumerate() {
                dealt[at][part] = taken;
                left[at] -= taken;
            }
        }
        for (at, left) in left.into_iter().enumerate() {
            dealt[at][rest] = left;
        }
        let undone: Vec<Vec<u64>> = kinds.iter().map(|&kind| self.counts[kind].clone()).collect();
        self.deal_again(&kinds, &dealt);
        if (self.row_cost(row) + self.row_cost(last) - before).is_gain() {
            return true;
        }
        self.deal_again(&kinds, &undone);
        false
    }

    /// Gives kinds other counts.
    fn deal_again(&mut self, kinds: &[usize], counts: &[Vec<u64>]) {
        for (&kind, counts) in kinds.iter().zip(counts) {
            for &(row, size) in &self.problem.kinds[kind].counts {
                for (part, (now, then)) in counts.iter().zip(&self.counts[kind]).enumerate() {
                    let images = &mut self.images[row][part];
                    *images = *images + now * size - then * size;
                }
            }
            self.counts[kind].clone_from(counts);
        }
    }

    fn row_cost(&self, row: usize) -> Cost {
        let parts = 0..self.problem.parts();
        parts.map(|part| self.problem.cell(row, part, self.images[row][part])).sum()
    }

    /// Whether a row of a kind is further off than rounding explains.
    fn is_off(&self, kind: usize) -> bool {
        let row = self.problem.kinds[kind].counts[0].0;
        let cells = self.images[row].iter().zip(&self.problem.rows[row].target);
        cells.into_iter().any(|(&images, target)| (images as f64 - target).abs() >= 1.0)
    }

    /// Exchanges a group of one kind for one of another, if that makes it better.
    fn exchange(&mut self, kind: usize, other: usize) -> bool {
        let parts = self.problem.parts();
        for from in 0..parts {
            for to in 0..parts {
                let can = from != to
                    && self.problem.is_open[from]
                    && self.problem.is_open[to]
                    && self.counts[kind][from] > 0
                    && self.counts[other][to] > 0;
                if !can {
                    continue;
                }
                let first = self.change((kind, from, to));
                self.make((kind, from, to));
                if (first + self.change((other, to, from))).is_gain() {
                    self.make((other, to, from));
                    return true;
                }
                self.make((kind, to, from));
            }
        }
        false
    }

    /// Moves a few groups at random and descends from there, again and again; what is better is kept. Of equals the first
    /// is, so that where it can be the start stays, which was drawn in proportion.
    fn attempt(&mut self, attempts: usize) {
        let mut random = self
            .problem
            .kinds
            .iter()
            .fold(0x9e37_79b9_7f4a_7c15, |all, kind| mixed(all ^ kind.random));
        let least = self.problem.bound();
        let mut best = (self.problem.cost(&self.counts), self.counts.clone());
        let mut here = best.0;
        for _ in 0..attempts {
            if best.0.sum <= least + NOTHING {
                break;
            }
            let before = (self.counts.clone(), self.images.clone());
            for _ in 0..2 + random % 4 {
                random = mixed(random);
                let kind = (random >> 16) as usize % self.order.len();
                let moves: Vec<Move> = self.moves(kind).collect();
                random = mixed(random);
                if let Some(&one) = moves.get((random >> 16) as usize % moves.len().max(1)) {
                    self.make(one);
                }
            }
            self.descend();
            let cost = self.problem.cost(&self.counts);
            if (here - cost).is_gain() {
                (self.counts, self.images) = before;
                continue;
            }
            here = cost;
            if (cost - best.0).is_gain() {
                best = (cost, self.counts.clone());
            }
        }
        self.counts = best.1;
        self.images = self.problem.images(&self.counts);
    }
}

/// How many groups of each size come nearest to a sum together, of as many as there are.
pub fn nearest_sum(sizes: &[u64], groups: &[u64], wanted: f64) -> Vec<u64> {
    let all: u64 = sizes.iter().zip(groups).map(|(size, groups)| size * groups).sum();
    let most = (all.min(wanted.ceil() as u64 + sizes.iter().max().unwrap_or(&0))) as usize;
    // For each sum the size that reaches it first, and how many of it; for 0 none.
    let mut reached: Vec<Option<(u32, u32)>> = vec![None; most + 1];
    reached[0] = Some((u32::MAX, 0));
    for (at, (&size, &groups)) in sizes.iter().zip(groups).enumerate() {
        let size = size as usize;
        for sum in size..=most {
            let used = match reached[sum - size] {
                Some((of, used)) if of == at as u32 => used,
                Some(_) => 0,
                None => continue,
            };
            if reached[sum].is_none() && u64::from(used) < groups {
                reached[sum] = Some((at as u32, used + 1));
            }
        }
    }
    let sums = (0..=most).filter(|&sum| reached[sum].is_some());
    let nearest =
        sums.min_by(|&a, &b| (a as f64 - wanted).abs().total_cmp(&(b as f64 - wanted).abs()));
    let mut taken = vec![0; sizes.len()];
    let mut sum = nearest.unwrap_or(0);
    while let Some((at, used)) = reached[sum].filter(|_| sum > 0) {
        taken[at as usize] += u64::from(used);
        sum -= sizes[at as usize] as usize * used as usize;
    }
    taken
}

/// The groups of a kind in proportion; what is left over is drawn, each part as likely as it lacks.
fn start(problem: &Problem, kind: &Kind) -> Vec<u64> {
    let row = &problem.rows[kind.counts[0].0];
    let wanted = |part: usize| {
        let missing = row.target[part] - row.fixed[part] as f64;
        if problem.is_open[part] { missing.max(0.0) } else { 0.0 }
    };
    let mut shares: Vec<f64> = (0..problem.parts()).map(wanted).collect();
    let sum: f64 = shares.iter().sum();
    if sum <= 0.0 {
        shares = problem.is_open.iter().map(|&is_open| f64::from(u8::from(is_open))).collect();
    }
    let sum: f64 = shares.iter().sum();
    let exact: Vec<f64> = shares.iter().map(|share| share / sum * kind.groups as f64).collect();
    let mut counts: Vec<u64> = exact.iter().map(|exact| (exact + NOTHING).floor() as u64).collect();
    let left = kind.groups - counts.iter().sum::<u64>().min(kind.groups);
    // One point for each that is left over, evenly spaced from a random one, on the line of remainders.
    let remainder = |part: usize| (exact[part] - counts[part] as f64).max(0.0);
    let remainders: Vec<f64> = (0..problem.parts()).map(remainder).collect();
    let length: f64 = remainders.iter().sum();
    let first = (kind.random >> 11) as f64 / (1u64 << 53) as f64;
    for number in 0..left {
        let point = (first + number as f64) / left as f64 * length;
        let mut end = 0.0;
        let part = remainders.iter().position(|part| {
            end += part;
            point < end
        });
        let last = (0..problem.parts()).rfind(|&part| problem.is_open[part]).unwrap_or(0);
        counts[part.unwrap_or(last)] += 1;
    }
    counts
}

/// The next random number: the finalizer of SplitMix64 (Steele, Lea and Flood, 2014).
pub fn mixed(random: u64) -> u64 {
    let mut mixed = random.wrapping_add(0x9e37_79b9_7f4a_7c15);
    mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    mixed ^ (mixed >> 31)
}
