use crate::options::{ReadOptions, Thresholds, TimeUnit};
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
        ("A,B\n0,1\n", &plain, "rec, line 1: the first column, `A`, is not a time column"),
        ("0,1\n0,1\n", &plain, "rec, line 1: the first row is `0,1`: these are values, not names of lines"),
        ("time_s,A\n0,1\n", &rate("1kHz"), "rec, line 1: there is a time column, `time_s`, and a sample rate too"),
        ("time_ns,A\n0,0\n\n5\n6,1\n", &plain, "rec, line 4: this row has 1 cells, and the header has 2"),
        ("time_ns,A\n0,0\n5,1,1\n6,1\n", &plain, "rec, line 3: this row has 3 cells, and the header has 2"),
        ("time_ns,A\n0,0\n5,high\n6,1\n", &plain, "rec, line 3: `high` is not a level, in the column `A`"),
        ("time_ns,A\n0,0\n\"5\",\"hi\ngh\"\n6,1\n", &plain, "rec, line 3: `hi·gh` is not a level, in the column `A`"),
        ("time_ns,A\n0,0\nx,1\n6,1\n", &plain, "rec, line 3: `x` is no time"),
        ("time_ns,A\n0,0\n1e30,1\n", &plain, "rec, line 3: the time `1e30` is too large"),
        (
            "time_ns,A\n0,0\n5,1\n4,1\n",
            &plain,
            "rec, line 4: the time `4` comes after `0.000000005 s`: times run backwards",
        ),
        ("time_ns,A\n0,0.5\n5,3\n6,nan\n", &thresholds(), "rec, line 4: `nan` is not a number, in the column `A`"),
    ];
    for (text, options, message) in cases {
        assert_eq!(told(text.as_bytes(), options).unwrap_err(), message, "{text}");
    }
    for (bytes, message) in
        [(&b""[..], "rec is empty"), (b" \n", "rec is empty"), (b"\x00\x01\x02", "rec is not a recording")]
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

/// Mostly a plain number.
fn other_cell() -> impl Strategy<Value = String> {
    prop_oneof![40 => "[0-9]{1,5}[.][0-9]{1,3}", 1 => "-?[0-9]{1,17}([.][0-9]{1,9})?", 1 => "1e3|[.]|[.]5|ab|1[.]2[.]3|"]
}

proptest! {
    // Each case is long: blocks are only taken where many rows come together.
    #![proptest_config(ProptestConfig::with_cases(80))]
    #[test]
    fn rows_with_numbers_read_the_same_in_both_forms(
        rows in prop::collection::vec((0..30u64, "-?[0-9]{1,4}([.][0-9]{0,4})?", any::<bool>(), other_cell()), 1..200),
        all_numbers in any::<bool>(),
        begins in prop_oneof![Just(0), Just(99_999_990u64)],
        end in prop_oneof![Just("\n"), Just("\r\n")],
        damage in damage(),
        piece in prop_oneof![1..200usize, 200..6000usize],
    ) {
        let mut text = format!("time_us,A,L,B{end}");
        let mut time = begins;
        for (step, number, level, other) in &rows {
            time += step;
            let decimals = if all_numbers { ".25" } else { "" };
            text += &format!("{time}.5,{number},{}{decimals},{other}{end}", u8::from(*level));
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
        // A third of a microsecond, which the recorder rounded to nanoseconds.
        ("time_ns,A\n0,0\n3333,1\n6667,0\n10000,1\n", ReadOptions::default(), 3333),
        ("A\n0\n1\n", rate, 100_000),
    ] {
        assert_eq!(tick(text.as_bytes(), options), nanos, "{text}");
    }
}

/// What a CSV was read as.
fn taken_for(text: &str, options: &ReadOptions) -> String {
    let input = Box::new(std::io::Cursor::new(text.as_bytes().to_vec()));
    crate::recording::Recording::from_bytes("rec".to_owned(), input, options).unwrap().taken_for().concat()
}

#[test]
fn files_as_they_come_mean_the_same() {
    let plain = ReadOptions::default();
    let named = |time: &str, unit| ReadOptions { time: Some(time.to_owned()), time_unit: Some(unit), ..plain.clone() };
    let burst = ReadOptions { sample_rate: parse_sample_rate("1 kHz").ok(), ..plain.clone() };
    // All of them: A goes high at 1 ms and low at 3 ms, and the recording ends at 4 ms.
    let cases: &[(&str, &ReadOptions, &str)] = &[
        ("time_ms,A\n0,0\n1,1\n3,0\n4,0\n", &plain, "CSV separated by `,`; time `time_ms` in ms"),
        (
            "Time (ms);A;V\n0,5;0;1,25\n1,5;1;1,5\n3,5;0;2\n4,5;0;2\n",
            &plain,
            "separated by `;`, with decimal commas; time `Time (ms)` in ms; 1 line with levels, 1 with numbers",
        ),
        ("t [s]\tA\n0.0005\t0\n0.0015\t1\n0.0035\t0\n0.0045\t0\n", &plain, "separated by tabs; time `t [s]` in s"),
        ("  Time/us   A\n   500  OFF\n  1500   ON\n  3500  OFF\n  4500  off\n", &plain, "by spaces; time `Time/us`"),
        (
            "Logger 4, \"5\" lines\nSerial;17\n\ntime_ns,B,A\n0,1,L\n1e6,1,H\n3e6,1,L\n4e6,0,L\n",
            &plain,
            "3 lines above the header skipped; time `time_ns` in ns; 2 lines with levels, 0 with numbers; levels are 0 and 1, L and H",
        ),
        (
            "A,Stamp\nFALSE,7\nTRUE,8\nfalse,10\nFALSE,11\n",
            &named("Stamp", TimeUnit::Milliseconds),
            "time `Stamp` in ms; 1 line with levels, 0 with numbers; levels are FALSE and TRUE",
        ),
        ("Time,A\n(ms),(V)\n0,0\n1,1\n3,0\n4,0\n", &plain, "time `Time` in ms"),
        (
            "Time,A\n2026-11-25T23:59:59.999Z,0\n2026-11-26T00:00:00Z,1\n2026-11-26T01:00:00.002+01:00,0\n2026-11-26T00:00:00.003Z,0\n",
            &plain,
            "time `Time` as dates from 2026-11-25T23:59:59.999Z on, in seconds since 1970 (UTC)",
        ),
        (
            "timestamp;A\n2026-11-25 10:00:00;0\n2026-11-25 10:00:00.001;1\n2026-11-25 10:00:00.003;0\n2026-11-25 10:00:00.004;0\n",
            &plain,
            "as dates from 2026-11-25 10:00:00 on, without a zone, in seconds since 1970",
        ),
        ("time_ms,A,A\n0,0,1\n2,1,0\n4,0,0\n", &burst, "2 samples in a row"),
        ("time_ms,A\n0,0,1\n2,1,0\n4,0,0\n", &burst, "2 samples in a row"),
        ("B,A,B,A\n1,0,1,1\n1,1,1,0\n1,0,1,0\n", &burst, "a row a sample; 2 samples in a row; 2 lines"),
        ("time_ms,A,B\n0,0,\n1,1,\n2,,1\n3,0,\n4,,\n", &plain, "2 lines with levels"),
    ];
    for (text, options, taken) in cases {
        let told = told(text.as_bytes(), options).unwrap_or_else(|error| panic!("{error} in {text}"));
        let line = told.names.iter().position(|name| name == "A").unwrap();
        assert_eq!(told.line(line), (Some(false), 0, vec![1_000_000, 3_000_000]), "{text}");
        assert!((4_000_000..=5_000_000).contains(&told.end), "{} of {text}", told.end);
        let found = taken_for(text, options);
        assert!(found.contains(taken), "{found}");
        for piece in [2, 30] {
            both_forms_agree(text.as_bytes(), options, piece).unwrap();
        }
    }
}

#[test]
fn a_header_in_latin_letters_is_read_and_utf16_is_named() {
    let latin = b"Time (\xb5s);Stra\xdfe\n0;1\n5;0\n";
    let read = told(latin, &ReadOptions::default()).unwrap();
    assert_eq!((read.names, read.end), (vec!["Straße".to_owned()], 5000));
    let wide: Vec<u8> = "\u{feff}time_s,A\n0,1\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
    let error = told(&wide, &ReadOptions::default()).unwrap_err();
    assert_eq!(error, "rec is not a recording: it begins with the mark of UTF-16: save it as UTF-8");
}

#[test]
fn what_may_be_read_in_two_ways_is_asked_for() {
    let plain = ReadOptions::default();
    let named = |time: &str| ReadOptions { time: Some(time.to_owned()), ..plain.clone() };
    let unit = |unit| ReadOptions { time_unit: Some(unit), ..plain.clone() };
    let cases: &[(&str, &ReadOptions, &str)] = &[
        ("time_s,t (ms),A\n0,0,1\n", &plain, "rec, line 1: the time may be `time_s` or `t (ms)`"),
        ("Time,A\n0,0\n1,1\n", &plain, "rec, line 1: the unit of the time column `Time` is not known"),
        (
            "Time (ms),A\n0,0\n1,1\n",
            &unit(TimeUnit::Seconds),
            "rec, line 1: the time column `Time (ms)` is in ms, and --time-unit says s",
        ),
        ("time_s;V\n1;1,234\n2;5,678\n", &plain, "rec, line 2: `1,234` may be a decimal comma or thousands"),
        ("time_s;V\n1;1,2\n2;5.6\n", &plain, "rec, line 3: `5.6` has a decimal point and `1,2` a decimal comma"),
        ("time_s,A,A\n0,0,1\n", &plain, "rec, line 1: `A` is 2 times in the header: are these samples of a burst?"),
        ("x;Stamp;A\n1;0;1\n", &named("stamp"), "rec, line 1: there is no column `stamp`"),
        (
            "Time,A\n2026-11-25T10:00:00Z,0\n2026-11-25 10:00:01,1\n2026-11-25T10:00:02Z,1\n",
            &plain,
            "rec, line 3: the time `2026-11-25 10:00:01` has no zone, unlike those before it",
        ),
        ("Time,A\n2026-11-25T10:00:00Z,0\nnoon,1\n3,1\n", &plain, "rec, line 3: `noon` is not a date and time"),
        ("time_s,A\n0,ON\n1,1\n2,OFF\n", &plain, "rec, line 3: `1` is not a level, in the column `A`"),
        // `a b` and `c`, or `a` and `b;c`?
        ("a b;c\n1 2;3\n2 3;4\n", &rate("1 kHz"), "rec, line 1: the separator may be `;` or spaces"),
    ];
    for (text, options, message) in cases {
        assert_eq!(told(text.as_bytes(), options).unwrap_err(), *message, "{text}");
    }
    // The option settles it.
    let decimal = ReadOptions { decimal: Some(b','), ..plain.clone() };
    assert_eq!(
        told(b"time_s;V\n1;1,234\n2;5,678\n", &decimal).unwrap().numbers,
        [[(0, 1.234), (1_000_000_000, 5.678)]]
    );
    let spaces = ReadOptions { separator: Some(b' '), ..rate("1 kHz") };
    assert_eq!(told(b"a b;c\n1 2;3\n2 3;4\n", &spaces).unwrap().names, ["a", "b;c"]);
}

proptest! {
    #[test]
    fn any_dialect_reads_as_the_plain_one_does(
        rows in prop::collection::vec((1..5000u32, -9999..9999i32, any::<bool>(), 0..8u8), 2..40),
        dialect in 0..5usize,
        words in 0..3usize,
        damage in damage(),
        piece in 2..200usize,
    ) {
        let (separator, decimal) = [(";", ","), (";", "."), ("\t", ","), (" ", ","), (" ", ".")][dialect];
        let levels = [["FALSE", "TRUE"], ["OFF", "ON"], ["L", "H"]][words];
        let (mut plain, mut other, mut time) = ("time_us,A,V\n".to_owned(), format!("time_us{separator}A{separator}V\n"), 0);
        for (step, value, level, tenths) in rows {
            time += step;
            plain += &format!("{time}.{tenths},{},{}.{tenths}\n", u8::from(level), value);
            let cells = [format!("{time}.{tenths}"), levels[usize::from(level)].to_owned(), format!("{value}.{tenths}")];
            other += &(cells.join("|").replace('.', decimal).replace('|', separator) + "\n");
        }
        let options = ReadOptions { decimal: Some(decimal.as_bytes()[0]), ..ReadOptions::default() };
        prop_assert_eq!(told(plain.as_bytes(), &ReadOptions::default()), told(other.as_bytes(), &options));
        both_forms_agree(&damaged(&other, &damage), &ReadOptions::default(), piece)?;
    }
}

proptest! {
    #[test]
    fn words_and_hexadecimal_cells_tell_what_digits_tell(
        rows in prop::collection::vec((1..4u64, any::<bool>(), 0..0xffffu32), 2..60),
        style in 0..3usize,
        damage in damage(),
        piece in 200..900usize,
    ) {
        let (mut plain, mut other, mut time) = ("time_us,K,W\n".to_owned(), "time_us,K,W\n".to_owned(), 0);
        for (number, (step, level, word)) in rows.into_iter().enumerate() {
            time += step;
            // Both words come at the start, from which the column is known.
            let level = if number < 2 { number == 1 } else { level };
            plain += &format!("{time},{},{word}\n", u8::from(level));
            let word = [format!("0x{word:X}"), format!("16#{word:04x}"), format!("0X{word:x}")][style].clone();
            other += &format!("{time},{},{word}\n", if level { "closed" } else { "open" });
        }
        let options = ReadOptions { high: vec!["CLOSED".to_owned()], ..ReadOptions::default() };
        prop_assert_eq!(told(plain.as_bytes(), &ReadOptions::default()), told(other.as_bytes(), &options));
        both_forms_agree(&damaged(&other, &damage), &options, piece)?;
    }
}

#[test]
fn a_word_for_high_is_refused_where_no_column_of_two_words_has_it() {
    let cases = [
        ("time_s,K\n0,open\n1,closed\n", "closed", None),
        ("time_s,K\n0,open\n1,closed\n", "shut", Some("the columns of words have open, closed")),
        ("time_s,K\n0,open\n1,closed\n2,half\n", "closed", Some("more than two words (open, closed, half)")),
        ("time_s,K\n0,0\n1,1\n", "closed", Some("no column has words")),
    ];
    for (text, word, help) in cases {
        let options = ReadOptions { high: vec![word.to_owned()], ..ReadOptions::default() };
        let input = Box::new(std::io::Cursor::new(text.as_bytes().to_vec()));
        let said = crate::recording::Recording::from_bytes("rec".to_owned(), input, &options);
        let found = said.err().map(|error| error.help().unwrap_or_default());
        assert_eq!(found.is_some(), help.is_some(), "{text} {found:?}");
        assert!(found.unwrap_or_default().contains(help.unwrap_or_default()), "{text}");
    }
}

#[test]
fn what_once_parted_the_two_forms_reads_the_same() {
    let cases: &[(&str, ReadOptions)] = &[
        // A lone `\r` within a column of words ends the row.
        ("time_ns,A,B\n-4,0r.5,1\n-3,3.5,1\n0,\r.1,0\n10,2e0,0\n", thresholds()),
        // A blank line among rows of one cell is no row.
        ("words\na\n\nb\n\r\nc\r\n", rate("48 kHz")),
        // Half a row after a line end of two bytes: which line is it in?
        ("t (s)\tA\n0.5\tFALSE\n0.6\tTRUE\r\n#", ReadOptions::default()),
    ];
    for (text, options) in cases {
        for piece in [2, 16, 300] {
            both_forms_agree(text.as_bytes(), options, piece).unwrap();
        }
    }
}
