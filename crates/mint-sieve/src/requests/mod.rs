//! What is asked for, one type for each command that several others use: built once, from arguments or by another command,
//! and all that presenters see of it.

mod apply;
mod pack;
mod preview;
mod reading;
mod report;
mod sheet;
mod split;

pub use apply::ApplyRequest;
pub use pack::PackRequest;
pub use preview::{PreviewRequest, USUAL_SHEET_PX};
pub use reading::ReadingRequest;
pub use report::ReportRequest;
pub use sheet::SheetRequest;
pub use split::SplitRequest;
