//! A recording of any bytes is read or refused with its name and place; what is unknown in it is told in full.

use crate::content::{ContentFormat, begins, recognised};
use crate::options::{ReadOptions, Thresholds, TimeUnit};
use crate::recording::{Clock, Recording};
use crate::source::Source;
use crate::tests::{both_forms_agree, damage, damaged, told};
use proptest::prelude::*;
use reigen_core::lines::LineColumns;
use reigen_core::time::Nanos;
use std::path::Path;

/// The beginnings of files of each kind, and of some that are none.
const BEGINNINGS: [&[u8]; 12] = [
    b"",
    b"$timescale 1 ns $end\n$var wire 1 ! A $end\n$enddefinitions $end\n#0\n0!\n",
    b"$var wire 4 ! A $end\n$enddefinitions $end\n#5\nb01x1 !\n",
    b"time_s,A,B\n0,0,1\n0.5,1,1\n",
    b"t [ms];A;U\n0;0;1,5\n",
    b"{\"time_ns\": 0, \"line\": \"A\", \"value\": 1}\n",
    b"PAR1",
    b"\x1f\x8b\x08\x00",
    b"\x28\xb5\x2f\xfd",
    b"\xff\xfet\x00i\x00",
    b"\xef\xbb\xbftime,A\n0,1\n",
    b"[input.a]\nline = 'A'\n",
];

fn options() -> impl Strategy<Value = ReadOptions> {
    let thresholds = prop::option::of(Just(Thresholds { high_above: 2.0, low_below: 1.0 }));
    let unit = prop::option::of(prop_oneof![Just(TimeUnit::Seconds), Just(TimeUnit::Nanoseconds)]);
    (thresholds, unit, prop::option::of(Just(b';'))).prop_map(|(thresholds, time_unit, separator)| ReadOptions {
        thresholds,
        time_unit,
        separator,
        ..ReadOptions::default()
    })
}

proptest! {
    #[test]
    fn any_bytes_are_read_alike_or_refused_with_their_name(
        beginning in prop::sample::select(&BEGINNINGS[..]),
        rest in prop::collection::vec(any::<u8>(), 0..60),
        options in options(),
        piece in 2..40usize,
    ) {
        let bytes = [beginning, &rest].concat();
        both_forms_agree(&bytes, &options, piece)?;
        if let Err(message) = told(&bytes, &options) {
            prop_assert!(message.starts_with("rec") || message.contains(" rec"), "{}", message);
            prop_assert!(message.len() < 2_000 && message.chars().all(|letter| letter == '\n' || !letter.is_control()), "{:?}", message);
        }
    }

    #[test]
    fn a_packed_file_that_is_damaged_is_read_or_refused(changes in damage(), zstandard in any::<bool>()) {
        use std::io::Write;
        let text = b"time_s,A\n0,0\n1,1\n2,0\n";
        let packed = if zstandard {
            zstd::encode_all(&text[..], 3).unwrap()
        } else {
            let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
            encoder.write_all(text).unwrap();
            encoder.finish().unwrap()
        };
        let latin: String = packed.iter().map(|&byte| char::from(byte)).collect();
        let bytes: Vec<u8> = damaged(&latin, &changes);
        // As one byte a letter again: damage to letters is damage to bytes.
        let bytes: Vec<u8> = String::from_utf8_lossy(&bytes).chars().map(|letter| letter as u32 as u8).collect();
        match told(&bytes, &ReadOptions::default()) {
            // A checksum ends what gzip packs, so that damage cannot pass for a recording.
            Ok(read) => prop_assert!(zstandard || read.edges == 2, "{:?}", read),
            Err(message) => prop_assert!(!message.is_empty() && bytes != packed, "{}", message),
        }
    }

    #[test]
    fn the_time_that_a_line_is_unknown_is_the_sum_of_its_stretches(
        steps in prop::collection::vec((1..20u64, prop::sample::select(vec!['0', '1', 'x', 'z'])), 1..40),
        rest in 0..20u64,
    ) {
        let mut vcd = "$timescale 1 ns $end\n$var wire 1 ! A $end\n$enddefinitions $end\n#0\n".to_owned();
        let (mut time, mut stretches, mut was_known, mut since) = (0, 0, false, None);
        for &(ahead, level) in &steps {
            time += ahead;
            vcd.push_str(&format!("#{time}\n{level}!\n"));
            match (matches!(level, 'x' | 'z'), since) {
                (true, None) => since = was_known.then_some(time),
                (false, open) => {
                    stretches += open.map_or(0, |open| time - open);
                    (was_known, since) = (true, None);
                }
                (true, Some(_)) => {}
            }
        }
        let end = time + rest;
        vcd.push_str(&format!("#{end}\n"));
        stretches += since.map_or(0, |since| end - since);
        let input = Box::new(std::io::Cursor::new(vcd.clone().into_bytes()));
        let mut recording = Recording::from_bytes("rec".to_owned(), input, &ReadOptions::default()).unwrap();
        let mut lines = recording.select(&[0], &[]);
        recording.read(&mut lines, &mut |lines, until| { let window = lines.cut(until); lines.advance(window); true }).unwrap();
        prop_assert_eq!(recording.unknown_times(), vec![Nanos(stretches)], "{}", vcd);
    }
}

#[test]
fn what_a_file_is_shows_in_its_first_bytes() {
    let formats = BEGINNINGS.map(ContentFormat::of);
    use ContentFormat::{Csv, Empty, JsonLines, Parquet, Unknown, Vcd};
    assert_eq!(
        formats,
        [Empty, Vcd, Vcd, Csv, Csv, JsonLines, Parquet, Unknown, Unknown, Unknown, Csv, Csv],
        "a text of something else is refused when it is read"
    );
    let kinds = BEGINNINGS.map(recognised);
    assert_eq!((kinds[1], kinds[3], kinds[5]), (Some("VCD"), Some("CSV"), Some("JSON Lines")));
    assert_eq!((kinds[7], kinds[8]), (Some("packed by gzip"), Some("packed by zstd")));
    assert_eq!(kinds[11], None, "a station file is no recording");
    assert!(begins(BEGINNINGS[9]).contains("UTF-16"));
    assert!(begins(b"abcdefgh\x00").contains("byte 8"), "{}", begins(b"abcdefgh\x00"));
}

/// Some files in a folder, opened as one recording, and what is found in it.
fn several(files: &[&str], clock: Clock) -> Result<Vec<String>, String> {
    let folder = tempfile::tempdir().unwrap();
    let paths: Vec<Source> = (0..)
        .zip(files)
        .map(|(number, text)| {
            let path = folder.path().join(format!("{number}.csv"));
            std::fs::write(&path, text).unwrap();
            Source::Path(path)
        })
        .collect();
    let short = |text: String| text.replace(&format!("{}/", folder.path().display()), "");
    let mut recording =
        Recording::open_all(&paths, &ReadOptions::default(), clock).map_err(|error| short(error.to_string()))?;
    let mut lines: LineColumns = recording.select(&[0], &[]);
    recording
        .read(&mut lines, &mut |lines, until| {
            let window = lines.cut(until);
            lines.advance(window);
            true
        })
        .map_err(|error| short(error.to_string()))?;
    Ok(recording.findings(&["A".to_owned()]).into_iter().map(|finding| short(finding.message)).collect())
}

#[test]
fn files_in_a_row_fit_or_are_refused() {
    let (first, next) = ("time_s,A\n0,0\n1,1\n", "time_s,A\n5,0\n6,1\n");
    let gap = "nothing was recorded for 4 s before it: 0.csv ends at 1 s, and it begins at 5 s";
    assert_eq!(several(&[first, next], Clock::Shared).unwrap(), [gap]);
    assert_eq!(several(&[first, next], Clock::Own).unwrap(), Vec::<String>::new());
    for (files, clock, wanted) in [
        (vec![next, first], Clock::Shared, "1.csv begins at 0 s, before 0.csv ends at 6 s"),
        (vec![first, "time_s,B\n5,0\n"], Clock::Shared, "1.csv has no line `A`, but 0.csv has"),
        (
            vec![first, "time_s,A\n5,0.25\n6,0.75\n"],
            Clock::Own,
            "`A` has levels in one of 0.csv and 1.csv, but is a number in the other",
        ),
        (vec![first, ""], Clock::Own, "1.csv is empty"),
    ] {
        assert_eq!(several(&files, clock).unwrap_err(), wanted);
    }
    let missing = Recording::open(Path::new("no/such.vcd"), &ReadOptions::default()).err().unwrap();
    assert!(missing.to_string().starts_with("cannot read no/such.vcd"), "{missing}");
}

#[test]
fn thresholds_hold_between_their_two_levels() {
    let thresholds = Thresholds { high_above: 2.0, low_below: 1.0 };
    let levels = [0.5, 1.0, 1.5, 2.0, 2.5, f64::NAN].map(|value| thresholds.level(value));
    assert_eq!(levels, [Some(false), None, None, None, Some(true), None]);
}

#[test]
fn units_of_time_are_read_by_symbol_and_by_word() {
    for (words, power) in
        [(["s", "sec", "seconds"], 9), (["ms", "millisecond", "milliseconds"], 6), (["us", "µs", "microseconds"], 3)]
    {
        for word in words {
            assert_eq!(TimeUnit::of(word).map(TimeUnit::power), Some(power), "{word}");
        }
    }
    assert_eq!((TimeUnit::of("min"), TimeUnit::of("")), (None, None));
}
