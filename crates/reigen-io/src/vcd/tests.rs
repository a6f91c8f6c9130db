use crate::options::ReadOptions;
use crate::tests::{Told, both_forms_agree, damage, damaged, told};
use proptest::prelude::*;

const HEAD: &str = "$timescale 1 ns $end\n$scope module walk $end\n$var wire 1 ! PB $end\n$var wire 1 \" HALL $end\n\
    $var wire 4 bus slack [3:0] $end\n$var real 64 r volts $end\n$upscope $end\n$enddefinitions $end\n";

fn read(body: &str) -> Told {
    told(format!("{HEAD}{body}").as_bytes(), &ReadOptions::default()).unwrap()
}

#[test]
fn each_meaning_by_hand() {
    // The line PB: its first level, when it came, its edges.
    type Case<'a> = (&'a str, &'a str, (Option<bool>, u64, &'a [u64]));
    let cases: &[Case<'_>] = &[
        ("first level, then edges", "#0\n0!\n#5\n1!\n#7\n0!\n", (Some(false), 0, &[5, 7])),
        ("time 0 is the first time", "#100\n0!\n#105\n1!\n", (Some(false), 0, &[5])),
        ("values before any time are of the first", "0!\n#100\n#105\n1!\n", (Some(false), 0, &[5])),
        ("the last of several first values", "#0\n0!\n1!\n#5\n0!\n", (Some(true), 0, &[5])),
        ("and in two marks of one time", "#0\n0!\n#0\n1!\n#5\n0!\n", (Some(true), 0, &[5])),
        ("a late first level is no edge", "#0\n#4\n1!\n#5\n0!\n", (Some(true), 4, &[5])),
        ("the same level again is no edge", "#0\n0!\n#5\n0!\n#6\n1!\n", (Some(false), 0, &[6])),
        ("a pulse of width 0", "#0\n0!\n#5\n1!\n0!\n", (Some(false), 0, &[5, 5])),
        ("unknown holds the last level", "#0\n0!\n#5\nx!\n#7\n1!\n#8\nz!\n#9\n1!\n", (Some(false), 0, &[7])),
        ("no level before the first known one", "#0\nx!\n#5\n1!\n#6\n0!\n", (Some(true), 5, &[6])),
        ("nine-valued letters", "#0\nL!\n#5\nH!\n#6\nu!\n#7\nW!\n#8\n-!\n#9\nl!\n", (Some(false), 0, &[5, 9])),
        ("one bit as a vector", "#0\nb0 !\n#5\nB1 !\n", (Some(false), 0, &[5])),
        ("all in one line", "#0 0! #5 1! #7 0!", (Some(false), 0, &[5, 7])),
        ("line ends of two bytes", "#0\r\n0!\r\n#5\r\n1!\r\n", (Some(false), 0, &[5])),
        ("a comment anywhere", "#0\n$comment\n#9 1! $end\n0!\n#5\n1!\n", (Some(false), 0, &[5])),
        (
            "dumps off and on",
            "#0\n$dumpvars\n0!\n$end\n#5\n$dumpoff\nx!\n$end\n#8\n$dumpon\n1! $comment in it $end\n$end\n",
            (Some(false), 0, &[8]),
        ),
    ];
    for (what, body, (level, since, edges)) in cases {
        assert_eq!(read(body).line(0), (*level, *since, edges.to_vec()), "{what}");
    }
}

#[test]
fn vectors_are_bits_and_numbers_and_short_ones_are_continued() {
    let told = read("#0\nb1010 bus\nr1.5 r\n#5\nb11 bus\nr-2e3 r\n#6\nbx1 bus\n#7\nb0001 bus\n#8\n1bus\n");
    assert_eq!(told.names[2..7], ["walk.slack", "walk.slack[3]", "walk.slack[2]", "walk.slack[1]", "walk.slack[0]"]);
    assert_eq!(told.line(2), (Some(true), 0, vec![5]));
    assert_eq!(told.line(4), (Some(true), 0, vec![7]));
    assert_eq!(told.line(5), (Some(false), 0, vec![5]));
    assert_eq!(told.numbers, [vec![(0, 10.0), (5, 3.0), (7, 1.0), (8, 1.0)], vec![(0, 1.5), (5, -2000.0)]]);
    assert!(
        told.findings
            .contains(&"unknown for 1 ns after it was known (1 value x or z); its last level was held".to_owned())
    );
}

#[test]
fn every_unit_is_read_and_halves_round_up_before_the_origin_goes_off() {
    // The timescale, the body, the origin and the edges of PB.
    let cases: &[(&str, &str, i64, &[u64])] = &[
        ("1 s", "#1\n0!\n#3\n1!\n", 1_000_000_000, &[2_000_000_000]),
        ("10ms", "#1\n0!\n#3\n1!\n", 10_000_000, &[20_000_000]),
        ("100 us", "#0\n0!\n#3\n1!\n", 0, &[300_000]),
        ("1ps", "#1499\n0!\n#2500\n1!\n#2501\n0!\n", 1, &[2, 2]),
        ("100ps", "#4\n0!\n#5\n1!\n", 0, &[1]),
        ("10 fs", "#49999\n0!\n#50000\n1!\n#150000\n0!\n", 0, &[1, 2]),
    ];
    for (scale, body, origin, edges) in cases {
        let text = format!("{HEAD}{body}").replace("1 ns", scale);
        let told = told(text.as_bytes(), &ReadOptions::default()).unwrap();
        assert_eq!((told.origin, told.line(0).2.as_slice()), (*origin, *edges), "{scale}");
    }
}

#[test]
fn a_file_cut_off_is_read_to_its_last_whole_word() {
    let cases = [
        ("#0\n0!\n#5\n1!\n#9\n1", 9, true),
        ("#0\n0!\n#5\n1!\n#9\n0!", 9, false),
        ("#0\n0!\n#5\n1!\n#", 5, true),
        ("#0\n0!\n#5\n1!\n#1", 5, true),
        ("#0\n0!\n#5\n1!\nb10", 5, true),
        ("#0\n0!\n#5\n$dumpoff\n1!", 5, true),
    ];
    for (body, end, cut_off) in cases {
        let told = read(body);
        let said = told.findings.iter().any(|finding| finding.starts_with("the file ends in the middle"));
        assert_eq!((told.end, said), (end, cut_off), "{body}");
    }
}

#[test]
fn what_is_wrong_is_refused_at_its_line() {
    let cases = [
        ("#0\n0!\n#x\n1!\n", "rec, line 11: `#x` is no time"),
        ("#5\n0!\n#3\n1!\n", "rec, line 11: the time `#3` comes after `#5`: times run backwards"),
        ("#0\n#99999999999999999999\n0!\n", "rec, line 10: the time `#99999999999999999999` is too large"),
        ("#0\n#9000000000000000000\n0!\n", "rec, line 10: the time `#9000000000000000000` is too large"),
        ("#0\n0%\n1!\n", "rec, line 10: no `$var` declares the identifier code `%` (in `0%`)"),
        ("#0\n5!\n1!\n", "rec, line 10: `5!` is no level"),
        ("#0\nb012 bus\n1!\n", "rec, line 10: `b012` is no level"),
        ("#0\nb10101 bus\n1!\n", "rec, line 10: `b10101 bus` does not fit the variable `walk.slack` of 4 bits"),
        ("#0\nr1 !\n1!\n", "rec, line 10: `r1 !` does not fit the variable `walk.PB` of one bit"),
        ("#0\n$end\n1!\n", "rec, line 10: `$end` ends nothing here"),
        ("#0\n?!\n1!\n", "rec, line 10: `?!` is not a time, value change or section of a VCD"),
        ("0!\n", "rec, line 10: the recording ends here without any time or row"),
    ];
    for (body, message) in cases {
        let told = told(format!("{HEAD}{body}").as_bytes(), &ReadOptions::default());
        assert_eq!(told.unwrap_err(), message, "{body}");
    }
    let heads = [
        ("$timescale 2 ns $end\n", "rec, line 1: `2ns` is no timescale"),
        ("$upscope $end\n", "rec, line 1: `$upscope` without a scope to leave"),
        (
            "$scope module d $end\n$var port [1:0] <0 D $end\n",
            "rec, line 2: `$var port [1:0] <0 D` belongs to an extended VCD (IEEE 1364), with ports and strengths, which is not read",
        ),
        ("$var wire 1 ! $end\n", "rec, line 1: `$var wire 1 !` cannot be read: it has no name"),
        ("$var wire 0 ! a $end\n", "rec, line 1: `$var wire 0 ! a` cannot be read: a variable has at least one bit"),
        (
            "$var wire 1 ! a $end $var wire 2 ! b $end\n",
            "rec, line 1: `$var wire 2 ! b` cannot be read: its identifier code stands for a variable of another size",
        ),
        ("$scope module $end", "rec, line 1: `$scope module` cannot be read: a scope has a type and a name"),
        ("\n$timescale", "rec, line 2: the recording ends here without any time or row"),
    ];
    for (head, message) in heads {
        assert_eq!(told(head.as_bytes(), &ReadOptions::default()).unwrap_err(), message, "{head}");
    }
}

/// The body of a VCD, usual and unusual: a text a line or so.
fn body() -> impl Strategy<Value = String> {
    let code = prop_oneof![8 => Just("!"), 8 => Just("\""), 1 => Just("%%")];
    let usual = (0..30u64, prop::collection::vec((any::<bool>(), code), 0..3));
    let rare = prop_oneof![
        Just("x!\n"),
        Just("b1x0 bus\n"),
        Just("b1\nbus\n"),
        Just("r2.5 r\n"),
        Just("1!\r\n"),
        Just("0! 1\"\n"),
        Just("\n"),
        Just("$comment\n#3\n1! $end\n"),
        Just("$dumpoff\nx!\n$end\n"),
        Just("$dumpall 1! 0\"\n$end\n"),
        Just("Z\"\n"),
    ];
    let line = (usual, prop::option::weighted(0.1, rare));
    (0..200_000_000u64, prop::collection::vec(line, 0..60)).prop_map(|(start, lines)| {
        let mut time = start;
        let mut text = format!("#{time}\n");
        for ((step, values), rare) in lines {
            time += step;
            text += &format!("#{time}\n");
            for (level, code) in values {
                text += &format!("{}{code}\n", u8::from(level));
            }
            text += rare.unwrap_or_default();
        }
        text
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn both_forms_tell_the_same_however_the_file_is_cut(
        body in body(),
        damage in damage(),
        scale in prop_oneof![Just("1 ns"), Just("10 us"), Just("100 ps")],
        piece in 2..300usize,
    ) {
        let head = HEAD.replace("$upscope", "$var wire 1 %% REED $end\n$upscope").replace("1 ns", scale);
        both_forms_agree(&damaged(&(head + &body), &damage), &ReadOptions::default(), piece)?;
    }
}
