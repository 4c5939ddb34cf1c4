//! Affine maps of the plane.

use serde::Serialize;

/// The map `x' = a x + b y + c`, `y' = d x + e y + f`, stored as `[a, b, c, d, e, f]`.
///
/// Coordinates are in pixels unless it is said otherwise; the top left corner of the image is
/// (0, 0), `x` runs right and `y` down, and the pixel in column `i` and row `j` has its centre at
/// (i + 0.5, j + 0.5).
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(transparent)]
pub struct Affine(pub [f64; 6]);

impl Affine {
    /// Leaves every point where it is.
    pub const IDENTITY: Affine = Affine([1.0, 0.0, 0.0, 0.0, 1.0, 0.0]);

    /// Moves by (`dx`, `dy`).
    pub fn shift(dx: f64, dy: f64) -> Self {
        Affine([1.0, 0.0, dx, 0.0, 1.0, dy])
    }

    /// Scales by `sx` and `sy` about the point `about`. Negative factors mirror.
    pub fn scale(sx: f64, sy: f64, about: (f64, f64)) -> Self {
        Affine([sx, 0.0, about.0 * (1.0 - sx), 0.0, sy, about.1 * (1.0 - sy)])
    }

    /// Turns by `degrees` about the point `about`, counter-clockwise as seen on the screen.
    pub fn rotate(degrees: f64, about: (f64, f64)) -> Self {
        let (sin, cos) = degrees.to_radians().sin_cos();
        // `y` runs down, so the usual matrix with its sines exchanged.
        Affine([
            cos,
            sin,
            about.0 - cos * about.0 - sin * about.1,
            -sin,
            cos,
            about.1 + sin * about.0 - cos * about.1,
        ])
    }

    /// This map, then `next`.
    pub fn then(self, next: Affine) -> Self {
        let ([a, b, c, d, e, f], [p, q, r, s, t, u]) = (self.0, next.0);
        Affine([
            p * a + q * d,
            p * b + q * e,
            p * c + q * f + r,
            s * a + t * d,
            s * b + t * e,
            s * c + t * f + u,
        ])
    }

    /// Where the point (`x`, `y`) goes.
    pub fn at(self, x: f64, y: f64) -> (f64, f64) {
        let [a, b, c, d, e, f] = self.0;
        (a * x + b * y + c, d * x + e * y + f)
    }

    /// Whether all numbers of both are at most `apart` from each other.
    pub fn is_near(self, other: Affine, apart: f64) -> bool {
        self.0.iter().zip(other.0).all(|(a, b)| (a - b).abs() <= apart)
    }

    /// The map that undoes this one; none when this one flattens the plane.
    pub fn inverse(self) -> Option<Self> {
        let [a, b, c, d, e, f] = self.0;
        let determinant = a * e - b * d;
        (determinant != 0.0 && determinant.is_finite()).then(|| {
            let [a, b, d, e] = [a, b, d, e].map(|value| value / determinant);
            Affine([e, -b, b * f - e * c, -d, a, d * c - a * f])
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_quarter_turn_goes_counter_clockwise() {
        let quarter = Affine::rotate(90.0, (5.0, 5.0));
        let (x, y) = quarter.at(9.0, 5.0); // right of the middle
        assert!((x - 5.0).abs() < 1e-12 && (y - 1.0).abs() < 1e-12, "goes to the top: {x} {y}");
    }

    proptest! {
        #[test]
        fn maps_compose_and_are_undone(
            degrees in -360.0..360.0, sx in 0.1..3.0, sy in -3.0..-0.1, dx in -50.0..50.0, x in -9.0..9.0,
        ) {
            let maps = [
                Affine::rotate(degrees, (3.0, 7.0)), Affine::scale(sx, sy, (1.0, 2.0)), Affine::shift(dx, x),
            ];
            let all = maps.into_iter().fold(Affine::IDENTITY, Affine::then);
            let one_by_one = maps.into_iter().fold((x, dx), |(x, y), map| map.at(x, y));
            let (u, v) = all.at(x, dx);
            prop_assert!((u - one_by_one.0).abs() < 1e-9 && (v - one_by_one.1).abs() < 1e-9);
            let (u, v) = all.inverse().unwrap().at(u, v);
            prop_assert!((u - x).abs() < 1e-9 && (v - dx).abs() < 1e-9);
        }
    }
}
