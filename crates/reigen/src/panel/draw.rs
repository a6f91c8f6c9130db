//! The panel on a terminal.

use super::state::{Panel, PanelPoint, STRIP};
use super::why::why;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Paragraph};
use reigen_core::finding::Severity;
use reigen_core::logic::expression::Value;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, seconds_short};
use reigen_core::units::short_time;

/// Eighths of a letter's height.
const BARS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
/// At most so many problems are shown.
const PROBLEMS: usize = 5;

/// Draws all of it.
pub(super) fn draw(panel: &Panel, frame: &mut Frame<'_>) {
    let problems = panel.problems();
    let rows = u16::try_from(problems.len().clamp(1, PROBLEMS)).unwrap_or(1);
    let (bits, numbers): (Vec<&PanelPoint>, Vec<&PanelPoint>) = panel.shown().partition(|point| point.is_bit);
    let width = usize::from(frame.area().width);
    let columns = lamp_columns(&bits, width);
    let lamp_rows = bits.len().div_ceil(columns.max(1));
    let links = u16::try_from(panel.links.len()).unwrap_or(u16::MAX);
    let heights = [
        Constraint::Length(1),
        Constraint::Length(rows + 1),
        Constraint::Max(u16::try_from(lamp_rows).unwrap_or(u16::MAX).saturating_add(1)),
        Constraint::Max(u16::try_from(numbers.len()).unwrap_or(u16::MAX).saturating_add(1)),
        Constraint::Fill(1),
        Constraint::Length(links.saturating_add(1).min(6)),
        Constraint::Length(1),
    ];
    let [head, wrong, lamps, values, changes, health, foot] = Layout::vertical(heights).areas(frame.area());
    frame.render_widget(Paragraph::new(heading(panel)), head);
    draw_problems(&problems, panel, frame, wrong);
    draw_lamps(panel, &bits, columns, frame, lamps);
    draw_numbers(panel, (&numbers, bits.len()), frame, values);
    match panel.tells_why {
        true => draw_why(panel, frame, changes),
        false => draw_changes(panel, frame, changes),
    }
    draw_links(panel, frame, health);
    frame.render_widget(Paragraph::new(keys(panel)).style(faint()), foot);
}

fn faint() -> Style {
    Style::new().add_modifier(Modifier::DIM)
}

fn bold() -> Style {
    Style::new().add_modifier(Modifier::BOLD)
}

/// A part with a word above it.
fn part<'a>(word: &'a str) -> Block<'a> {
    Block::new().title(Span::styled(word, faint()))
}

fn heading(panel: &Panel) -> Line<'static> {
    let time = seconds_short(i64::try_from(panel.now.0 / 100_000_000 * 100_000_000).unwrap_or(i64::MAX));
    let state = match (panel.paused, panel.drives) {
        (true, _) => "  paused: the run goes on",
        (false, true) => "  drives its outputs",
        (false, false) => "  outputs are not written",
    };
    let title = on_one_line(&panel.title).into_owned();
    Line::from(vec![Span::styled(title, bold()), Span::raw(format!("  {time} s")), Span::styled(state, faint())])
}

fn draw_problems(problems: &[super::state::Problem], panel: &Panel, frame: &mut Frame<'_>, area: Rect) {
    let lines: Vec<Line<'_>> = match problems {
        [] if panel.links.is_empty() => vec![Line::from("waiting for the first link")],
        [] => vec![Line::from("nothing is wrong: all links are up")],
        problems => problems
            .iter()
            .take(PROBLEMS)
            .map(|problem| {
                let (word, colour) = match problem.severity {
                    Severity::Error => ("error: ", Color::Red),
                    _ => ("warning: ", Color::Yellow),
                };
                let text = on_one_line(&problem.text).into_owned();
                Line::from(vec![Span::styled(word, bold().fg(colour)), Span::raw(text)])
            })
            .collect(),
    };
    frame.render_widget(Paragraph::new(lines), area);
}

/// How many lamps stand beside one another.
fn lamp_columns(bits: &[&PanelPoint], width: usize) -> usize {
    (width / (lamp_width(bits) + 5)).max(1)
}

fn lamp_width(bits: &[&PanelPoint]) -> usize {
    bits.iter().map(|point| named(point).chars().count()).max().unwrap_or_default()
}

/// The name of a point, and that it is old where it is.
fn named(point: &PanelPoint) -> String {
    if point.is_stale && point.value.is_some() { format!("{} (old)", point.name) } else { point.name.clone() }
}

/// The mark before the point that is chosen.
fn mark(is_chosen: bool) -> Span<'static> {
    if is_chosen { Span::styled(">", bold()) } else { Span::raw(" ") }
}

fn draw_lamps(panel: &Panel, bits: &[&PanelPoint], columns: usize, frame: &mut Frame<'_>, area: Rect) {
    let width = lamp_width(bits);
    let lamp = |(number, point): (usize, &&PanelPoint)| {
        let (lamp, style) = match point.value {
            Some(Value::Bit(true)) => ('●', bold().fg(Color::Green)),
            Some(_) => ('○', Style::new()),
            None => ('?', faint()),
        };
        [mark(number == panel.chosen), Span::styled(format!("{lamp} {:width$}  ", named(point)), style)]
    };
    let marked: Vec<[Span<'_>; 2]> = bits.iter().enumerate().map(lamp).collect();
    let lines: Vec<Line<'_>> = marked.chunks(columns).map(|row| row.concat().into()).collect();
    let room = usize::from(area.height).saturating_sub(1);
    let skipped = (panel.chosen.min(bits.len().saturating_sub(1)) / columns.max(1) + 1).saturating_sub(room);
    let lines: Vec<Line<'_>> = lines.into_iter().skip(skipped).collect();
    frame.render_widget(
        Paragraph::new(lines).block(part("lamps: ● on, ○ off, ? not known yet, (old) its link is lost or refuses it")),
        area,
    );
}

fn draw_numbers(panel: &Panel, (numbers, before): (&[&PanelPoint], usize), frame: &mut Frame<'_>, area: Rect) {
    let name = numbers.iter().map(|point| named(point).chars().count()).max().unwrap_or_default();
    let value = numbers.iter().map(|point| point.words().chars().count()).max().unwrap_or_default();
    let room = usize::from(area.width).saturating_sub(name + value + 6);
    let chosen = panel.chosen.checked_sub(before);
    let rows = usize::from(area.height).saturating_sub(1);
    let first = chosen.map_or(0, |chosen| (chosen + 1).saturating_sub(rows));
    let line = |(number, point): (usize, &&PanelPoint)| {
        let words = format!("{:name$}  {:>value$}  ", named(point), on_one_line(&point.words()));
        Line::from(vec![
            mark(Some(number) == chosen),
            Span::raw(words),
            Span::styled(strip(point, room), Style::new().fg(Color::Cyan)),
        ])
    };
    let lines: Vec<Line<'_>> = numbers.iter().enumerate().skip(first).map(line).collect();
    frame.render_widget(Paragraph::new(lines).block(part("numbers, last minute")), area);
}

/// The last values as bars from the least to the greatest.
fn strip(point: &PanelPoint, room: usize) -> String {
    let values: Vec<f64> = point.strip.iter().rev().take(room.min(STRIP)).rev().copied().collect();
    let (least, most) =
        values.iter().fold((f64::MAX, f64::MIN), |(least, most), value| (least.min(*value), most.max(*value)));
    if point.value.is_none() || values.is_empty() {
        return String::new();
    }
    let bar = |value: &f64| {
        let share = if most > least { (value - least) / (most - least) } else { 0.0 };
        let number = reigen_core::cast::usize_from_f64((share * 7.0).round());
        BARS.get(number).copied().unwrap_or(' ')
    };
    // The newest stands at the right, in all rows alike.
    let width = room.min(STRIP);
    format!("{:>width$}", values.iter().map(bar).collect::<String>())
}

fn draw_changes(panel: &Panel, frame: &mut Frame<'_>, area: Rect) {
    let room = usize::from(area.height).saturating_sub(1);
    let fits = panel.changes.iter().filter(|line| line.contains(&panel.filter));
    let lines: Vec<Line<'_>> = fits.rev().take(room).map(|line| Line::from(on_one_line(line).into_owned())).collect();
    frame.render_widget(Paragraph::new(lines).block(part("last changes of bits")), area);
}

fn draw_why(panel: &Panel, frame: &mut Frame<'_>, area: Rect) {
    let told = panel.chosen_point().map(|point| why(panel, point)).unwrap_or_default();
    let lines: Vec<Line<'_>> = told.iter().map(|line| Line::from(on_one_line(line).into_owned())).collect();
    frame.render_widget(Paragraph::new(lines).block(part("why")), area);
}

fn draw_links(panel: &Panel, frame: &mut Frame<'_>, area: Rect) {
    let line = |(name, told): &(String, reigen_run::live::intake::LinkAccount)| {
        let state = match told.lost_since {
            Some(since) if told.was_reached => {
                format!("lost {} ago", short_time(panel.now.saturating_sub(since)))
            }
            Some(_) => "not reached yet".to_owned(),
            None => "up".to_owned(),
        };
        let passes = told.passes;
        let seconds = panel.now.seconds().max(1.0);
        let mut words = format!("{name}: {state}");
        if passes.passes > 0 {
            let rate = passes.passes as f64 / seconds;
            let longest = short_time(passes.longest);
            words += &format!("; {rate:.1} passes a second, longest {longest}, {} late", passes.late);
        }
        if told.was_reached && told.downs > 0 {
            words += &format!("; lost {} in all, {}", times(told.downs), short_time(told.down_until(panel.now)));
        }
        Line::from(on_one_line(&words).into_owned())
    };
    let lines: Vec<Line<'_>> = panel.links.iter().map(line).collect();
    frame.render_widget(Paragraph::new(lines).block(part("links")), area);
}

fn times(count: u64) -> String {
    if count == 1 { "once".to_owned() } else { format!("{count} times") }
}

fn keys(panel: &Panel) -> String {
    match (panel.is_typing, panel.filter.is_empty()) {
        (true, _) => format!("find: {}▏  Enter keeps it, Esc shows all", panel.filter),
        (false, false) => format!("q quit  p pause  ↑↓ choose  Enter why  / find ({})  Esc shows all", panel.filter),
        (false, true) => "q quit  p pause  ↑↓ choose  Enter why  / find a point".to_owned(),
    }
}

/// Whether a terminal is large enough to read anything.
pub(super) fn fits(area: Rect) -> bool {
    area.width >= 20 && area.height >= 8
}

/// What is shown where it is not.
pub(super) fn draw_small(panel: &Panel, frame: &mut Frame<'_>) {
    let Nanos(now) = panel.now;
    frame.render_widget(
        Paragraph::new(format!("{} s: a larger terminal shows the panel", now / 1_000_000_000)),
        frame.area(),
    );
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::state::tests::winder;
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;

    fn shown(panel: &Panel, width: u16, height: u16) -> String {
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        terminal.draw(|frame| if fits(frame.area()) { draw(panel, frame) } else { draw_small(panel, frame) }).unwrap();
        let buffer = terminal.backend().buffer();
        let rows = buffer.content().chunks(usize::from(width));
        let rows =
            rows.map(|row| row.iter().map(ratatui::buffer::Cell::symbol).collect::<String>().trim_end().to_owned());
        rows.collect::<Vec<_>>().join("\n")
    }

    #[test]
    fn the_panel_tells_what_is_wrong_first() {
        insta::assert_snapshot!(shown(&winder(), 80, 24));
    }

    #[test]
    fn enter_tells_why_the_chosen_point_is_as_it_is() {
        let mut panel = winder();
        (panel.chosen, panel.tells_why) = (3, true);
        insta::assert_snapshot!(shown(&panel, 80, 24));
    }

    #[test]
    fn what_is_looked_for_is_shown_alone_and_no_size_is_too_small() {
        let mut panel = winder();
        panel.filter = "drum".to_owned();
        let text = shown(&panel, 80, 24);
        assert!(text.contains("drum_speed") && !text.contains("spool_turns") && !text.contains("running"), "{text}");
        panel.chosen = 1000;
        for (width, height) in [(1, 1), (19, 8), (20, 8), (400, 3), (40, 200)] {
            let _ = shown(&panel, width, height);
        }
    }
}
