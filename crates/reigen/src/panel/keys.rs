//! The panel's terminal, and the keys that are typed there.

use super::draw::{draw, draw_small, fits};
use super::state::{Panel, lock};
use ratatui::crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use std::io;
use std::mem::ManuallyDrop;
use std::sync::Mutex;
use std::time::Duration;

/// So often the picture is drawn anew.
const FRAME: Duration = Duration::from_millis(100);

/// Shows the panel until the run is over; `quit` is told that somebody wants it to be.
///
/// # Errors
/// Where the terminal cannot be drawn on.
pub(crate) fn show(panel: &Mutex<Panel>, quit: impl FnMut()) -> io::Result<()> {
    // Dropped, it would print what fails to standard error, and panic where that is the terminal that is gone.
    let mut terminal = ManuallyDrop::new(ratatui::try_init()?);
    let shown = show_on(panel, &mut terminal, quit);
    terminal.show_cursor()?;
    ratatui::try_restore()?;
    shown
}

fn show_on(panel: &Mutex<Panel>, terminal: &mut ratatui::DefaultTerminal, mut quit: impl FnMut()) -> io::Result<()> {
    loop {
        {
            let panel = lock(panel);
            if panel.is_over {
                return Ok(());
            }
            if !panel.paused || panel.is_typing {
                terminal.draw(|frame| match fits(frame.area()) {
                    true => draw(&panel, frame),
                    false => draw_small(&panel, frame),
                })?;
            }
        }
        if event::poll(FRAME)?
            && let Event::Key(key) = event::read()?
            && key.kind == KeyEventKind::Press
            && take(&mut lock(panel), key)
        {
            quit();
        }
    }
}

/// Takes a key; gives whether somebody wants the run to end.
fn take(panel: &mut Panel, key: KeyEvent) -> bool {
    let is_control = key.modifiers.contains(KeyModifiers::CONTROL);
    match key.code {
        // The terminal hands it over as a key.
        KeyCode::Char('c') if is_control => return true,
        KeyCode::Esc if panel.tells_why => panel.tells_why = false,
        KeyCode::Esc => (panel.filter, panel.is_typing, panel.chosen) = (String::new(), false, 0),
        KeyCode::Enter if panel.is_typing => panel.is_typing = false,
        KeyCode::Enter => panel.tells_why = !panel.tells_why,
        KeyCode::Backspace if panel.is_typing => drop(panel.filter.pop()),
        KeyCode::Char(letter) if panel.is_typing && !is_control => {
            panel.filter.push(letter);
            panel.chosen = 0;
        }
        KeyCode::Char('q') => return true,
        KeyCode::Char('p') => panel.paused = !panel.paused,
        KeyCode::Char('/') => panel.is_typing = true,
        KeyCode::Down => panel.chosen = (panel.chosen + 1).min(panel.shown().count().saturating_sub(1)),
        KeyCode::Up => panel.chosen = panel.chosen.saturating_sub(1),
        _ => {}
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_quit_pause_scroll_and_find() {
        let mut panel = crate::panel::state::tests::winder();
        let typed = |panel: &mut Panel, code| take(panel, KeyEvent::new(code, KeyModifiers::NONE));
        assert!(!typed(&mut panel, KeyCode::Char('p')) && panel.paused);
        typed(&mut panel, KeyCode::Char('/'));
        "dru".chars().for_each(|letter| assert!(!typed(&mut panel, KeyCode::Char(letter))));
        assert!(!typed(&mut panel, KeyCode::Char('q')), "a letter of what is looked for");
        typed(&mut panel, KeyCode::Backspace);
        assert_eq!((panel.filter.as_str(), panel.is_typing), ("dru", true));
        typed(&mut panel, KeyCode::Enter);
        assert!(typed(&mut panel, KeyCode::Char('q')));
        typed(&mut panel, KeyCode::Esc);
        assert_eq!((panel.filter.as_str(), panel.chosen), ("", 0));
        typed(&mut panel, KeyCode::Enter);
        assert!(panel.tells_why);
        typed(&mut panel, KeyCode::Esc);
        assert!(!panel.tells_why);
        typed(&mut panel, KeyCode::Up);
        for _ in 0..100 {
            typed(&mut panel, KeyCode::Down);
        }
        assert_eq!(panel.chosen, panel.shown().count() - 1);
        assert!(take(&mut panel, KeyEvent::new(KeyCode::Char('c'), KeyModifiers::CONTROL)));
    }
}
