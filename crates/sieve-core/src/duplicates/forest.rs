//! A forest of trees over vectors: finds those that are near one without looking at all of them.
//!
//! Each tree halves its vectors along the line between two means, until few are left. A query goes
//! down all trees at once, always where the nearest border was crossed by the least, and stops after
//! a number of vectors, or half as many in vain; so its cost grows with the depth of the trees alone.

use std::cmp::Ordering;
use std::collections::BinaryHeap;

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;

use crate::likeness::{DIMENSIONS, Vector};

/// Vectors in a leaf at most.
const LEAF: usize = 64;
/// A search ends that has found nothing during this part of its looks: one in two.
const FRUITLESS: usize = 2;
/// Vectors whose means a division is taken from.
const SAMPLE: usize = 128;

enum Node {
    /// `members[from..to]` of the tree.
    Leaf { from: u32, to: u32 },
    /// Vectors whose product with `direction` is above `border` are in node `above`, others in the
    /// node that follows.
    Branch { direction: Box<[f32; DIMENSIONS]>, border: f32, above: u32 },
}

struct Tree {
    nodes: Vec<Node>,
    members: Vec<u32>,
    /// The vectors of the members, in their order: those of a leaf lie side by side.
    vectors: Vec<Vector>,
}

/// Trees over the same vectors.
pub struct Forest<'a> {
    vectors: &'a [Vector],
    trees: Vec<Tree>,
}

/// What one query needs, used again and again.
pub struct Search {
    open: BinaryHeap<Open>,
}

/// A node that is still to be looked at.
#[derive(PartialEq)]
struct Open {
    /// Minus the widest border that was crossed to get there.
    nearness: f32,
    tree: u32,
    node: u32,
}

impl Eq for Open {}

impl Ord for Open {
    fn cmp(&self, other: &Self) -> Ordering {
        let key = |open: &Open| (std::cmp::Reverse(open.tree), std::cmp::Reverse(open.node));
        self.nearness.total_cmp(&other.nearness).then_with(|| key(self).cmp(&key(other)))
    }
}

impl PartialOrd for Open {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl<'a> Forest<'a> {
    /// `trees` trees over `vectors`. The same vectors give the same trees, on any number of threads.
    pub fn grow(vectors: &'a [Vector], trees: usize) -> Self {
        let grow = |number: usize| {
            let mut members: Vec<u32> = (0..vectors.len() as u32).collect();
            let mut nodes = Vec::new();
            let mut draws = ChaCha8Rng::seed_from_u64(number as u64);
            divide(vectors, &mut members, 0, &mut nodes, &mut draws);
            let vectors = members.iter().map(|&index| vectors[index as usize]).collect();
            Tree { nodes, members, vectors }
        };
        Forest { vectors, trees: (0..trees).into_par_iter().map(grow).collect() }
    }

    /// Room for queries.
    pub fn search(&self) -> Search {
        Search { open: BinaryHeap::new() }
    }

    /// Calls `take` with the index of each vector whose product with `wanted` is at least `least`,
    /// and the product, among the about `looks` vectors that are the most likely ones. Every tree has
    /// all vectors: one may be looked at, and taken, once in each.
    pub fn near(
        &self,
        wanted: &Vector,
        least: i32,
        looks: usize,
        search: &mut Search,
        mut take: impl FnMut(u32, i32),
    ) {
        let Search { open } = search;
        open.clear();
        if self.vectors.len() <= looks {
            for (index, vector) in (0u32..).zip(self.vectors) {
                let product = wanted.product(vector);
                if product >= least {
                    take(index, product);
                }
            }
            return;
        }
        let floats = wanted.0.map(f32::from);
        let length = product(&floats, &floats);
        // Of vectors of one length. Rounding makes some a little longer.
        let farthest = (2.0 * (length - least as f32)).max(0.0).sqrt() * 1.02 + 1.0;
        open.extend((0..self.trees.len() as u32).map(|tree| Open { nearness: 0.0, tree, node: 0 }));
        let (mut looked, mut fruitful) = (0, 0);
        while looked < looks && looked - fruitful < looks / FRUITLESS {
            let Some(Open { nearness, tree, mut node }) = open.pop() else { break };
            if nearness < -farthest {
                // What lies beyond that border is further away than any vector that is near enough.
                break;
            }
            let Tree { nodes, members, vectors } = &self.trees[tree as usize];
            let (from, to) = loop {
                match &nodes[node as usize] {
                    Node::Leaf { from, to } => break (*from as usize, *to as usize),
                    Node::Branch { direction, border, above } => {
                        let distance = product(&floats, direction) - border;
                        let (near, far) =
                            if distance > 0.0 { (*above, node + 1) } else { (node + 1, *above) };
                        let nearness = nearness.min(-distance.abs());
                        open.push(Open { nearness, tree, node: far });
                        node = near;
                    }
                }
            };
            looked += to - from;
            let mut products = [0; LEAF];
            wanted.products(&vectors[from..to], &mut products);
            for (&index, &product) in members[from..to].iter().zip(&products) {
                if product >= least {
                    fruitful = looked;
                    take(index, product);
                }
            }
        }
    }
}

fn product(a: &[f32; DIMENSIONS], b: &[f32; DIMENSIONS]) -> f32 {
    let mut sums = [0.0f32; 8];
    for (a, b) in a.as_chunks::<8>().0.iter().zip(b.as_chunks::<8>().0) {
        for lane in 0..8 {
            sums[lane] += a[lane] * b[lane];
        }
    }
    sums.iter().sum()
}

/// Divides `members`, which begin at `from` in their tree, into nodes.
fn divide(
    vectors: &[Vector],
    members: &mut [u32],
    from: usize,
    nodes: &mut Vec<Node>,
    draws: &mut ChaCha8Rng,
) {
    if members.len() <= LEAF {
        nodes.push(Node::Leaf { from: from as u32, to: (from + members.len()) as u32 });
        return;
    }
    let direction = direction(vectors, members, draws);
    let place = |index: &u32| product(&vectors[*index as usize].0.map(f32::from), &direction);
    let mut places: Vec<(f32, u32)> = members.iter().map(|index| (place(index), *index)).collect();
    let middle = places.len() / 2;
    // By index where places are equal: copies would otherwise be divided by chance.
    places.select_nth_unstable_by(middle, |a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let border = places[middle].0;
    for (member, (_, index)) in members.iter_mut().zip(places) {
        *member = index;
    }
    let node = nodes.len();
    nodes.push(Node::Branch { direction: Box::new(direction), border, above: 0 });
    let (below, above_members) = members.split_at_mut(middle);
    divide(vectors, below, from, nodes, draws);
    let next = nodes.len() as u32;
    if let Node::Branch { above, .. } = &mut nodes[node] {
        *above = next;
    }
    divide(vectors, above_members, from + middle, nodes, draws);
}

/// The line between two means of a sample, of unit length.
fn direction(vectors: &[Vector], members: &[u32], draws: &mut ChaCha8Rng) -> [f32; DIMENSIONS] {
    let mut pick = || {
        let index = members[draws.random_range(0..members.len())];
        vectors[index as usize].0.map(f32::from)
    };
    let sample: Vec<[f32; DIMENSIONS]> = (0..SAMPLE.min(members.len())).map(|_| pick()).collect();
    let mut means = [pick(), pick()];
    for _ in 0..4 {
        let mut sums = [[0.0f32; DIMENSIONS]; 2];
        let mut counts = [0.0f32; 2];
        for vector in &sample {
            let nearer = usize::from(product(vector, &means[1]) > product(vector, &means[0]));
            counts[nearer] += 1.0;
            for (sum, value) in sums[nearer].iter_mut().zip(vector) {
                *sum += value;
            }
        }
        if counts[0] == 0.0 || counts[1] == 0.0 {
            break;
        }
        for collection in 0..2 {
            means[collection] = sums[collection].map(|sum| sum / counts[collection]);
        }
    }
    let mut line: [f32; DIMENSIONS] = std::array::from_fn(|at| means[1][at] - means[0][at]);
    let length = product(&line, &line).sqrt();
    if length < 1e-3 {
        line = [0.0; DIMENSIONS];
        line[draws.random_range(0..DIMENSIONS)] = 1.0;
        return line;
    }
    line.map(|value| value / length)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Vectors in crowds around a few.
    fn vectors(count: usize) -> Vec<Vector> {
        let mut draws = ChaCha8Rng::seed_from_u64(7);
        let mut draw = |spread: f32| -> [f32; DIMENSIONS] {
            std::array::from_fn(
                |at| if at < 27 { draws.random_range(-spread..spread) } else { 0.0 },
            )
        };
        let centres: Vec<[f32; DIMENSIONS]> = (0..count / 20).map(|_| draw(1.0)).collect();
        let around = |index: usize, draw: &mut dyn FnMut(f32) -> [f32; DIMENSIONS]| {
            let (centre, off) = (centres[index % centres.len()], draw(0.3));
            let sum: [f32; DIMENSIONS] = std::array::from_fn(|at| centre[at] + off[at]);
            let length = product(&sum, &sum).sqrt();
            Vector(sum.map(|value| (value / length * 127.0).round() as i8))
        };
        (0..count).map(|index| around(index, &mut draw)).collect()
    }

    #[test]
    fn few_looks_find_nearly_all_that_all_looks_find() {
        let vectors = vectors(20_000);
        let forest = Forest::grow(&vectors, 4);
        let mut search = forest.search();
        let mut found = |wanted: &Vector, looks: usize| {
            let mut found = Vec::new();
            forest.near(wanted, 13_900, looks, &mut search, |index, product| {
                assert_eq!(product, wanted.product(&vectors[index as usize]));
                found.push(index);
            });
            found.sort_unstable();
            found.dedup();
            found
        };
        let (mut few, mut all) = (0, 0);
        for wanted in vectors.iter().step_by(500) {
            few += found(wanted, 2000).len();
            all += found(wanted, usize::MAX).len();
        }
        assert!(all > 400 && few * 100 >= all * 99, "{few} of {all}");
        let twice = Forest::grow(&vectors, 4);
        let same = forest.trees.iter().zip(&twice.trees).all(|(a, b)| a.members == b.members);
        assert!(same, "the same vectors give the same trees");
    }
}
