//! One answer, rendered in each form in which it can be requested.

/// An answer.
pub trait Reply {
    /// For people: styled, its tables not laid out yet.
    fn text(&self) -> String;
    /// For programs, with every number. The fields are a contract: see docs/formats.md.
    fn json(&self) -> String;
}

/// An answer that is a table for programs as well.
pub trait TableReply: Reply {
    /// CSV with a head.
    fn csv(&self) -> String;
}
