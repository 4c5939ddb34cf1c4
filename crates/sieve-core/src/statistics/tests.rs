//! Against numbers worked out by other means: by hand, by counting every case, or with the reference
//! implementations that scientists use.

use proptest::prelude::*;

use super::*;

fn near(a: f64, b: f64) {
    assert!((a - b).abs() <= 1e-9 * b.abs().max(1e-3), "{a} is not {b}");
}

fn table(rows: &[&[u64]]) -> Contingency {
    let mut table = Contingency::new(rows.len(), rows[0].len());
    for (row, counts) in rows.iter().enumerate() {
        counts.iter().enumerate().for_each(|(column, &count)| table.add(row, column, count));
    }
    table
}

#[test]
fn tables_of_counts() {
    let found = table(&[&[30, 4, 7], &[12, 19, 3], &[5, 6, 41]]).association().unwrap();
    near(found.chi_squared, 80.432_838_243_725_8);
    near(found.p * 1e16, 1.410_267_024_282_168_4);
    near(found.cramers_v, 0.562_729_701_983_984);
    near(found.cramers_v_corrected, 0.552_850_052_618_597_8);
    near(found.least_expected, 7.763_779_527_559_055);
    assert_eq!((found.total, found.degrees), (127, 4));
    // What holds nothing is no row and no column.
    let with_holes = table(&[&[30, 0, 4, 7], &[0; 4], &[12, 0, 19, 3], &[5, 0, 6, 41]]);
    assert_eq!(with_holes.association(), Some(found));
    assert_eq!(table(&[&[3, 9]]).association(), None);
    assert_eq!(table(&[&[3, 0], &[9, 0]]).association(), None);
    let tied = table(&[&[8, 0], &[0, 5]]).association().unwrap();
    near(tied.cramers_v, 1.0);
    near(tied.cramers_v_corrected, 1.0);
    // Every value once: the plain number says all, the corrected one nothing.
    let rare = table(&[&[1, 1, 1, 0, 0, 0], &[0, 0, 0, 1, 1, 1]]).association().unwrap();
    near(rare.cramers_v, 1.0);
    assert_eq!(rare.cramers_v_corrected, 0.0);
    near(total_variation(&[50, 50], &[30, 10]).unwrap(), 0.25);
    assert_eq!(total_variation(&[0, 0], &[1, 2]), None);
}

#[test]
fn tails_of_distributions() {
    near(chance_of(700.0, 144) * 1e74, 6.225_446_407_449_325);
    near(chance_of(0.3, 1), 0.583_882_420_770_365);
    assert_eq!(chance_of(0.0, 3), 1.0);
}

#[test]
fn spreads() {
    let spread = Diversity::new([200, 50, 0, 20, 1]).unwrap();
    near(spread.entropy, 0.749_058_787_477_138_3);
    near(spread.evenness.unwrap(), 0.540_331_699_013_783_8);
    near(spread.effective_classes, 2.115_008_407_097_076);
    assert_eq!((spread.classes, spread.ratio), (4, 200.0));
    near(spread.majority_accuracy, 200.0 / 271.0);
    let one = Diversity::new([7]).unwrap();
    assert_eq!((one.entropy, one.evenness, one.effective_classes), (0.0, None, 1.0));
    assert_eq!(Diversity::new([0, 0]), None);
}

#[test]
fn intervals() {
    let found = wilson(0.9, 50).unwrap();
    near(found.low, 0.786_397_685_625_203_4);
    near(found.high, 0.956_524_235_068_109_5);
    let none = wilson(0.0, 3).unwrap();
    near(none.low, 0.0);
    near(none.high, 0.561_497_031_755_045_4);
    near(wilson(1.0, 3).unwrap().high, 1.0);
    assert_eq!(wilson(0.9, 0), None);
}

#[test]
fn ranks() {
    let groups = [
        vec![1.0, 2.0, 2.0, 5.0, 7.0, 9.0],
        vec![3.0, 3.0, 4.0, 8.0, 10.0, 11.0, 12.5],
        vec![],
        vec![2.0, 6.0, 13.0, 14.0, 15.0],
    ];
    let found = kruskal_wallis(&groups).unwrap();
    near(found.h, 4.148_053_744_319_295);
    near(found.p, 0.125_678_669_417_189_03);
    near(found.epsilon_squared, 0.244_003_161_430_546_76);
    assert_eq!((found.total, found.degrees), (18, 2));
    assert_eq!(kruskal_wallis(&[vec![2.0, 2.0], vec![2.0]]), None);
    assert_eq!(kruskal_wallis(&[vec![1.0, 2.0], vec![]]), None);
    assert_eq!(
        (median([3.0, 1.0, 8.0]), median([4.0, 1.0]), median([])),
        (Some(3.0), Some(2.5), None)
    );
}

#[test]
fn many_tests_at_once() {
    let corrected = holm(&[0.01, 0.04, 0.03, 0.005]);
    [0.03, 0.06, 0.06, 0.02].iter().zip(corrected).for_each(|(&a, b)| near(b, a));
    assert_eq!(holm(&[0.9, 0.8]), [1.0, 1.0]);
    assert_eq!(holm(&[]), [0.0; 0]);
}

/// Every order of `labels`, repeated ones as often as they come.
fn orders(labels: &mut Vec<usize>, from: usize, visit: &mut impl FnMut(&[usize])) {
    if from == labels.len() {
        return visit(labels);
    }
    for other in from..labels.len() {
        labels.swap(from, other);
        orders(labels, from + 1, visit);
        labels.swap(from, other);
    }
}

#[test]
fn runs_have_the_mean_and_variance_of_all_orders() {
    let mut labels = vec![0, 0, 0, 1, 1, 3, 3];
    let mut runs = Runs::default();
    runs.add(&labels);
    let (mut number, mut sum, mut squares) = (0.0, 0.0, 0.0);
    orders(&mut labels, 0, &mut |order| {
        let runs = 1.0 + order.windows(2).filter(|pair| pair[0] != pair[1]).count() as f64;
        (number, sum, squares) = (number + 1.0, sum + runs, squares + runs * runs);
    });
    let mean: f64 = sum / number;
    near(runs.expected, mean);
    near(runs.variance, squares / number - mean * mean);
    assert_eq!(runs.observed, 3.0);
    // A list of one label says nothing.
    runs.add(&[2, 2, 2]);
    near(runs.expected, mean);
    assert_eq!(Runs::default().test(), None);
}

#[test]
fn a_list_that_was_cut_has_too_few_runs() {
    let cut: Vec<usize> = (0..100).map(|at| usize::from(at >= 70)).collect();
    let dealt: Vec<usize> = (0..100).map(|at| usize::from(at * 7 % 10 >= 7)).collect();
    let p = |labels: &[usize]| {
        let mut runs = Runs::default();
        runs.add(labels);
        runs.test().unwrap().p
    };
    assert!(p(&cut) < 1e-12 && p(&dealt) > 0.5, "{} {}", p(&cut), p(&dealt));
}

proptest! {
    #[test]
    fn whatever_is_counted_the_numbers_stay_in_their_ranges(
        counts in prop::collection::vec(0u64..40, 12), shares in prop::collection::vec(0u64..9, 1..6),
    ) {
        if let Some(found) = table(&[&counts[..4], &counts[4..8], &counts[8..]]).association() {
            for number in [found.p, found.cramers_v, found.cramers_v_corrected] {
                prop_assert!((0.0..=1.0).contains(&number), "{found:?}");
            }
            prop_assert!(found.cramers_v_corrected <= found.cramers_v + 1e-12);
        }
        if let Some(spread) = Diversity::new(shares.iter().copied()) {
            let most = spread.classes as f64;
            prop_assert!((1.0 - 1e-12..=most + 1e-9).contains(&spread.effective_classes));
            prop_assert!(spread.evenness.is_none_or(|even| (0.0..=1.0 + 1e-12).contains(&even)));
        }
        let number = counts[0];
        if let Some(open) = wilson(0.9, number) {
            let more = wilson(0.9, number + 1).unwrap();
            prop_assert!(more.width() < open.width() && open.low < 0.9 && 0.9 < open.high);
        }
    }

    /// By the definitions, each number and pair by itself.
    #[test]
    fn fast_versions_are_what_their_slow_twins_are(
        p in prop::collection::vec(0.0f64..1.0, 0..9),
        groups in prop::collection::vec(prop::collection::vec(0u8..6, 0..7), 2..5),
    ) {
        // Holm: walk down from the smallest, each times the number of those not smaller before it.
        let corrected = holm(&p);
        for (index, &own) in p.iter().enumerate() {
            let before = |other: usize| p[other] < own || (p[other] == own && other <= index);
            let steps = (0..p.len()).filter(|&other| before(other)).map(|other| {
                let rank = (0..p.len())
                    .filter(|&third| p[third] < p[other] || (p[third] == p[other] && third < other))
                    .count();
                (p[other] * (p.len() - rank) as f64).min(1.0)
            });
            prop_assert!((corrected[index] - steps.fold(0.0, f64::max)).abs() < 1e-12);
        }
        // Kruskal and Wallis: the variance of rank means over that of all ranks.
        let groups: Vec<Vec<f64>> =
            groups.iter().map(|group| group.iter().map(|&n| f64::from(n)).collect()).collect();
        let all: Vec<f64> = groups.concat();
        let rank = |number: f64| {
            let below = all.iter().filter(|&&other| other < number).count() as f64;
            let equal = all.iter().filter(|&&other| other == number).count() as f64;
            below + (equal + 1.0) / 2.0
        };
        let mean = (all.len() as f64 + 1.0) / 2.0;
        let total: f64 = all.iter().map(|&number| (rank(number) - mean).powi(2)).sum();
        let filled = groups.iter().filter(|group| !group.is_empty());
        let between: f64 = filled
            .clone()
            .map(|group| {
                let own = group.iter().map(|&number| rank(number)).sum::<f64>() / group.len() as f64;
                group.len() as f64 * (own - mean).powi(2)
            })
            .sum();
        match kruskal_wallis(&groups) {
            None => prop_assert!(filled.count() < 2 || total == 0.0),
            Some(found) => {
                let h = between / (total / (all.len() as f64 - 1.0));
                prop_assert!((found.h - h).abs() < 1e-9, "{} {h}", found.h);
            }
        }
    }

    #[test]
    fn scales_do_not_mind_the_few(numbers in prop::collection::vec(-9.0f64..9.0, 5..40), far in 1e3f64..1e9) {
        let usual = Scale::new(numbers.clone()).unwrap();
        let inside = numbers.iter().filter(|&&number| usual.deviations(number).abs() <= 1.0 / 1.4826 + 1e-9);
        prop_assert!(inside.count() * 2 >= numbers.len(), "half of all lie within the median distance");
        let with_one = Scale::new(numbers.iter().copied().chain([far]).collect()).unwrap();
        prop_assert!((-9.0..=9.0).contains(&with_one.median) && with_one.deviation <= 1.4826 * 18.0);
        prop_assert!(with_one.deviations(far) > 30.0);
    }

    /// Each thing by itself: what it adds beyond what its row and column let expect.
    #[test]
    fn tables_are_what_their_things_make_them(things in prop::collection::vec((0usize..3, 0usize..4), 1..60)) {
        let mut counted = Contingency::new(3, 4);
        things.iter().for_each(|&(row, column)| counted.add(row, column, 1));
        let share = |is: &dyn Fn(&(usize, usize)) -> bool| {
            things.iter().filter(|thing| is(thing)).count() as f64 / things.len() as f64
        };
        // Pearson's mean square contingency is the mean of p(both) / (p(row) p(column)), less 1.
        let ratios = things.iter().map(|&(row, column)| {
            let both = share(&|&thing| thing == (row, column));
            both / (share(&|thing| thing.0 == row) * share(&|thing| thing.1 == column))
        });
        let chi_squared = ratios.sum::<f64>() - things.len() as f64;
        match counted.association() {
            Some(found) => prop_assert!((found.chi_squared - chi_squared).abs() < 1e-8),
            None => prop_assert!(chi_squared.abs() < 1e-8, "one row or one column"),
        }
        let rows = [0, 1].map(|row| (0..4).map(|column| counted.at(row, column)).collect::<Vec<_>>());
        let there = total_variation(&rows[0], &rows[1]);
        prop_assert_eq!(there, total_variation(&rows[1], &rows[0]));
        prop_assert!(there.is_none_or(|apart| (0.0..=1.0 + 1e-12).contains(&apart)));
    }
}
