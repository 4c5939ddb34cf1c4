//! The progress bar, and the clean stop on Ctrl-C.

use std::fmt::Write;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use indicatif::{HumanDuration, ProgressBar, ProgressState, ProgressStyle};
use sieve_core::progress::Progress;

/// Work that ends sooner shows no bar.
const PATIENCE: Duration = Duration::from_secs(1);

/// Set by the interrupt handler, which outlives everything.
static STOPPED: AtomicBool = AtomicBool::new(false);

/// Follows the work of one run of the program.
pub struct TerminalProgress {
    steps: AtomicU64,
    work: Mutex<Option<Work>>,
}

struct Work {
    what: &'static str,
    total: Option<u64>,
    is_bytes: bool,
    started: Instant,
    bar: Option<ProgressBar>,
}

impl TerminalProgress {
    /// Starts following. The first interrupt asks the work to stop, the second ends the program.
    pub fn stopping_on_interrupt() -> Self {
        let handler = || {
            if STOPPED.swap(true, Ordering::Relaxed) {
                std::process::exit(crate::failure::Exit::Interrupted as i32);
            }
        };
        if let Err(error) = ctrlc::set_handler(handler) {
            tracing::debug!(%error, "interrupts will end the program immediately");
        }
        TerminalProgress { steps: AtomicU64::new(0), work: Mutex::new(None) }
    }

    /// Takes the bar away.
    pub fn end(&self) {
        if let Some(bar) = self.lock().take().and_then(|work| work.bar) {
            bar.finish_and_clear();
        }
    }

    fn begin_work(&self, what: &'static str, total: Option<u64>, is_bytes: bool) {
        self.end();
        self.steps.store(0, Ordering::Relaxed);
        *self.lock() = Some(Work { what, total, is_bytes, started: Instant::now(), bar: None });
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Option<Work>> {
        // A panic on another thread while it moved the bar does no harm here.
        self.work.lock().unwrap_or_else(|poisoned| poisoned.into_inner())
    }
}

impl Progress for TerminalProgress {
    fn begin(&self, what: &'static str, total: Option<u64>) {
        self.begin_work(what, total, false);
    }

    fn begin_bytes(&self, what: &'static str, total: u64) {
        self.begin_work(what, Some(total), true);
    }

    fn advance(&self, steps: u64) {
        let done = self.steps.fetch_add(steps, Ordering::Relaxed) + steps;
        // Another thread that moves the bar moves it for this one too.
        let Ok(mut work) = self.work.try_lock() else {
            return;
        };
        let Some(work) = work.as_mut() else { return };
        if work.bar.is_none() && work.started.elapsed() >= PATIENCE {
            work.bar = Some(bar(work));
        }
        if let Some(bar) = &work.bar {
            bar.set_position(done);
        }
    }

    fn stopped(&self) -> bool {
        is_stopped()
    }
}

/// Whether the user has asked to stop.
pub fn is_stopped() -> bool {
    STOPPED.load(Ordering::Relaxed)
}

fn bar(work: &Work) -> ProgressBar {
    let (bar, template) = match work.total {
        Some(total) if work.is_bytes => (
            ProgressBar::new(total),
            "{msg} {bar:30} {decimal_bytes} of {decimal_total_bytes}  {decimal_bytes_per_sec}  {left} left",
        ),
        Some(total) => (
            ProgressBar::new(total),
            "{msg} {bar:30} {human_pos} of {human_len}  {rate}  {left} left",
        ),
        None => (ProgressBar::no_length(), "{msg} {human_pos}  {rate}"),
    };
    let style = ProgressStyle::with_template(template).expect("a fixed template");
    // A bar that cannot be written is not worth a word.
    let style = style
        .with_key("rate", |state: &ProgressState, out: &mut dyn Write| {
            let decimals = if rate(state) < 10.0 { 1 } else { 0 };
            let _ = write!(out, "{:.decimals$} a second", rate(state));
        })
        .with_key("left", |state: &ProgressState, out: &mut dyn Write| {
            let steps = state.len().unwrap_or(0).saturating_sub(state.pos());
            let seconds = (steps as f64 / rate(state)).ceil().min(1e6) as u64;
            let _ = write!(out, "{}", HumanDuration(Duration::from_secs(seconds)));
        });
    bar.with_message(work.what).with_style(style).with_elapsed(work.started.elapsed())
}

/// Steps a second since the work began: the bar itself came later.
fn rate(state: &ProgressState) -> f64 {
    state.pos().max(1) as f64 / state.elapsed().as_secs_f64().max(1e-3)
}
