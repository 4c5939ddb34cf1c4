//! How much of the colours of two images goes together.

use crate::numeric::simd::{F32x8, add, lanes, totals};

/// Sums of two images' chroma at the same places.
pub struct Chroma {
    count: f32,
    a: [f32; 2],
    b: [f32; 2],
    aa: [f32; 3],
    bb: f32,
    ab: [[f32; 2]; 2],
    apart: f32,
}

impl Chroma {
    /// The sums of blue and red chroma, in levels around 128, of two images where `inside` is not 0.
    #[inline(always)]
    pub fn new<E: F32x8>(a: [&[f32]; 2], b: [&[f32]; 2], inside: &[f32]) -> Self {
        let mut sums = [E::splat(0.0); 14];
        let ([x, y], [u, v]) = (a.map(lanes), b.map(lanes));
        let places = x.iter().zip(y).zip(u).zip(v).zip(lanes(inside));
        for ((((x, y), u), v), weight) in places {
            let weight = E::load(weight);
            let middle = E::splat(128.0);
            let (x, y) = (E::load(x).minus(middle), E::load(y).minus(middle));
            let (u, v) = (E::load(u).minus(middle), E::load(v).minus(middle));
            let (x, y, u, v) = (x.times(weight), y.times(weight), u.times(weight), v.times(weight));
            let terms = [
                weight,
                x,
                y,
                u,
                v,
                x.times(x),
                x.times(y),
                y.times(y),
                u.times(u).plus(v.times(v)),
                x.times(u),
                y.times(u),
                x.times(v),
                y.times(v),
                x.minus(u).abs().plus(y.minus(v).abs()),
            ];
            add(&mut sums, terms);
        }
        let [count, x, y, u, v, xx, xy, yy, bb, xu, yu, xv, yv, apart] = totals(sums);
        let ab = [[xu, yu], [xv, yv]];
        Chroma { count, a: [x, y], b: [u, v], aa: [xx, xy, yy], bb, ab, apart }
    }

    /// How much of the variation of one image's chroma is a linear function of the other's, 0 to
    /// 1; how much chroma varies in both; and how far the colours are apart.
    #[inline(always)]
    pub fn fit(&self) -> (f32, f32, f32) {
        let count = self.count.max(1.0);
        let within = |sum: f32, a: f32, b: f32| (sum - a * b / count) / count;
        let aa = [
            within(self.aa[0], self.a[0], self.a[0]),
            within(self.aa[1], self.a[0], self.a[1]),
            within(self.aa[2], self.a[1], self.a[1]),
        ];
        let bb = within(self.bb, self.b[0], self.b[0]) - self.b[1] * self.b[1] / count / count;
        // Two levels of chance: grey images have no chroma to agree on.
        let (xx, xy, yy) = (aa[0] + 4.0, aa[1], aa[2] + 4.0);
        let determinant = xx * yy - xy * xy;
        let mut explained = 0.0;
        for at in 0..2 {
            let (x, y) = (
                within(self.ab[at][0], self.a[0], self.b[at]),
                within(self.ab[at][1], self.a[1], self.b[at]),
            );
            explained += (x * x * yy - 2.0 * x * y * xy + y * y * xx) / determinant;
        }
        let varies = (aa[0] + aa[2]).min(bb);
        let fit = explained / (bb + 8.0);
        let there = (varies / (varies + 64.0)).clamp(0.0, 1.0);
        (fit.clamp(0.0, 1.0) * there, there, (1.0 + self.apart / count / 2.0).ln())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn levels() -> impl Strategy<Value = Vec<f32>> {
        prop::collection::vec(60.0f32..200.0, 64)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]

        #[test]
        fn colours_that_are_turned_in_their_plane_fit_and_others_do_not(
            blue in levels(), red in levels(), other in levels(), degrees in -60.0f32..60.0,
        ) {
            let (sin, cos) = degrees.to_radians().sin_cos();
            let turn = |x: f32, y: f32| [128.0 + cos * (x - 128.0) - sin * (y - 128.0), 128.0 + sin * (x - 128.0) + cos * (y - 128.0)];
            let turned: Vec<[f32; 2]> = blue.iter().zip(&red).map(|(x, y)| turn(*x, *y)).collect();
            let (u, v): (Vec<f32>, Vec<f32>) = turned.into_iter().map(|[u, v]| (u, v)).unzip();
            let (fit, there, apart) = Chroma::new::<[f32; 8]>([&blue, &red], [&u, &v], &[1.0; 64]).fit();
            // All of it is explained, but for the two levels that are put down to chance.
            prop_assert!(there > 0.8 && fit > 0.95 * there, "{fit} {there}");
            let distance: f32 = blue.iter().zip(&u).chain(red.iter().zip(&v)).map(|(a, b)| (a - b).abs()).sum();
            prop_assert!((apart - (1.0 + distance / 128.0).ln()).abs() < 1e-3);
            let strange = Chroma::new::<[f32; 8]>([&blue, &red], [&other, &other], &[1.0; 64]).fit().0;
            prop_assert!(strange < 0.5, "{strange}");
        }

        #[test]
        fn what_lies_outside_does_not_count(blue in levels(), red in levels(), noise in levels()) {
            let mut inside = [1.0; 64];
            inside[40..].fill(0.0);
            let spoilt = |plane: &[f32]| [&plane[..40], &noise[40..]].concat();
            let clean = Chroma::new::<[f32; 8]>([&blue, &red], [&red, &blue], &inside).fit();
            let with = Chroma::new::<[f32; 8]>([&spoilt(&blue), &red], [&red, &spoilt(&blue)], &inside).fit();
            prop_assert_eq!(clean, with);
            let grey = Chroma::new::<[f32; 8]>([&[128.0; 64], &[128.0; 64]], [&blue, &red], &inside).fit();
            prop_assert_eq!((grey.0, grey.1), (0.0, 0.0));
        }
    }
}
