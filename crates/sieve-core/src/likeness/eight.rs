//! Eight numbers that are worked on side by side.
//!
//! Nearly all the time of comparing pictures is spent on sums over samples, which the compiler, left alone, walks
//! two at a time. Any processor gives the same numbers: each lane has its own sum, and these are added
//! in one order.

/// Numbers side by side.
pub const LANES: usize = 8;

/// Eight numbers.
pub trait Eight: Copy {
    /// The same number in all lanes.
    fn all(value: f32) -> Self;
    /// From memory.
    fn load(from: &[f32; LANES]) -> Self;
    /// To memory.
    fn store(self, into: &mut [f32; LANES]);
    fn plus(self, other: Self) -> Self;
    fn minus(self, other: Self) -> Self;
    fn times(self, other: Self) -> Self;
    fn over(self, other: Self) -> Self;
    /// Without sign.
    fn size(self) -> Self;
    /// 1 where the number is below the other, 0 elsewhere.
    fn below(self, other: Self) -> Self;

    /// The sum of the lanes.
    #[inline(always)]
    fn total(self) -> f32 {
        let mut lanes = [0.0; LANES];
        self.store(&mut lanes);
        let [a, b, c, d, e, f, g, h] = lanes;
        ((a + e) + (c + g)) + ((b + f) + (d + h))
    }
}

/// Adds each of `terms` to its sum. A plain loop: closures that are handed to the standard library are built
/// for any processor, and registers can not be used there.
#[inline(always)]
pub fn add<E: Eight, const COUNT: usize>(sums: &mut [E; COUNT], terms: [E; COUNT]) {
    for (sum, term) in sums.iter_mut().zip(terms) {
        *sum = sum.plus(term);
    }
}

/// The sums of the lanes of each.
#[inline(always)]
pub fn totals<E: Eight, const COUNT: usize>(sums: [E; COUNT]) -> [f32; COUNT] {
    let mut totals = [0.0; COUNT];
    for (total, sum) in totals.iter_mut().zip(sums) {
        *total = sum.total();
    }
    totals
}

/// A list as eights; its length is a multiple of eight.
#[inline(always)]
pub fn eights(list: &[f32]) -> &[[f32; LANES]] {
    list.as_chunks().0
}

impl Eight for [f32; LANES] {
    #[inline(always)]
    fn all(value: f32) -> Self {
        [value; LANES]
    }

    #[inline(always)]
    fn load(from: &[f32; LANES]) -> Self {
        *from
    }

    #[inline(always)]
    fn store(self, into: &mut [f32; LANES]) {
        *into = self;
    }

    #[inline(always)]
    fn plus(self, other: Self) -> Self {
        std::array::from_fn(|lane| self[lane] + other[lane])
    }

    #[inline(always)]
    fn minus(self, other: Self) -> Self {
        std::array::from_fn(|lane| self[lane] - other[lane])
    }

    #[inline(always)]
    fn times(self, other: Self) -> Self {
        std::array::from_fn(|lane| self[lane] * other[lane])
    }

    #[inline(always)]
    fn over(self, other: Self) -> Self {
        std::array::from_fn(|lane| self[lane] / other[lane])
    }

    #[inline(always)]
    fn size(self) -> Self {
        self.map(f32::abs)
    }

    #[inline(always)]
    fn below(self, other: Self) -> Self {
        std::array::from_fn(|lane| if self[lane] < other[lane] { 1.0 } else { 0.0 })
    }
}

/// Eight numbers in one register of the processor. Only to be used where it is known to have such.
#[cfg(target_arch = "x86_64")]
#[derive(Clone, Copy)]
pub struct Register(std::arch::x86_64::__m256);

#[cfg(target_arch = "x86_64")]
mod register {
    use std::arch::x86_64::*;

    use super::{Eight, LANES, Register};

    // SAFETY, of all below: whoever uses a register has asked the processor whether it has them. What is
    // loaded and stored is eight numbers long, and need not be aligned.
    impl Eight for Register {
        #[inline(always)]
        fn all(value: f32) -> Self {
            Register(unsafe { _mm256_set1_ps(value) })
        }

        #[inline(always)]
        fn load(from: &[f32; LANES]) -> Self {
            Register(unsafe { _mm256_loadu_ps(from.as_ptr()) })
        }

        #[inline(always)]
        fn store(self, into: &mut [f32; LANES]) {
            unsafe { _mm256_storeu_ps(into.as_mut_ptr(), self.0) }
        }

        #[inline(always)]
        fn plus(self, other: Self) -> Self {
            Register(unsafe { _mm256_add_ps(self.0, other.0) })
        }

        #[inline(always)]
        fn minus(self, other: Self) -> Self {
            Register(unsafe { _mm256_sub_ps(self.0, other.0) })
        }

        #[inline(always)]
        fn times(self, other: Self) -> Self {
            Register(unsafe { _mm256_mul_ps(self.0, other.0) })
        }

        #[inline(always)]
        fn over(self, other: Self) -> Self {
            Register(unsafe { _mm256_div_ps(self.0, other.0) })
        }

        #[inline(always)]
        fn size(self) -> Self {
            Register(unsafe { _mm256_andnot_ps(_mm256_set1_ps(-0.0), self.0) })
        }

        #[inline(always)]
        fn below(self, other: Self) -> Self {
            Register(unsafe {
                _mm256_and_ps(_mm256_cmp_ps::<_CMP_LT_OQ>(self.0, other.0), _mm256_set1_ps(1.0))
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// All that can be done with two eights.
    fn everything<E: Eight>(a: &[f32; LANES], b: &[f32; LANES]) -> Vec<[f32; LANES]> {
        let (a, b) = (E::load(a), E::load(b));
        let results =
            [a.plus(b), a.minus(b), a.times(b), a.over(b), a.size(), a.below(b), E::all(a.total())];
        results
            .into_iter()
            .map(|result| {
                let mut lanes = [0.0; LANES];
                result.store(&mut lanes);
                lanes
            })
            .collect()
    }

    proptest! {
        #[test]
        fn any_processor_gives_the_same(
            a in prop::array::uniform8(-9.0f32..9.0), b in prop::array::uniform8(1.0f32..9.0),
        ) {
            let found = everything::<[f32; LANES]>(&a, &b);
            for lane in 0..LANES {
                let (x, y) = (a[lane], b[lane]);
                let below = f32::from(u8::from(x < y));
                let slow = [x + y, x - y, x * y, x / y, x.abs(), below];
                prop_assert!(slow.iter().zip(&found).all(|(slow, found)| *slow == found[lane]));
            }
            prop_assert!((found[6][0] - a.iter().sum::<f32>()).abs() < 1e-4);
            #[cfg(target_arch = "x86_64")]
            if is_x86_feature_detected!("avx2") {
                prop_assert_eq!(everything::<Register>(&a, &b), found);
            }
        }
    }
}
