//! What can go wrong for a user, and the exit status that tells a script.

use std::process::ExitCode;

use sieve_core::{Error, suggest};

/// The exit statuses. They are documented in the manual and stable.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Exit {
    /// Done.
    Done = 0,
    /// Done, and a finding reached the level that `--fail-on` names.
    Finding = 1,
    /// The call is wrong.
    Call = 2,
    /// The input could not be read, or the output not written.
    InputOutput = 3,
    /// Stopped by the user.
    Interrupted = 130,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        ExitCode::from(exit as u8)
    }
}

/// Why a command gave no answer, and what to try next.
#[derive(Debug)]
pub struct Failure {
    /// The status to exit with.
    pub exit: Exit,
    /// What was wrong and what was expected.
    pub message: String,
    /// What it is about, a line each.
    pub details: Vec<String>,
    /// What to do next, where something can be done.
    pub hint: Option<String>,
}

impl Failure {
    /// The call is wrong.
    pub fn call(message: impl Into<String>) -> Self {
        Failure { exit: Exit::Call, message: message.into(), details: Vec::new(), hint: None }
    }

    /// A word is none of those that are known.
    pub fn unknown(message: impl Into<String>, word: &str, known: &[impl AsRef<str>]) -> Self {
        Self::call(message).hint(suggest::hint(word, known))
    }

    /// Something could not be read.
    pub fn input(message: impl Into<String>) -> Self {
        Failure {
            exit: Exit::InputOutput,
            message: message.into(),
            details: Vec::new(),
            hint: None,
        }
    }

    /// Something could not be written.
    pub fn output(message: impl Into<String>) -> Self {
        Self::input(message)
    }

    /// Adds what it is about, a line each.
    pub fn details(mut self, details: Vec<String>) -> Self {
        self.details = details;
        self
    }

    /// Adds what to do next.
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        let message = error.to_string();
        let exit = match error {
            Error::Interrupted => Exit::Interrupted,
            _ => Exit::InputOutput,
        };
        Failure { exit, message, details: Vec::new(), hint: None }
    }
}
