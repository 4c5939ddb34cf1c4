//! Which way of drawing pixels a terminal knows: it is asked, so that the answer holds over ssh and in tmux too.

/// A way of drawing pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Protocol {
    /// The terminal graphics protocol of kitty.
    Kitty,
    /// Inline images of iTerm2.
    Iterm,
    /// Sixels.
    Sixel,
}

/// What is asked: whether the terminal would take an image of one pixel in the way of kitty, and what it is (its primary
/// device attributes), which every terminal answers.
#[cfg(unix)]
const QUESTION: &[u8] = b"\x1b_Gi=31,s=1,v=1,a=q,t=d,f=24;AAAA\x1b\\\x1b[c";
/// Attributes alone: tmux answers for itself.
#[cfg(unix)]
const QUESTION_IN_TMUX: &[u8] = b"\x1b[c";
/// How long an answer may take, in milliseconds: over a slow line too.
#[cfg(unix)]
const PATIENCE_MS: i64 = 400;

/// What an answer says.
fn understood(answer: &[u8]) -> Option<Protocol> {
    let text = String::from_utf8_lossy(answer);
    if text.contains("\x1b_Gi=31;OK") {
        return Some(Protocol::Kitty);
    }
    let attributes = text.split("\x1b[?").nth(1)?.split('c').next()?;
    // 4 stands for sixels.
    attributes.split(';').skip(1).any(|one| one == "4").then_some(Protocol::Sixel)
}

/// Whether an answer is whole: attributes come last.
#[cfg(unix)]
fn is_whole(answer: &[u8]) -> bool {
    let at = answer.windows(3).position(|three| three == b"\x1b[?");
    at.is_some_and(|at| answer[at..].contains(&b'c'))
}

/// The way that the terminal says it knows, and its width in pixels where it says that.
#[cfg(unix)]
pub fn asked() -> Option<(Protocol, Option<u32>)> {
    use std::fs::File;
    use std::io::{Read, Write};
    use std::time::Instant;

    use rustix::event::{PollFd, PollFlags, Timespec, poll};
    use rustix::termios::{OptionalActions, tcgetattr, tcgetwinsize, tcsetattr};

    let is_set = |name: &str, value: &str| std::env::var(name).is_ok_and(|found| found == value);
    let is_in_tmux = std::env::var_os("TMUX").is_some();
    let mut terminal = File::options().read(true).write(true).open("/dev/tty").ok()?;
    let width_px = tcgetwinsize(&terminal).ok().map(|size| u32::from(size.ws_xpixel));
    let width_px = width_px.filter(|width| *width > 0);
    if !is_in_tmux && (is_set("TERM_PROGRAM", "iTerm.app") || is_set("LC_TERMINAL", "iTerm2")) {
        return Some((Protocol::Iterm, width_px));
    }
    let before = tcgetattr(&terminal).ok()?;
    let mut raw = before.clone();
    raw.make_raw();
    tcsetattr(&terminal, OptionalActions::Now, &raw).ok()?;
    let question = if is_in_tmux { QUESTION_IN_TMUX } else { QUESTION };
    let (mut answer, begun) = (Vec::new(), Instant::now());
    if terminal.write_all(question).and_then(|()| terminal.flush()).is_ok() {
        while !is_whole(&answer) {
            let left = PATIENCE_MS - begun.elapsed().as_millis() as i64;
            let wait = Timespec { tv_sec: 0, tv_nsec: left.max(0) * 1_000_000 };
            let mut wanted = [PollFd::new(&terminal, PollFlags::IN)];
            if left <= 0 || !poll(&mut wanted, Some(&wait)).is_ok_and(|ready| ready > 0) {
                break;
            }
            let mut bytes = [0; 256];
            match terminal.read(&mut bytes) {
                Ok(count @ 1..) => answer.extend_from_slice(&bytes[..count]),
                _ => break,
            }
        }
    }
    let _ = tcsetattr(&terminal, OptionalActions::Now, &before);
    Some((understood(&answer)?, width_px))
}

/// Elsewhere nothing is asked.
#[cfg(not(unix))]
pub fn asked() -> Option<(Protocol, Option<u32>)> {
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn terminals_say_what_they_draw() {
        let kitty = b"\x1b_Gi=31;OK\x1b\\\x1b[?62;c";
        assert_eq!(understood(kitty), Some(Protocol::Kitty));
        assert_eq!(understood(b"\x1b[?65;4;6;18;22c"), Some(Protocol::Sixel));
        // 62 and 14 hold a 4 and are none; a first number of 4 is a kind of terminal.
        for answer in
            [&b"\x1b[?62;14;22c"[..], b"\x1b[?4;6c", b"\x1b_Gi=31;ENOTSUP\x1b\\\x1b[?6c", b""]
        {
            assert_eq!(understood(answer), None, "{answer:?}");
        }
        #[cfg(unix)]
        {
            assert!(
                is_whole(b"\x1b[?62;4c") && !is_whole(kitty.split_last_chunk::<1>().unwrap().0)
            );
        }
    }
}
