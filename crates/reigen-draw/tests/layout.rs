//! Where things stand on a picture: all of it within the frame, and no words upon one another, whatever is drawn.

#![allow(clippy::unwrap_used, clippy::cast_possible_truncation, clippy::cast_precision_loss)]

use proptest::prelude::*;
use reigen_core::account::Rule;
use reigen_core::cast;
use reigen_core::time::{Nanos, Origin};
use reigen_draw::bits::NamedBit;
use reigen_draw::diagram::{Content, Diagram, Row};
use reigen_draw::number::NumberRow;
use reigen_draw::picture::{Drawing, Format, PictureError, render};
use reigen_draw::polling::{MissedCurve, PollingPicture};
use reigen_draw::steps::Steps;
use reigen_draw::terminal;
use reigen_draw::theme::Theme;
use reigen_draw::trace::Trace;

/// A text on a picture, with the room that it takes.
#[derive(Debug, Clone)]
struct Words {
    text: String,
    left: f64,
    right: f64,
    top: f64,
    bottom: f64,
}

/// A letter is so wide, at least, as a share of its height.
const NARROW: f64 = 0.4;

impl Words {
    /// By the attributes of an SVG text. The room is taken small, so that what overlaps here does so in any font.
    fn of(node: roxmltree::Node<'_, '_>) -> Self {
        let number = |name: &str| node.attribute(name).unwrap().parse::<f64>().unwrap();
        let text = node.text().unwrap_or_default().trim().to_owned();
        let size = number("font-size");
        let width = text.chars().count() as f64 * size * NARROW;
        let left = match node.attribute("text-anchor").unwrap() {
            "start" => number("x"),
            "middle" => number("x") - width / 2.0,
            _ => number("x") - width,
        };
        let middle = number("y") - size * 0.15;
        Self { text, left, right: left + width, top: middle - size * 0.3, bottom: middle + size * 0.3 }
    }

    fn overlaps(&self, other: &Words) -> bool {
        self.left < other.right && other.left < self.right && self.top < other.bottom && other.top < self.bottom
    }
}

/// The texts of a picture, after what holds for all pictures has been looked at.
fn words(drawing: &dyn Drawing, (width, height): (u32, u32)) -> Result<Vec<Words>, TestCaseError> {
    let svg = String::from_utf8(render(drawing, Format::Svg, (width, height), &Theme::LIGHT).unwrap()).unwrap();
    let document = roxmltree::Document::parse(&svg).map_err(|error| TestCaseError::fail(format!("{error}: {svg}")))?;
    let words: Vec<Words> = document.descendants().filter(|node| node.has_tag_name("text")).map(Words::of).collect();
    let (right, bottom) = (f64::from(width), f64::from(height));
    for (number, one) in words.iter().enumerate() {
        prop_assert!(one.left >= 0.0 && one.right <= right, "{one:?} is not within the width {width}");
        prop_assert!(one.top >= 0.0 && one.bottom <= bottom, "{one:?} is not within the height {height}");
        if let Some(other) = words.iter().take(number).find(|other| other.overlaps(one)) {
            return Err(TestCaseError::fail(format!("{one:?} stands on {other:?}")));
        }
    }
    Ok(words)
}

/// A signal from its changes.
fn trace(from: u64, level: bool, toggles: &[u64]) -> Trace {
    let mut trace = Trace::new(Nanos(from));
    let mut times: Vec<Nanos> = toggles.iter().map(|time| Nanos(from + time)).collect();
    times.sort_unstable();
    trace.take(Nanos(from), Some(level), &times);
    trace
}

fn bit(from: u64) -> impl Strategy<Value = Content> {
    let toggles = || prop::collection::vec(0..5_000_000u64, 0..300);
    let rule = prop_oneof![Just(Rule::Bounce), Just(Rule::Glitch), Just(Rule::Missed)];
    let rejected = prop::collection::vec((0..5_000_000u64, rule), 0..40);
    (toggles(), toggles(), rejected, any::<bool>(), any::<bool>()).prop_map(
        move |(raw, clean, mut rejected, level, wired)| {
            rejected.sort_by_key(|(time, _)| *time);
            Content::Bit {
                raw: wired.then(|| trace(from, level, &raw)),
                clean: trace(from, level, &clean),
                rejected: rejected.into_iter().map(|(time, rule)| (Nanos(from + time), rule)).collect(),
                ramp: None,
            }
        },
    )
}

fn number(from: u64) -> impl Strategy<Value = Content> {
    let value = prop_oneof![Just(0.0), -1e3..1e3f64, -1e9..1e9f64, 1e-9..1e-3f64];
    let steps = prop::collection::vec((0..5_000_000u64, value.clone()), 1..60);
    (steps, prop::collection::vec(value, 0..4)).prop_map(move |(mut steps, levels)| {
        steps.sort_by_key(|(time, _)| *time);
        let mut taken = Steps::new(Nanos(from));
        taken.take(None, steps.into_iter().map(|(time, value)| (Nanos(from + time), value)));
        Content::Number(NumberRow { levels, ..NumberRow::new(taken) })
    })
}

/// The data line of a chain: bits at any times, in the order of a frame.
fn wire(from: u64) -> impl Strategy<Value = Content> {
    let times = prop::collection::btree_set(0..5_000_000u64, 1..40);
    let toggles = prop::collection::vec(0..5_000_000u64, 0..60);
    (times, toggles, "[a-z_0-9]{1,30}", any::<bool>()).prop_map(move |(times, toggles, point, level)| {
        let bit = |(place, time): (usize, u64)| NamedBit {
            at: Nanos(from + time),
            high: place % 3 == 0,
            register: place / 8 + 1,
            pin: format!("D{}", 7 - place % 8),
            point: format!("{point}{place}"),
        };
        Content::Wire { line: trace(from, level, &toggles), bits: (0..).zip(times).map(bit).collect() }
    })
}

fn diagram() -> impl Strategy<Value = Diagram> {
    let from = prop_oneof![Just(0u64), 0..10u64.pow(12), Just(u64::MAX / 4)];
    (from, 1..10u64.pow(10), 1..9usize).prop_flat_map(|(from, length, rows)| {
        let content = prop_oneof![bit(from), number(from), wire(from)];
        let row = ("[a-z_0-9]{1,30}", "[A-Z_0-9]{0,30}", content).prop_map(|(label, under, content)| Row {
            label,
            under,
            content,
        });
        (prop::collection::vec(row, rows), "[a-z <&>\"']{0,140}").prop_map(move |(rows, title)| Diagram {
            title,
            from: Nanos(from),
            until: Nanos(from + length),
            origin: Origin::default(),
            rows,
        })
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn a_diagram_has_its_words_apart_and_within(diagram in diagram(), width in 640..2_000u32, more in 0..900u32) {
        let size = (width, diagram.least_height().max(200) + more);
        let words = words(&diagram, size)?;
        for row in &diagram.rows {
            let beginning: String = row.label.chars().take(12).collect();
            prop_assert!(words.iter().any(|words| words.text.starts_with(&beginning)), "{} is not named", row.label);
        }
    }

    #[test]
    fn a_diagram_in_letters_is_as_wide_as_it_may_be(diagram in diagram(), width in 40..200usize) {
        let lines = terminal::draw(&diagram, width);
        for line in lines.iter().skip(1) {
            prop_assert!(line.chars().count() <= width, "{} letters: {line}", line.chars().count());
        }
        let named = |row: &Row| {
            let name: String = row.label.chars().take(width / 3).collect();
            lines.iter().any(|line| line.starts_with(&name))
        };
        prop_assert!(diagram.rows.iter().all(named), "{}", lines.join("\n"));
    }

    #[test]
    fn curves_of_missed_pulses_are_named_apart_and_within(
        shares in prop::collection::vec(prop::collection::vec(0.0..1.0f64, 2..20), 0..12),
        first in 3..9u32,
        period in prop::option::of(1_000..1_000_000_000u64),
        size in (700..1_600u32, 420..900u32),
    ) {
        let point = |number: usize, share: f64| (Nanos(10u64.pow(first) * (number as u64 + 1)), share);
        let curves: Vec<MissedCurve> = shares
            .iter()
            .enumerate()
            .map(|(number, shares)| MissedCurve {
                name: format!("input_{number}"),
                points: shares.iter().enumerate().map(|(number, share)| point(number, *share)).collect(),
            })
            .collect();
        let picture = PollingPicture { title: "missed".to_owned(), period: period.map(Nanos), curves };
        let words = words(&picture, size)?;
        for curve in picture.curves.iter().take(6) {
            prop_assert!(words.iter().any(|words| words.text.contains(&curve.name)), "{} is not named", curve.name);
        }
    }
}

#[test]
fn bits_are_named_as_far_as_there_is_room() {
    // A row of 1,050 pixels: points where they fit, else the registers, else nothing.
    let named = |clocks: u64, length: u64| {
        let bit = |place: u64| NamedBit {
            at: Nanos((place + 1) * 1_000),
            high: false,
            register: cast::usize_from_u64(place / 8) + 1,
            pin: format!("D{}", 7 - place % 8),
            point: format!("switch_{place}"),
        };
        let content = Content::Wire { line: trace(0, false, &[]), bits: (0..clocks).map(bit).collect() };
        let row = Row { label: "data".to_owned(), under: String::new(), content };
        let (title, until) = ("chain".to_owned(), Nanos(length));
        let diagram = Diagram { title, from: Nanos(0), until, origin: Origin::default(), rows: vec![row] };
        let words = words(&diagram, (1_280, 400)).unwrap();
        let count = |beginning: &str| words.iter().filter(|words| words.text.starts_with(beginning)).count();
        let in_letters = terminal::draw(&diagram, 120).iter().any(|line| line.contains("D7") && line.contains("D0"));
        (count("D"), count("switch"), count("register"), in_letters)
    };
    assert_eq!(named(10, 12_000), (10, 10, 0, true));
    assert_eq!(named(16, 25_000), (16, 0, 2, true));
    assert_eq!(named(16, 100_000), (0, 0, 0, false));
}

#[test]
fn rows_without_room_are_refused_with_the_height_they_need_and_that_is_enough() {
    for count in [1, 5, 40] {
        let row = Row {
            label: "x".to_owned(),
            under: String::new(),
            content: Content::Bit { raw: None, clean: trace(0, false, &[5]), rejected: Vec::new(), ramp: None },
        };
        let diagram = Diagram {
            title: String::new(),
            from: Nanos(0),
            until: Nanos(10),
            origin: Origin::default(),
            rows: vec![row; count],
        };
        let needed = diagram.least_height();
        let drawn = |height| render(&diagram, Format::Png, (400, height), &Theme::DARK);
        if needed > 200 {
            assert_eq!(drawn(needed - 1), Err(PictureError::Room { rows: count, needed }));
        }
        let png = drawn(needed.max(200)).unwrap();
        let info = png::Decoder::new(std::io::Cursor::new(png)).read_info().unwrap();
        assert_eq!((info.info().width, info.info().height), (400, needed.max(200)));
    }
    for size in [(0, 400), (400, 0), (100_000, 400)] {
        let picture = PollingPicture { title: String::new(), period: None, curves: Vec::new() };
        assert_eq!(render(&picture, Format::Svg, size, &Theme::LIGHT), Err(PictureError::Size(size.0, size.1)));
    }
}
