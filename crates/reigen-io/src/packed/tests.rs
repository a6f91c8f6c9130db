use super::sidecar::find;
use crate::options::ReadOptions;
use crate::tests::{both_forms_agree, told};
use proptest::prelude::*;
use reigen_core::quantity::parse_sample_rate;

fn options(rate: &str, lines: usize) -> ReadOptions {
    let lines = (0..lines).map(|line| format!("L{line}")).collect();
    ReadOptions { sample_rate: parse_sample_rate(rate).ok(), lines: Some(lines), ..ReadOptions::default() }
}

#[test]
fn bits_count_from_the_first_byte_upward() {
    let told = told(&[0b01, 0b10, 0b01, 0b11, 0b00, 0b10], &options("1 MHz", 10)).unwrap();
    // Samples of two bytes: L0 is bit 0 of the first, L9 bit 1 of the second.
    assert_eq!(told.line(0), (Some(true), 0, vec![2000]));
    assert_eq!(told.line(8), (Some(false), 0, vec![1000, 2000]));
    assert_eq!(told.line(9), (Some(true), 0, vec![]));
    assert_eq!((told.origin, told.end, told.edges), (0, 2000, 3));
}

#[test]
fn a_bit_without_a_name_is_passed_over_and_half_a_sample_is_told() {
    let mut options = options("1 kHz", 9);
    options.lines.as_mut().unwrap()[0] = "-".to_owned();
    let told = told(&[1, 0, 2, 0, 7], &options).unwrap();
    assert_eq!((told.names.len(), told.line(0)), (8, (Some(false), 0, vec![1_000_000])));
    assert!(told.findings[0].starts_with("the file ends in the middle"));
}

#[test]
fn text_is_packed_samples_where_someone_says_so() {
    let told = told(b"$timescale", &options("1 kHz", 8)).unwrap();
    assert_eq!(told.end, 9_000_000);
}

#[test]
fn less_than_one_sample_is_refused() {
    assert_eq!(
        told(&[1], &options("1 kHz", 9)).unwrap_err(),
        "rec, line 1: the recording ends here without any time or row"
    );
    assert_eq!(told(&[], &options("1 kHz", 9)).unwrap_err(), "rec is empty");
}

#[test]
fn a_file_beside_it_tells_what_the_samples_are() {
    let folder = tempfile::tempdir().unwrap();
    let recording = folder.path().join("capture.bin");
    assert!(find(&recording).unwrap().is_none());
    let cases = [
        ("sample_rate = '2 kHz'\nlines = ['A', '-']", Ok(vec!["A", "-"])),
        ("sample_rate = '2 kHz'\nlines = ['A', 'A']", Err("the line `A` is used twice")),
        ("sample_rate = '2 kHz'\nlines = ['-']", Err("no line has a name")),
        ("sample_rate = '2 kHz'\nlines = ['A', '']", Err("line 2 has no name")),
        ("sample_rate = '0'\nlines = ['A']", Err("a rate of zero gives no times")),
        ("sample_rate = '1 kHz'", Err("missing field `lines`")),
    ];
    for (text, wanted) in cases {
        std::fs::write(folder.path().join("capture.bin.toml"), text).unwrap();
        match (find(&recording), wanted) {
            (Ok(Some((_, names))), Ok(wanted)) => assert_eq!(names, wanted),
            (Err(error), Err(part)) => assert!(error.to_string().contains(part), "{error}"),
            (found, _) => panic!("{text}: {found:?}"),
        }
    }
}

proptest! {
    #[test]
    fn both_forms_tell_the_same_however_the_file_is_cut(
        runs in prop::collection::vec((any::<[u8; 9]>(), 1..60usize), 1..12),
        lines in 1..72usize,
        rate in prop_oneof![Just("1 MHz"), Just("3 Hz"), Just("48 kHz")],
        piece in 2..300usize,
        cut in 0..9usize,
    ) {
        let width = lines.div_ceil(8);
        let mut bytes: Vec<u8> = runs.iter().flat_map(|(sample, times)| sample[..width].repeat(*times)).collect();
        bytes.truncate(bytes.len() - cut.min(bytes.len() - 1));
        both_forms_agree(&bytes, &options(rate, lines), piece)?;
    }
}
