//! Many questions at once.

/// The p values that many tests at once deserve, in their order: each at most `limit` where the
/// chance of any false alarm among all is at most `limit` (Holm, A simple sequentially rejective
/// multiple test procedure, 1979).
pub fn holm(p: &[f64]) -> Vec<f64> {
    let mut order: Vec<usize> = (0..p.len()).collect();
    order.sort_by(|&a, &b| p[a].total_cmp(&p[b]));
    let mut corrected = vec![0.0; p.len()];
    let mut least: f64 = 0.0;
    for (place, &index) in order.iter().enumerate() {
        least = (p[index] * (p.len() - place) as f64).min(1.0).max(least);
        corrected[index] = least;
    }
    corrected
}
