//! Which things belong together, when belonging is told pair by pair.

/// Disjoint sets of the numbers below a count. A set is called by its least member.
pub struct DisjointSets(Vec<u32>);

impl DisjointSets {
    /// Each number alone.
    pub fn new(count: usize) -> Self {
        DisjointSets((0..count as u32).collect())
    }

    /// How many numbers there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The least member of the set that `member` is in.
    pub fn find(&mut self, mut member: u32) -> u32 {
        while self.0[member as usize] != member {
            let above = self.0[self.0[member as usize] as usize];
            self.0[member as usize] = above;
            member = above;
        }
        member
    }

    /// Makes one set of those that `a` and `b` are in.
    pub fn union(&mut self, a: u32, b: u32) {
        let (a, b) = (self.find(a), self.find(b));
        self.0[a.max(b) as usize] = a.min(b);
    }

    /// The sets with two members or more, each sorted, in the order of their least members.
    pub fn groups(&mut self) -> Vec<Vec<u32>> {
        let mut named: Vec<(u32, u32)> =
            (0..self.0.len() as u32).map(|member| (self.find(member), member)).collect();
        named.sort_unstable();
        let sets = named.chunk_by(|a, b| a.0 == b.0).filter(|set| set.len() > 1);
        sets.map(|set| set.iter().map(|&(_, member)| member).collect()).collect()
    }
}
