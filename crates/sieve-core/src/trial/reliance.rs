//! What a model would rely on: how far it gets without colour, by colour alone, by the border, by the centre.

use super::compare::accuracies;
use super::view::View;
use crate::confusion::Share;
use crate::learner::Outcome;
use crate::statistics::wilson;

/// How far one view gets.
#[derive(Clone, Debug, PartialEq)]
pub struct ViewScore {
    /// The view.
    pub view: View,
    /// Its mean accuracy; the interval is of the held-out images alone.
    pub accuracy: Share,
    /// Of what the whole image gains over always predicting the largest class, the share that this view gains: 0 for nothing, 1
    /// for all of it; none where the whole image gains nothing.
    pub gained: Option<f64>,
    /// For each class the share of its held-out images that is recognised; none where there are none.
    pub recall: Vec<Option<Share>>,
}

/// How far all views get.
#[derive(Clone, Debug, PartialEq)]
pub struct Reliance {
    /// The views, the whole image first.
    pub views: Vec<ViewScore>,
    /// What always predicting the largest class scores.
    pub majority: f64,
}

/// A share of a mean of several runs on `of` images.
pub(super) fn mean_share(share: f64, of: usize) -> Option<Share> {
    wilson(share, of as u64).map(|interval| Share { share, of: of as u64, interval })
}

/// How far views get, by the outcomes of each, one for each seed; the first is the whole image. None without held-out images.
pub fn reliance(views: &[(View, &[Outcome])], truth: &[u32], classes: usize) -> Option<Reliance> {
    let sizes = |class: u32| truth.iter().filter(|&&one| one == class).count();
    let largest = (0..classes as u32).map(sizes).max()?;
    let majority = largest as f64 / truth.len() as f64;
    let mut scores: Vec<ViewScore> = Vec::new();
    for (view, runs) in views {
        let predictions: Vec<Vec<u32>> = runs.iter().map(|run| run.predictions(classes)).collect();
        let mean = |shares: Vec<f64>| shares.iter().sum::<f64>() / shares.len().max(1) as f64;
        let accuracy = mean_share(mean(accuracies(&predictions, truth)), truth.len())?;
        let whole = scores.first().map_or(accuracy.share, |first| first.accuracy.share);
        let gain = whole - majority;
        let gained = (gain > 0.0).then(|| ((accuracy.share - majority) / gain).max(0.0));
        let recall = (0..classes as u32).map(|class| {
            let rows: Vec<usize> = (0..truth.len()).filter(|&row| truth[row] == class).collect();
            let picked = |run: &Vec<u32>| rows.iter().map(|&row| run[row]).collect();
            let of_class: Vec<Vec<u32>> = predictions.iter().map(picked).collect();
            mean_share(mean(accuracies(&of_class, &vec![class; rows.len()])), rows.len())
        });
        let recall = recall.collect();
        scores.push(ViewScore { view: *view, accuracy, gained, recall });
    }
    Some(Reliance { views: scores, majority })
}
