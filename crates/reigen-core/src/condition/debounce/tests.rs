use super::reference_tests::{self as reference, Fate, Told};
use super::*;
use crate::condition::schmitt::Levels;
use crate::units::Volts;
use proptest::prelude::*;

/// A method over all edges at once, up to and including `end`, from an input that starts off.
fn told(settings: Settings, edges: &[u64], end: u64) -> Told {
    told_by(settings.start(), edges, end)
}

fn told_by(mut method: Box<dyn Debounce>, edges: &[u64], end: u64) -> Told {
    let mut ledger = Ledger { verdicts: Some(Vec::new()), ..Ledger::default() };
    let edges: Vec<Nanos> = edges.iter().map(|&edge| Nanos(edge)).collect();
    let mut output = Vec::new();
    method.start(false);
    method.work(&edges, Nanos(end + 1), &mut output, &mut ledger);
    let mut verdicts = ledger.verdicts.unwrap();
    verdicts.sort_by_key(|verdict| verdict.edge);
    let mut fates: Vec<Fate> =
        verdicts.into_iter().map(|verdict| verdict.rule.map_or(Fate::Accepted, Fate::Rejected)).collect();
    // What has no verdict yet is thrown away for sure, or pending.
    let surely = method.surely();
    fates.extend((0..surely.missed).map(|_| Fate::Rejected(Rule::Missed)));
    fates.extend((0..surely.bounce).map(|_| Fate::Rejected(Rule::Bounce)));
    fates.extend((0..surely.glitch).map(|_| Fate::Rejected(Rule::Glitch)));
    fates.extend((0..method.pending()).map(|_| Fate::Pending));
    let count = |fate| fates.iter().filter(|told| **told == fate).count() as u64;
    let rejected = ledger.account.rejected;
    assert_eq!(count(Fate::Accepted), ledger.account.accepted);
    assert_eq!(count(Fate::Rejected(Rule::Glitch)), rejected.glitch + surely.glitch);
    assert_eq!(count(Fate::Rejected(Rule::Bounce)), rejected.bounce + surely.bounce);
    assert_eq!(count(Fate::Rejected(Rule::Missed)), rejected.missed + surely.missed);
    (output.iter().map(|time| time.0).collect(), fates)
}

fn hold(on: u64, off: u64) -> HoldTimes {
    HoldTimes { on: Nanos(on), off: Nanos(off) }
}

/// Fates as letters: accepted, bounce, glitch, pending.
fn letters(fates: &[Fate]) -> String {
    let letter = |fate: &Fate| match fate {
        Fate::Accepted => 'a',
        Fate::Rejected(Rule::Bounce) => 'b',
        Fate::Rejected(Rule::Glitch) => 'g',
        Fate::Rejected(Rule::Missed) => 'm',
        Fate::Pending => 'p',
    };
    fates.iter().map(letter).collect()
}

#[test]
fn each_meaning_by_hand() {
    let (stable, lockout) = (Settings::Stable(hold(10, 10)), Settings::Lockout(hold(10, 10)));
    // What, with which settings, the edges and the last time; then the output's changes and the edges' fates.
    type Case<'a> = (&'a str, Settings, &'a [u64], u64, &'a [u64], &'a str);
    let cases: &[Case<'_>] = &[
        ("none takes all, a pulse of width 0 too", Settings::Pass, &[5, 5, 9], 20, &[5, 5, 9], "aaa"),
        ("a pulse of exactly T passes", stable, &[5, 15], 40, &[15, 25], "aa"),
        ("a pulse one short of T does not", stable, &[5, 14], 40, &[], "gg"),
        ("bounce before a change", stable, &[5, 8, 9], 40, &[19], "bba"),
        ("held at the old state for its time: glitch, then a press", stable, &[5, 8, 18], 40, &[28], "gga"),
        ("a press due at the last time still happens", stable, &[5], 15, &[15], "a"),
        ("a press not yet due is pending", stable, &[5], 14, &[], "p"),
        ("all of an unfinished burst is pending", stable, &[5, 8, 9], 18, &[], "ppp"),
        ("a pulse of width 0 is a glitch", stable, &[5, 5], 40, &[], "gg"),
        (
            "the time is that of the state to be entered",
            Settings::Stable(hold(3, 9)),
            &[5, 9, 20],
            40,
            &[8, 18, 23],
            "aaa",
        ),
        ("what returns beside a change is bounce", Settings::Stable(hold(0, 9)), &[5, 7, 8, 12, 13], 40, &[5], "abbbb"),
        ("also before it", Settings::Stable(hold(9, 0)), &[5, 7, 8, 12, 13], 40, &[22], "bbbba"),
        ("and alone it is a glitch", Settings::Stable(hold(0, 9)), &[5, 20, 21, 40], 60, &[5, 49], "agga"),
        ("the output follows at once", lockout, &[5, 30], 50, &[5, 30], "aa"),
        ("edges within are bounce", lockout, &[5, 7, 9], 50, &[5], "abb"),
        ("a second edge at t itself is within", lockout, &[5, 5], 50, &[5, 15], "aa"),
        ("the late follow answers to the last edge within", lockout, &[5, 7, 8, 9], 50, &[5, 15], "abba"),
        ("an edge at exactly t + T is applied first", lockout, &[5, 15], 50, &[5, 15], "aa"),
        ("and can take a follow away", lockout, &[5, 7, 15], 50, &[5], "abb"),
        ("and a follow answers to the last of them", lockout, &[5, 7, 15, 15], 50, &[5, 15], "abba"),
        ("a follow starts a new lockout", lockout, &[5, 7, 18], 50, &[5, 15, 25], "aaa"),
        ("open at the end: the last edge alone", lockout, &[5, 7, 8, 9], 12, &[5], "abbp"),
        ("nothing open if it does not differ", lockout, &[5, 7, 8], 12, &[5], "abb"),
        (
            "the time is that of the state just entered",
            Settings::Lockout(hold(3, 9)),
            &[5, 9, 20],
            40,
            &[5, 9, 20],
            "aaa",
        ),
    ];
    for (what, settings, edges, end, output, fates) in cases {
        let (changes, told) = told(*settings, edges, *end);
        assert_eq!((changes.as_slice(), letters(&told).as_str()), (*output, *fates), "{what}");
    }
}

fn edges() -> impl Strategy<Value = Vec<u64>> {
    prop::collection::vec(prop_oneof![0..4u64, 0..25u64], 0..40).prop_map(|steps| {
        let mut time = 1;
        let times = steps.iter().map(|step| {
            time += step;
            time
        });
        times.collect()
    })
}

proptest! {
    #[test]
    fn stable_agrees_with_its_plain_form(edges in edges(), on in 0..14u64, off in 1..14u64, more in 0..20u64) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let times = hold(on, off);
        let plain = reference::by_neighbours(reference::stable(times, &edges, end), &edges, on.max(off));
        prop_assert!(same(told(Settings::Stable(times), &edges, end), plain));
    }

    #[test]
    fn lockout_agrees_with_its_plain_form(edges in edges(), on in 1..14u64, off in 1..14u64, more in 0..20u64) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let times = hold(on, off);
        prop_assert_eq!(told(Settings::Lockout(times), &edges, end), reference::lockout(times, &edges, end));
    }
}

/// The same fates, whatever the order in which those of one instant and the open ones were told.
fn same(one: Told, other: Told) -> bool {
    let sorted = |mut told: Told| {
        told.1.sort();
        told
    };
    sorted(one) == sorted(other)
}

fn rc(charge_ns: f64, discharge_ns: f64, on_while_high: bool) -> RcSettings {
    let levels = Levels::new(Volts(5.0), Volts(3.0), Volts(1.5)).unwrap();
    RcSettings { charge_ns, discharge_ns, levels, on_while_high }
}

#[test]
fn readings_and_filters_by_hand() {
    let sampled = |count| Settings::Sampled { every: Nanos(10), count, from: Nanos(0) };
    // ln(5/2) = 0.916, ln(5/1.5) = 1.204.
    let filter = Settings::Rc(rc(100.0, 100.0, true));
    type Case<'a> = (&'a str, Settings, &'a [u64], u64, &'a [u64], &'a str);
    let cases: &[Case<'_>] = &[
        ("seen at the next reading", sampled(1), &[13, 35], 60, &[20, 40], "aa"),
        ("an edge at a reading is read by it", sampled(1), &[20, 40], 60, &[20, 40], "aa"),
        ("a pulse between two readings is missed", sampled(1), &[13, 17], 60, &[], "mm"),
        ("of three edges one is seen", sampled(1), &[13, 15, 17, 35], 60, &[20, 40], "mmaa"),
        ("on the third equal reading", sampled(3), &[13], 60, &[40], "a"),
        ("two readings are no press of three", sampled(3), &[13, 31], 90, &[], "gg"),
        ("three are", sampled(3), &[13, 41], 90, &[40, 70], "aa"),
        ("seen and thrown away is bounce", sampled(2), &[13, 25, 33], 90, &[50], "bba"),
        ("after the last reading the last edge is open", sampled(1), &[61, 62, 63], 65, &[], "mmp"),
        ("and none if the level does not differ", sampled(1), &[61, 62], 65, &[], "mm"),
        ("a filter follows by its exponential", filter, &[100, 1000], 2000, &[192, 1120], "aa"),
        ("a pulse too short for the threshold", filter, &[100, 190], 2000, &[], "gg"),
        ("a charge that is left over helps", filter, &[100, 180, 200], 2000, &[232], "bba"),
        (
            "a bounce that does not reach the other threshold",
            filter,
            &[100, 210, 250, 1000],
            2000,
            &[192, 1120],
            "abba",
        ),
        ("and one that stands alone", filter, &[100, 1300, 1350, 3000], 5000, &[192, 3120], "agga"),
        ("a filter that is not through is open", filter, &[100], 191, &[], "p"),
    ];
    for (what, settings, edges, end, output, fates) in cases {
        let (changes, told) = told(*settings, edges, *end);
        assert_eq!((changes.as_slice(), letters(&told).as_str()), (*output, *fates), "{what}");
    }
}

#[test]
fn a_scan_catches_a_pulse_for_one_period() {
    let scan = |catch| ReadingTimes { period: Nanos(10), phase: Nanos(5), catch };
    type Case<'a> = (&'a str, bool, &'a [u64], &'a [u64], &'a str);
    let cases: &[Case<'_>] = &[
        ("without catch it is missed", false, &[16, 18], &[], "mm"),
        ("with it, it stands for a period", true, &[16, 18], &[25, 35], "aa"),
        ("several in a period are one", true, &[16, 18, 20, 22], &[25, 35], "mmaa"),
        ("a low pulse too", true, &[6, 26, 28, 60], &[15, 35, 45, 65], "aaaa"),
        ("what comes while it is held follows at the next reading", true, &[16, 18, 29], &[25], "amm"),
        ("and a pulse then is missed", true, &[16, 18, 27, 29], &[25, 35], "amma"),
        ("the first reading is at the phase", true, &[2], &[5], "a"),
    ];
    for (what, catch, edges, output, fates) in cases {
        let (changes, told) = told_by(Box::new(LineReader::new(scan(*catch), Box::new(Pass))), edges, 80);
        assert_eq!((changes.as_slice(), letters(&told).as_str()), (*output, *fates), "{what}");
    }
}

proptest! {
    #[test]
    fn sampled_agrees_with_its_plain_form(edges in edges(), every in 1..12u64, count in 1..5u64, more in 0..30u64) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let settings = Settings::Sampled { every: Nanos(every), count, from: Nanos(0) };
        let plain = reference::by_neighbours(reference::sampled(every, count, &edges, end), &edges, every * count);
        prop_assert!(same(told(settings, &edges, end), plain));
    }

    #[test]
    fn a_scan_agrees_with_its_plain_form(
        edges in edges(), period in 1..12u64, phase in 0..12u64, catch in any::<bool>(), more in 0..30u64,
    ) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let times = ReadingTimes { period: Nanos(period), phase: Nanos(phase), catch };
        let (changes, mut fates) = reference::read(times, &edges, end);
        changes.iter().for_each(|(_, edge)| fates[*edge] = Fate::Accepted);
        let plain = (changes.into_iter().map(|(time, _)| time).collect(), fates);
        let fast = told_by(Box::new(LineReader::new(times, Box::new(Pass))), &edges, end);
        prop_assert!(same(fast.clone(), plain.clone()), "{:?} {:?}", fast, plain);
    }

    #[test]
    fn a_filter_agrees_with_looking_at_its_voltage(
        edges in edges(), charge in 1.0..40.0f64, discharge in 1.0..40.0f64, more in 0..60u64,
    ) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let settings = rc(charge, discharge, true);
        let apart = settings.delay(true).max(settings.delay(false)).0;
        let plain = reference::by_neighbours(reference::rc(settings, &edges, end), &edges, apart);
        prop_assert!(same(told(Settings::Rc(settings), &edges, end), plain));
    }

    #[test]
    fn a_filter_before_a_scan_is_the_filter_and_then_the_scan(
        edges in edges(), charge in 1.0..20.0f64, period in 1..30u64, phase in 0..12u64, more in 0..90u64,
    ) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let settings = rc(charge, charge, true);
        let apart = settings.delay(true).max(settings.delay(false)).0;
        let (changes, mut fates) = reference::by_neighbours(reference::rc(settings, &edges, end), &edges, apart);
        let times = ReadingTimes { period: Nanos(period), phase: Nanos(phase), catch: false };
        let (read, mut read_fates) = reference::read(times, &changes, end);
        read.iter().for_each(|(_, change)| read_fates[*change] = Fate::Accepted);
        // The filter's accepted edges are those of its changes, in their order.
        let accepted = fates.iter_mut().filter(|fate| **fate == Fate::Accepted);
        accepted.zip(read_fates).for_each(|(fate, read)| *fate = read);
        let plain = (read.into_iter().map(|(time, _)| time).collect(), fates);
        let fast = told_by(Box::new(FilteredReader::new(settings.start(), times)), &edges, end);
        prop_assert!(same(fast.clone(), plain.clone()), "{:?} {:?}", fast, plain);
    }

    #[test]
    fn a_filter_on_the_other_polarity_is_the_same_filter(edges in edges(), discharge in 1.0..40.0f64) {
        // On while low, and starting off: the line starts high, and its first edge discharges.
        let end = edges.last().copied().unwrap_or(0) + 50;
        let (output, fates) = told(Settings::Rc(rc(7.0, discharge, false)), &edges, end);
        prop_assert_eq!(output.len(), fates.iter().filter(|fate| **fate == Fate::Accepted).count());
        if let [first, rest @ ..] = edges.as_slice() && rest.first().is_none_or(|next| *next > end) {
            prop_assert_eq!(output[0], first + (discharge * (5.0f64 / 1.5).ln()).round() as u64);
        }
    }

    #[test]
    fn counts_that_start_in_the_middle_balance(
        edges in edges(), every in 1..12u64, count in 1..4u64, catch in any::<bool>(), from in 1..120u64, cut in 0..60u64,
    ) {
        let times = ReadingTimes { period: Nanos(every), phase: Nanos(3), catch };
        let inner = Settings::Sampled { every: Nanos(every + 1), count, from: Nanos(0) }.start();
        let mut method = LineReader::new(times, inner);
        let (mut output, mut ledger) = (Vec::new(), Ledger { verdicts: Some(Vec::new()), ..Ledger::default() });
        method.start(false);
        let mut since = 0;
        for until in [from, from + cut, 10_000] {
            let window: Vec<Nanos> =
                edges.iter().filter(|edge| (since..until).contains(*edge)).map(|&edge| Nanos(edge)).collect();
            method.work(&window, Nanos(until), &mut output, &mut ledger);
            if until == from && since == 0 {
                ledger.account = Account::default();
                method.start_counting();
            }
            since = until;
        }
        let surely = method.surely();
        prop_assert!(ledger.account.balances(method.pending() + surely.missed + surely.bounce), "{:?}", ledger.account);
        prop_assert_eq!(ledger.account.raw_edges, edges.iter().filter(|edge| **edge >= from).count() as u64);
    }
}

proptest! {
    #[test]
    fn the_fast_form_gives_the_same_as_the_one_with_verdicts(
        edges in edges(),
        on in 0..14u64,
        off in 0..14u64,
        windows in prop::collection::btree_set(1..300u64, 1..6),
        counts_from in 0..3usize,
    ) {
        let run = |verdicts: Option<Vec<Verdict>>| {
            let mut method = Stable::new(hold(on, off));
            let mut ledger = Ledger { verdicts, ..Ledger::default() };
            let (mut output, mut from) = (Vec::new(), 0);
            method.start(false);
            for (number, &until) in windows.iter().enumerate() {
                if number == counts_from {
                    ledger.account = Account::default();
                    method.start_counting();
                }
                let edges: Vec<Nanos> =
                    edges.iter().filter(|edge| (from..until).contains(*edge)).map(|&edge| Nanos(edge)).collect();
                method.work(&edges, Nanos(until), &mut output, &mut ledger);
                from = until;
            }
            (output, ledger.account, method.pending(), method.undecided_since())
        };
        prop_assert_eq!(run(None), run(Some(Vec::new())));
    }
}

#[test]
fn the_first_scan_takes_the_level_as_it_is() {
    let times = ReadingTimes { period: Nanos(10), phase: Nanos(5), catch: false };
    // Since when the line is known, high or low; its edges; when the output starts, with which level, and its changes; fates.
    type Case<'a> = (&'a str, u64, bool, &'a [u64], Option<(u64, bool)>, &'a [u64], &'a str);
    let cases: &[Case<'_>] = &[
        ("known before the first scan", 0, true, &[], Some((5, true)), &[], ""),
        ("edges before it are missed", 0, false, &[1, 2, 4], Some((5, true)), &[], "mmm"),
        ("one in its instant too", 0, false, &[5], Some((5, true)), &[], "m"),
        ("later ones are edges", 0, false, &[2, 6], Some((5, true)), &[15], "ma"),
        ("known between two scans it begins at the next", 17, true, &[18, 21], Some((25, true)), &[], "mm"),
        ("and what comes after that is an edge", 17, true, &[26], Some((25, true)), &[35], "a"),
        ("known too late it never begins", 78, true, &[79], None, &[], "m"),
    ];
    for (what, since, level, edges, start, output, fates) in cases {
        let mut method = LineReader::of_scan(times, Box::new(Pass));
        assert_eq!(method.start_at(Nanos(*since), *level), None, "{what}");
        let mut ledger = Ledger { verdicts: Some(Vec::new()), ..Ledger::default() };
        let (edges, mut changes) = (edges.iter().map(|at| Nanos(*at)).collect::<Vec<_>>(), Vec::new());
        method.work(&edges, Nanos(81), &mut changes, &mut ledger);
        assert_eq!(method.first_level(), start.map(|(at, on)| (Nanos(at), on)), "{what}");
        assert_eq!(changes, output.iter().map(|at| Nanos(*at)).collect::<Vec<_>>(), "{what}");
        let count = |letter: char| fates.matches(letter).count() as u64;
        let missed = ledger.account.rejected.missed + method.surely().missed;
        assert_eq!((ledger.account.accepted, missed), (count('a'), count('m')), "{what}");
        assert!(ledger.account.balances(method.pending() + method.surely().missed), "{what}");
    }
    assert_eq!([0, 1, 10, 11].map(|time| times.whole(Nanos(time)).0), [0, 10, 10, 20]);
}
