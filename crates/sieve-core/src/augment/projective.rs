//! Projective maps of the plane: what becomes of an image seen at a slant.

use serde::Serialize;

use crate::affine::Affine;

/// The map of (`x`, `y`) to (`X / W`, `Y / W`), where `[X, Y, W]` is the matrix times `[x, y, 1]`; nine numbers, row
/// by row. Coordinates are those of [`Affine`], whose maps are those with a last row of 0, 0, 1.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(transparent)]
pub struct Projective(pub [f64; 9]);

impl From<Affine> for Projective {
    fn from(Affine([a, b, c, d, e, f]): Affine) -> Self {
        Projective([a, b, c, d, e, f, 0.0, 0.0, 1.0])
    }
}

impl Projective {
    /// Leaves every point where it is.
    pub const IDENTITY: Projective = Projective([1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0]);

    /// The map of the square from (0, 0) to (1, 1) to four corners, clockwise from the top left; they must be those of
    /// a convex shape. (Heckbert, Fundamentals of texture mapping and image warping, 1989, section 2.2.3.)
    pub fn of_unit_square([(x0, y0), (x1, y1), (x2, y2), (x3, y3)]: [(f64, f64); 4]) -> Self {
        let (dx1, dy1, dx2, dy2) = (x1 - x2, y1 - y2, x3 - x2, y3 - y2);
        let (sx, sy) = (x0 - x1 + x2 - x3, y0 - y1 + y2 - y3);
        let determinant = dx1 * dy2 - dx2 * dy1;
        let g = (sx * dy2 - dx2 * sy) / determinant;
        let h = (dx1 * sy - sx * dy1) / determinant;
        Projective([
            x1 - x0 + g * x1,
            x3 - x0 + h * x3,
            x0,
            y1 - y0 + g * y1,
            y3 - y0 + h * y3,
            y0,
            g,
            h,
            1.0,
        ])
    }

    /// This map, then `next`.
    pub fn then(self, next: impl Into<Projective>) -> Self {
        let (first, second) = (self.0, next.into().0);
        Projective(std::array::from_fn(|at| {
            let (row, column) = (at / 3 * 3, at % 3);
            (0..3).map(|k| second[row + k] * first[k * 3 + column]).sum()
        }))
    }

    /// Where the point (`x`, `y`) goes; none when it lies beyond the horizon, where nothing is seen.
    pub fn at(self, x: f64, y: f64) -> Option<(f64, f64)> {
        let [a, b, c, d, e, f, g, h, i] = self.0;
        let depth = g * x + h * y + i;
        (depth > 1e-9).then(|| ((a * x + b * y + c) / depth, (d * x + e * y + f) / depth))
    }

    /// The same map as six numbers, where it has no horizon.
    pub fn affine(self) -> Option<Affine> {
        let [a, b, c, d, e, f, g, h, i] = self.0;
        let is_flat = g.abs() < 1e-12 && h.abs() < 1e-12 && i.abs() > 1e-12;
        is_flat.then(|| Affine([a, b, c, d, e, f].map(|value| value / i)))
    }

    /// The map that undoes this one; none when this one flattens the plane.
    pub fn inverse(self) -> Option<Self> {
        if let Some(affine) = self.affine() {
            return affine.inverse().map(Projective::from);
        }
        let [a, b, c, d, e, f, g, h, i] = self.0;
        let determinant = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
        let adjugate = [
            e * i - f * h,
            c * h - b * i,
            b * f - c * e,
            f * g - d * i,
            a * i - c * g,
            c * d - a * f,
            d * h - e * g,
            b * g - a * h,
            a * e - b * d,
        ];
        let is_sound = determinant != 0.0 && determinant.is_finite();
        is_sound.then(|| Projective(adjugate.map(|value| value / determinant)))
    }

    /// How far one step right and one step down in the plane go at (`x`, `y`).
    pub fn steps_at(self, x: f64, y: f64) -> (f64, f64) {
        let Some((u, v)) = self.at(x, y) else { return (1.0, 1.0) };
        let [a, b, _, d, e, _, g, h, i] = self.0;
        let depth = g * x + h * y + i;
        let along = |p: f64, q: f64, r: f64| ((p - u * r) / depth).hypot((q - v * r) / depth);
        (along(a, d, g), along(b, e, h))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn corners_go_where_they_are_sent_and_back() {
        let corners = [(0.1, -0.1), (1.2, 0.05), (0.9, 1.1), (-0.15, 0.8)];
        let map = Projective::of_unit_square(corners).then(Affine::scale(3.0, 2.0, (0.0, 0.0)));
        let square = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
        let back = map.inverse().unwrap();
        for ((x, y), (u, v)) in square.into_iter().zip(corners) {
            let (a, b) = map.at(x, y).unwrap();
            assert!((a - 3.0 * u).abs() < 1e-12 && (b - 2.0 * v).abs() < 1e-12);
            let (a, b) = back.at(a, b).unwrap();
            assert!((a - x).abs() < 1e-12 && (b - y).abs() < 1e-12);
        }
        // A step is what two near points are apart.
        let [(x0, y0), (x1, y1)] = [0.4, 0.4 + 1e-6].map(|x| map.at(x, 0.3).unwrap());
        let (right, _) = map.steps_at(0.4, 0.3);
        assert!(((x1 - x0).hypot(y1 - y0) / 1e-6 - right).abs() < 1e-4);
        assert_eq!(Projective::from(Affine::rotate(3.0, (1.0, 2.0))).affine().unwrap().0.len(), 6);
        assert!(map.affine().is_none());
    }
}
