//! Eight numbers that are worked on side by side.
//!
//! Nearly all the time of comparing images is spent on sums over samples, which the compiler, left alone, walks
//! two at a time. Any processor gives the same numbers: each lane has its own sum, and these are added
//! in one order.

/// A computation over vectors of eight numbers, whatever the registers.
pub trait Kernel {
    /// The result.
    type Out;

    /// Computes it. Always inline, so that it becomes part of a function that is compiled for one kind of register.
    fn run<E: F32x8>(self) -> Self::Out;
}

/// Runs a kernel with the widest registers that this processor has.
pub fn run<K: Kernel>(kernel: K) -> K::Out {
    #[cfg(target_arch = "x86_64")]
    if is_x86_feature_detected!("avx2") {
        return register::Register::dispatch(kernel);
    }
    Any::dispatch(kernel)
}

/// What every processor of this kind has.
#[cfg(target_arch = "x86_64")]
type Any = halves::SseHalves;
#[cfg(not(target_arch = "x86_64"))]
type Any = [f32; LANES];

/// Numbers side by side.
pub const LANES: usize = 8;

/// Eight numbers.
pub trait F32x8: Copy {
    /// Runs `kernel` in a separate function, compiled once for each kind of register, however often it is called.
    fn dispatch<K: Kernel>(kernel: K) -> K::Out;
    /// The same number in all lanes.
    fn splat(value: f32) -> Self;
    /// From memory.
    fn load(from: &[f32; LANES]) -> Self;
    /// To memory.
    fn store(self, into: &mut [f32; LANES]);
    fn plus(self, other: Self) -> Self;
    fn minus(self, other: Self) -> Self;
    fn times(self, other: Self) -> Self;
    fn div(self, other: Self) -> Self;
    /// Without sign.
    fn abs(self) -> Self;
    /// The square root.
    fn sqrt(self) -> Self;
    /// 1 where the number is below the other, 0 elsewhere.
    fn less_than(self, other: Self) -> Self;
    /// The lesser of both.
    fn min(self, other: Self) -> Self;
    /// The greater of both.
    fn max(self, other: Self) -> Self;

    /// The sum of the lanes.
    #[inline(always)]
    fn sum(self) -> f32 {
        let mut lanes = [0.0; LANES];
        self.store(&mut lanes);
        let [a, b, c, d, e, f, g, h] = lanes;
        ((a + e) + (c + g)) + ((b + f) + (d + h))
    }
}

/// Adds each of `terms` to its sum. A plain loop: closures that are handed to the standard library are built
/// for any processor, and registers can not be used there.
#[inline(always)]
pub fn add<E: F32x8, const COUNT: usize>(sums: &mut [E; COUNT], terms: [E; COUNT]) {
    for (sum, term) in sums.iter_mut().zip(terms) {
        *sum = sum.plus(term);
    }
}

/// The sums of the lanes of each.
#[inline(always)]
pub fn totals<E: F32x8, const COUNT: usize>(sums: [E; COUNT]) -> [f32; COUNT] {
    let mut totals = [0.0; COUNT];
    for (total, sum) in totals.iter_mut().zip(sums) {
        *total = sum.sum();
    }
    totals
}

/// A list in vectors of eight; its length is a multiple of eight.
#[inline(always)]
pub fn lanes(list: &[f32]) -> &[[f32; LANES]] {
    list.as_chunks().0
}

#[cfg(any(test, not(target_arch = "x86_64")))]
impl F32x8 for [f32; LANES] {
    #[inline(never)]
    fn dispatch<K: Kernel>(kernel: K) -> K::Out {
        kernel.run::<Self>()
    }

    #[inline(always)]
    fn splat(value: f32) -> Self {
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
    fn div(self, other: Self) -> Self {
        std::array::from_fn(|lane| self[lane] / other[lane])
    }

    #[inline(always)]
    fn abs(self) -> Self {
        self.map(f32::abs)
    }

    #[inline(always)]
    fn sqrt(self) -> Self {
        self.map(f32::sqrt)
    }

    #[inline(always)]
    fn less_than(self, other: Self) -> Self {
        std::array::from_fn(|lane| if self[lane] < other[lane] { 1.0 } else { 0.0 })
    }

    #[inline(always)]
    fn min(self, other: Self) -> Self {
        std::array::from_fn(|lane| if self[lane] < other[lane] { self[lane] } else { other[lane] })
    }

    #[inline(always)]
    fn max(self, other: Self) -> Self {
        std::array::from_fn(|lane| if self[lane] > other[lane] { self[lane] } else { other[lane] })
    }
}

#[cfg(target_arch = "x86_64")]
mod register {
    use std::arch::x86_64::*;

    use super::{F32x8, Kernel, LANES};

    /// Eight numbers in one register of the processor. Nothing but `run` names it, which has asked the processor
    /// whether it has such.
    #[derive(Clone, Copy)]
    pub struct Register(__m256);

    // SAFETY, of all below: the processor was asked. What is loaded and stored is eight numbers long, and need not
    // be aligned.
    impl F32x8 for Register {
        fn dispatch<K: Kernel>(kernel: K) -> K::Out {
            #[target_feature(enable = "avx2")]
            fn built<K: Kernel>(kernel: K) -> K::Out {
                kernel.run::<Register>()
            }
            unsafe { built(kernel) }
        }

        #[inline(always)]
        fn splat(value: f32) -> Self {
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
        fn div(self, other: Self) -> Self {
            Register(unsafe { _mm256_div_ps(self.0, other.0) })
        }

        #[inline(always)]
        fn abs(self) -> Self {
            Register(unsafe { _mm256_andnot_ps(_mm256_set1_ps(-0.0), self.0) })
        }

        #[inline(always)]
        fn sqrt(self) -> Self {
            Register(unsafe { _mm256_sqrt_ps(self.0) })
        }

        #[inline(always)]
        fn less_than(self, other: Self) -> Self {
            Register(unsafe {
                _mm256_and_ps(_mm256_cmp_ps::<_CMP_LT_OQ>(self.0, other.0), _mm256_set1_ps(1.0))
            })
        }

        #[inline(always)]
        fn min(self, other: Self) -> Self {
            Register(unsafe { _mm256_min_ps(self.0, other.0) })
        }

        #[inline(always)]
        fn max(self, other: Self) -> Self {
            Register(unsafe { _mm256_max_ps(self.0, other.0) })
        }
    }
}

#[cfg(target_arch = "x86_64")]
mod halves {
    use std::arch::x86_64::*;

    use super::{F32x8, Kernel, LANES};

    /// Eight numbers in two registers that every such processor has. As arrays they would do, but that takes the
    /// compiler minutes.
    #[derive(Clone, Copy)]
    pub struct SseHalves(__m128, __m128);

    impl SseHalves {
        #[inline(always)]
        fn each(self, other: Self, of: impl Fn(__m128, __m128) -> __m128) -> Self {
            SseHalves(of(self.0, other.0), of(self.1, other.1))
        }
    }

    // SAFETY, of all below: each processor of 64 bits has what is used. What is loaded and stored is eight numbers
    // long, and need not be aligned.
    impl F32x8 for SseHalves {
        #[inline(never)]
        fn dispatch<K: Kernel>(kernel: K) -> K::Out {
            kernel.run::<Self>()
        }

        #[inline(always)]
        fn splat(value: f32) -> Self {
            let four = unsafe { _mm_set1_ps(value) };
            SseHalves(four, four)
        }

        #[inline(always)]
        fn load(from: &[f32; LANES]) -> Self {
            unsafe { SseHalves(_mm_loadu_ps(from.as_ptr()), _mm_loadu_ps(from[4..].as_ptr())) }
        }

        #[inline(always)]
        fn store(self, into: &mut [f32; LANES]) {
            unsafe {
                _mm_storeu_ps(into.as_mut_ptr(), self.0);
                _mm_storeu_ps(into[4..].as_mut_ptr(), self.1);
            }
        }

        #[inline(always)]
        fn plus(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_add_ps(a, b) })
        }

        #[inline(always)]
        fn minus(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_sub_ps(a, b) })
        }

        #[inline(always)]
        fn times(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_mul_ps(a, b) })
        }

        #[inline(always)]
        fn div(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_div_ps(a, b) })
        }

        #[inline(always)]
        fn abs(self) -> Self {
            Self::splat(-0.0).each(self, |sign, a| unsafe { _mm_andnot_ps(sign, a) })
        }

        #[inline(always)]
        fn sqrt(self) -> Self {
            unsafe { SseHalves(_mm_sqrt_ps(self.0), _mm_sqrt_ps(self.1)) }
        }

        #[inline(always)]
        fn less_than(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_and_ps(_mm_cmplt_ps(a, b), _mm_set1_ps(1.0)) })
        }

        #[inline(always)]
        fn min(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_min_ps(a, b) })
        }

        #[inline(always)]
        fn max(self, other: Self) -> Self {
            self.each(other, |a, b| unsafe { _mm_max_ps(a, b) })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// All that can be done with two eights.
    struct Everything([[f32; LANES]; 2]);

    impl Kernel for Everything {
        type Out = Vec<[f32; LANES]>;

        #[inline(always)]
        fn run<E: F32x8>(self) -> Self::Out {
            let (a, b) = (E::load(&self.0[0]), E::load(&self.0[1]));
            let (sum, product) = (a.plus(b), a.times(b));
            let results = [
                sum,
                a.minus(b),
                product,
                a.div(b),
                a.abs(),
                a.less_than(b),
                a.min(b),
                a.max(b),
                b.sqrt(),
                E::splat(a.sum()),
            ];
            let mut all = vec![[0.0; LANES]; results.len()];
            for (lanes, result) in all.iter_mut().zip(results) {
                result.store(lanes);
            }
            all
        }
    }

    proptest! {
        #[test]
        fn any_processor_gives_the_same(
            a in prop::array::uniform8(-9.0f32..9.0), b in prop::array::uniform8(1.0f32..9.0),
        ) {
            let found = <[f32; LANES]>::dispatch(Everything([a, b]));
            for lane in 0..LANES {
                let (x, y) = (a[lane], b[lane]);
                let below = f32::from(u8::from(x < y));
                let slow = [x + y, x - y, x * y, x / y, x.abs(), below, x.min(y), x.max(y), y.sqrt()];
                prop_assert!(slow.iter().zip(&found).all(|(slow, found)| *slow == found[lane]));
            }
            prop_assert!((found[9][0] - a.iter().sum::<f32>()).abs() < 1e-4);
            prop_assert_eq!(&run(Everything([a, b])), &found);
            prop_assert_eq!(&Any::dispatch(Everything([a, b])), &found);
        }
    }
}
