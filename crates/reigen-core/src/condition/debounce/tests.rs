use super::reference::{self, Fate, Told};
use super::*;
use proptest::prelude::*;

/// A method over all edges at once, up to and including `end`, from an input that starts off.
fn told(settings: Settings, edges: &[u64], end: u64) -> Told {
    let mut method = settings.start();
    let mut ledger = Ledger { verdicts: Some(Vec::new()), ..Ledger::default() };
    let edges: Vec<Nanos> = edges.iter().map(|&edge| Nanos(edge)).collect();
    let mut output = Vec::new();
    method.start(false);
    method.work(&edges, Nanos(end + 1), &mut output, &mut ledger);
    let mut fates: Vec<Fate> = ledger
        .verdicts
        .unwrap()
        .into_iter()
        .map(|verdict| verdict.rule.map_or(Fate::Accepted, Fate::Rejected))
        .collect();
    // Verdicts come in the order of the edges; what has none is bounce for sure, or pending.
    fates.extend((0..method.surely_bounce()).map(|_| Fate::Rejected(Rule::Bounce)));
    fates.extend((0..method.pending()).map(|_| Fate::Pending));
    let count = |fate| fates.iter().filter(|told| **told == fate).count() as u64;
    assert_eq!(count(Fate::Accepted), ledger.account.accepted);
    assert_eq!(count(Fate::Rejected(Rule::Glitch)), ledger.account.rejected.glitch);
    assert_eq!(count(Fate::Rejected(Rule::Bounce)), ledger.account.rejected.bounce + method.surely_bounce());
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
        prop_assert_eq!(told(Settings::Stable(times), &edges, end), reference::stable(times, &edges, end));
    }

    #[test]
    fn lockout_agrees_with_its_plain_form(edges in edges(), on in 1..14u64, off in 1..14u64, more in 0..20u64) {
        let end = edges.last().copied().unwrap_or(0) + more;
        let times = hold(on, off);
        prop_assert_eq!(told(Settings::Lockout(times), &edges, end), reference::lockout(times, &edges, end));
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
