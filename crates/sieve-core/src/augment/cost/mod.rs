//! What a policy costs: what it invents, hides, flattens and moves out of range, which step does it, and whether that is
//! gentle, strong or harsh.

mod appearance;
mod geometry;
mod impact;
mod measures;
mod verdict;

pub use super::tone_cost::ToneCost;
pub use geometry::{
    GeometryCost, Spread, StepGeometry, Subject, geometry, geometry_overview, step_geometry,
};
pub use impact::{Impact, LabelRisk, OutOfRange, Reference, StepImpact, Study, TRIED, study};
pub use measures::MEASURES;
pub use verdict::{Back, Grade, Reason, Verdict, verdicts};
