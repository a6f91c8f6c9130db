use crate::options::{ReadOptions, Thresholds};
use crate::tests::{both_forms_agree, damage, damaged, told};
use proptest::prelude::*;
use reigen_core::quantity::parse_sample_rate;

fn rate(text: &str) -> ReadOptions {
    ReadOptions { sample_rate: parse_sample_rate(text).ok(), ..ReadOptions::default() }
}

fn thresholds() -> ReadOptions {
    ReadOptions { thresholds: Some(Thresholds { high_above: 2.0, low_below: 1.0 }), ..ReadOptions::default() }
}

#[test]
fn each_meaning_by_hand() {
    // The first line: its first level, when it came, its edges; then the origin and the end.
    let plain = ReadOptions::default();
    type Line<'a> = (Option<bool>, u64, &'a [u64]);
    let cases: &[(&str, &ReadOptions, &str, Line<'_>, i64, u64)] = &[
        ("seconds", &plain, "time_s,A\n0.5,0\n0.500000001,1\n1,1\n", (Some(false), 0, &[1]), 500_000_000, 500_000_000),
        ("milliseconds", &plain, "time_ms,A\n0,0\n1.5,1\n", (Some(false), 0, &[1_500_000]), 0, 1_500_000),
        ("microseconds", &plain, "time_us,A\n0,1\n1e3,0\n", (Some(true), 0, &[1_000_000]), 0, 1_000_000),
        ("nanoseconds, halves up", &plain, "time_ns,A\n-1.5,0\n0.5,1\n", (Some(false), 0, &[2]), -1, 2),
        ("a negative first time", &plain, "time_s,A\n-0.000001,0\n0,1\n", (Some(false), 0, &[1000]), -1000, 1000),
        (
            "quotes, also around a line end",
            &plain,
            "time_s,A,\"B\n,\"\n\"0\",\"0\",1\n1,1,1\n",
            (Some(false), 0, &[1_000_000_000]),
            0,
            1_000_000_000,
        ),
        (
            "line ends of two bytes, spaces, blank lines",
            &plain,
            "time_ns,A\r\n0, 0\r\n\r\n5,1 \r\n",
            (Some(false), 0, &[5]),
            0,
            5,
        ),
        ("no line end at the end", &plain, "time_ns,A\n0,0\n5,1", (Some(false), 0, &[5]), 0, 5),
        ("rows of one time", &plain, "time_ns,A\n0,0\n0,1\n5,0\n5,1\n", (Some(true), 0, &[5, 5]), 0, 5),
        (
            "a rate in place of times",
            &rate("1MHz"),
            "A,B\n0,1\n1,1\n1,0\n0,0\n",
            (Some(false), 0, &[1000, 3000]),
            0,
            3000,
        ),
        (
            "a rate with an odd period",
            &rate("3 Hz"),
            "A\n0\n1\n0\n",
            (Some(false), 0, &[333_333_333, 666_666_667]),
            0,
            666_666_667,
        ),
        (
            "levels by thresholds, strictly",
            &thresholds(),
            "time_ns,A\n0,1.5\n1,1\n2,0.9\n3,2\n4,2.1\n5,1.0\n6,0\n",
            (Some(false), 2, &[4, 6]),
            0,
            6,
        ),
        ("a byte order mark", &plain, "\u{feff}time_ns,A\n0,0\n5,1\n", (Some(false), 0, &[5]), 0, 5),
    ];
    for (what, options, text, (level, since, edges), origin, end) in cases {
        let told = told(text.as_bytes(), options).unwrap();
        assert_eq!(told.line(0), (*level, *since, edges.to_vec()), "{what}");
        assert_eq!((told.origin, told.end), (*origin, *end), "{what}");
    }
}

#[test]
fn a_column_of_other_numbers_is_one_of_numbers() {
    let told = told(b"time_ns,A,V\n0,0,1\n5,1,-2.5e1\n", &ReadOptions::default()).unwrap();
    assert_eq!(told.numbers, [vec![(0, 1.0), (5, -25.0)]]);
}

#[test]
fn what_is_wrong_is_refused_at_its_line() {
    let plain = ReadOptions::default();
    let cases = [
        ("time_ns,A\n", &plain, "rec, line 2: the recording ends here without any time or row"),
        ("A,B\n0,1\n", &plain, "rec, line 1: the first column, `A`, is no time column"),
        ("0,1\n0,1\n", &plain, "rec, line 1: the first row is `0,1`: these are values, not names of lines"),
        ("time_s,A\n0,1\n", &rate("1kHz"), "rec, line 1: there is a time column, `time_s`, and a sample rate too"),
        ("time_ns,A\n0,0\n\n5\n6,1\n", &plain, "rec, line 4: this row has 1 cells, and the header has 2"),
        ("time_ns,A\n0,0\n5,1,1\n6,1\n", &plain, "rec, line 3: this row has 3 cells, and the header has 2"),
        ("time_ns,A\n0,0\n5,high\n6,1\n", &plain, "rec, line 3: `high` is no level, in the column `A`"),
        ("time_ns,A\n0,0\n\"5\",\"hi\ngh\"\n6,1\n", &plain, "rec, line 3: `hi·gh` is no level, in the column `A`"),
        ("time_ns,A\n0,0\nx,1\n6,1\n", &plain, "rec, line 3: `x` is no time"),
        ("time_ns,A\n0,0\n1e30,1\n", &plain, "rec, line 3: the time `1e30` is too large"),
        (
            "time_ns,A\n0,0\n5,1\n4,1\n",
            &plain,
            "rec, line 4: the time `4` comes after `0.000000005 s`: times run backwards",
        ),
        ("time_ns,A\n0,0.5\n5,3\n6,nan\n", &thresholds(), "rec, line 4: `nan` is no number, in the column `A`"),
    ];
    for (text, options, message) in cases {
        assert_eq!(told(text.as_bytes(), options).unwrap_err(), message, "{text}");
    }
    for (bytes, message) in
        [(&b""[..], "rec is empty"), (b" \n", "rec is empty"), (b"\x00\x01\x02", "rec is no recording")]
    {
        assert!(told(bytes, &plain).unwrap_err().starts_with(message));
    }
}

/// Rows of three levels under times of a shape that now and then changes.
fn text() -> impl Strategy<Value = String> {
    let row = (
        0..3000u64,
        0..8u8,
        prop::option::weighted(
            0.05,
            prop_oneof![
                Just("\"5\",0,1,1\n"),
                Just("\n"),
                Just("7,0,1,1\r\n"),
                Just("8, 1,0,0\n"),
                Just("9,\"1\",0,\"0\n\"\n"),
                Just("1.5,1,1,1\n"),
            ],
        ),
    );
    (0..100_000u64, 1..2000u64, prop::collection::vec((row, any::<bool>()), 0..60)).prop_map(|(start, step, rows)| {
        let mut text = "time_us,A,B,C\n".to_owned();
        let (mut time, mut levels) = (start, 0);
        for ((other, bits, rare), changes) in rows {
            time += if rare.is_some() { other } else { step };
            levels = if changes { bits } else { levels };
            let bit = |place: u8| levels >> place & 1;
            text += &format!("{}.{:03},{},{},{}\n", time / 1000, time % 1000, bit(0), bit(1), bit(2));
            text += rare.unwrap_or_default();
        }
        text
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn both_forms_tell_the_same_however_the_file_is_cut(
        text in text(),
        damage in damage(),
        by_rate in any::<bool>(),
        piece in 2..300usize,
    ) {
        let (text, options) = match by_rate {
            true => (text.replace("time_us", "T"), rate("44.1 kHz")),
            false => (text, ReadOptions::default()),
        };
        both_forms_agree(&damaged(&text, &damage), &options, piece)?;
    }

    #[test]
    fn thresholds_make_the_same_levels_cut_anyhow(values in prop::collection::vec(0..30u8, 1..60), piece in 2..100usize) {
        let mut text = "time_ns,A\n".to_owned();
        for (time, value) in values.iter().enumerate() {
            text += &format!("{time},{}.{}5\n", value / 10, value % 10);
        }
        both_forms_agree(text.as_bytes(), &thresholds(), piece)?;
    }
}

proptest! {
    #[test]
    fn rows_with_numbers_read_the_same_in_both_forms(
        rows in prop::collection::vec((0..3u64, "-?[0-9]{1,4}([.][0-9]{0,4})?", any::<bool>(), "[0-9]{1,9}|1e3|[.]5|ab"), 1..60),
        end in prop_oneof![Just("\n"), Just("\r\n")],
        damage in damage(),
        piece in 1..200usize,
    ) {
        let mut text = format!("time_us,A,L,B{end}");
        let mut time = 0;
        for (step, number, level, other) in &rows {
            time += step;
            text += &format!("{time}.5,{number},{},{other}{end}", u8::from(*level));
        }
        both_forms_agree(&damaged(&text, &damage), &ReadOptions::default(), piece)?;
    }
}

#[test]
fn the_step_of_the_times_is_told_by_the_format_or_by_the_first_rows() {
    let tick = |bytes: &[u8], options: ReadOptions| {
        let input = Box::new(std::io::Cursor::new(bytes.to_vec()));
        crate::recording::Recording::from_bytes("rec".to_owned(), input, &options).unwrap().tick().0
    };
    let rate = ReadOptions {
        sample_rate: Some(reigen_core::quantity::parse_sample_rate("10 kHz").unwrap()),
        ..ReadOptions::default()
    };
    for (text, options, nanos) in [
        (
            "$timescale 10 us $end\n$var wire 1 ! A $end\n$enddefinitions $end\n#0\n0!\n#7\n",
            ReadOptions::default(),
            10_000,
        ),
        ("$timescale 1 ps $end\n$var wire 1 ! A $end\n$enddefinitions $end\n#0\n0!\n#7\n", ReadOptions::default(), 1),
        ("time_ms,A\n0,0\n2,1\n4,0\n", ReadOptions::default(), 2_000_000),
        ("time_ms,A\n0,0\n2,1\n5,0\n", ReadOptions::default(), 1),
        ("time_ms,A\n0,0\n2,1\n", ReadOptions::default(), 1),
        // A third of a microsecond, rounded to nanoseconds by whoever wrote it.
        ("time_ns,A\n0,0\n3333,1\n6667,0\n10000,1\n", ReadOptions::default(), 3333),
        ("A\n0\n1\n", rate, 100_000),
    ] {
        assert_eq!(tick(text.as_bytes(), options), nanos, "{text}");
    }
}
