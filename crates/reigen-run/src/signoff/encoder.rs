//! An encoder: somebody turns it forward, once around, and stops.

use super::Judged;
use reigen_core::count::encoder::summary::EncoderSummary;

/// By hand a turn ends so near to where it began, as a part of it.
const BY_HAND: f64 = 0.15;

/// Says what came of it, by what the encoder had counted before and after.
pub fn judge(before: &EncoderSummary, after: &EncoderSummary) -> Judged {
    let moved = (after.forward.cast_signed() - before.forward.cast_signed())
        - (after.backward.cast_signed() - before.backward.cast_signed());
    let edges = [after.edges[0] - before.edges[0], after.edges[1] - before.edges[1]];
    let illegal = after.illegal - before.illegal;
    let turn = after.counts_per_rev;
    let figures = [
        ("counts", moved as f64),
        ("edges_a", edges[0] as f64),
        ("edges_b", edges[1] as f64),
        ("illegal_steps", illegal as f64),
    ];
    let judged = match (edges, turn) {
        ([_, 0], _) | ([0, _], _) => {
            let silent = if edges[0] == 0 { "A" } else { "B" };
            Judged::failed(
                format!("channel {silent} does not change"),
                "follow the wire of that channel, from the encoder to its terminal",
            )
        }
        _ if illegal > 0 => {
            let message = format!("both channels changed at once {illegal} times: counts are lost");
            Judged::failed(
                message,
                "turn more slowly; if it stays, look at the cable's shield and the speed of the input",
            )
        }
        _ if moved < 0 => Judged::failed(
            format!("it runs backward: {moved} counts where it was turned forward"),
            "swap A and B at the terminals, or set reverse = true in the station",
        ),
        (_, Some(turn)) if (moved as f64 - turn as f64).abs() > BY_HAND * turn as f64 => Judged::failed(
            format!("{moved} counts for one turn, where {turn} are set"),
            "check pulses_per_rev against the encoder's label, and turn it once around again",
        ),
        (_, Some(turn)) => Judged::passed(format!("forward, {moved} counts for one turn of {turn}")),
        (_, None) => Judged::passed(format!("forward, {moved} counts")),
    };
    judged.with(figures)
}
