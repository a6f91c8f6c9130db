//! Makes large recordings with known content, the same on every machine: `make_recording vcd 20000000 > FILE`.
//!
//! - `vcd CHANGES`: 16 lines at 1 µs; short bursts with pauses between them, as contacts and pulses make.
//! - `csv ROWS`: 8 columns of 0 and 1 at 1 MHz under `time_s`; a line changes now and then.
//! - `numbers ROWS`: 8 columns of values with three decimals at 100 kHz under `time_us`.
//! - `packed SAMPLES`: the same as one byte a sample; `busy SAMPLES` with a change in 6 % of them.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]

use std::io::{self, BufWriter, Write};

const LINES: usize = 16;

fn main() -> io::Result<()> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let (kind, count) = match arguments.as_slice() {
        [kind, count] => (kind.as_str(), count.parse().map_err(io::Error::other)?),
        _ => return Err(io::Error::other("usage: make_recording vcd|csv|numbers|packed|busy COUNT")),
    };
    let mut out = BufWriter::with_capacity(1 << 20, io::stdout().lock());
    match kind {
        "vcd" => vcd(count, &mut out)?,
        "csv" => csv(count, &mut out)?,
        "numbers" => numbers(count, &mut out)?,
        "packed" => packed(samples(count, 200), &mut out)?,
        "busy" => packed(samples(count, 33), &mut out)?,
        other => return Err(io::Error::other(format!("no kind of recording: {other}"))),
    }
    out.flush()
}

fn vcd(changes: u64, out: &mut impl Write) -> io::Result<()> {
    let mut random = fastrand::Rng::with_seed(1);
    writeln!(out, "$timescale 1 us $end\n$scope module ropewalk $end")?;
    for line in 0..LINES {
        writeln!(out, "$var wire 1 {} LINE_{line} $end", code(line))?;
    }
    writeln!(out, "$upscope $end\n$enddefinitions $end\n#0")?;
    let mut levels = [false; LINES];
    for line in 0..LINES {
        writeln!(out, "0{}", code(line))?;
    }
    let mut time = 0u64;
    for _ in 0..changes {
        time += if random.u8(..64) == 0 { random.u64(5_000..12_000) } else { random.u64(1..20) };
        let line = random.usize(..LINES);
        levels[line] ^= true;
        write!(out, "#{time}\n{}{}\n", u8::from(levels[line]), code(line))?;
    }
    Ok(())
}

fn code(line: usize) -> char {
    char::from(b'!' + line as u8)
}

/// Levels of eight lines, a sample after another: one of them changes after fewer samples than `pause`.
fn samples(count: u64, pause: u32) -> impl Iterator<Item = u8> {
    let mut random = fastrand::Rng::with_seed(2);
    let mut levels = 0u8;
    let mut until_next = 0u32;
    (0..count).map(move |_| {
        if until_next == 0 {
            levels ^= 1 << random.u8(..8);
            until_next = random.u32(1..pause);
        }
        until_next -= 1;
        levels
    })
}

fn csv(rows: u64, out: &mut impl Write) -> io::Result<()> {
    writeln!(out, "time_s,L0,L1,L2,L3,L4,L5,L6,L7")?;
    for (row, levels) in samples(rows, 200).enumerate() {
        write!(out, "{}.{:06}", row / 1_000_000, row % 1_000_000)?;
        let mut cells = [b','; 17];
        for line in 0..8 {
            cells[2 * line + 1] = b'0' + (levels >> line & 1);
        }
        cells[16] = b'\n';
        out.write_all(&cells)?;
    }
    Ok(())
}

fn numbers(rows: u64, out: &mut impl Write) -> io::Result<()> {
    let mut random = fastrand::Rng::with_seed(3);
    writeln!(out, "time_us,A0,A1,A2,A3,A4,A5,A6,A7")?;
    // Cells made beforehand: what takes the time is to be the reading.
    let cells: Vec<String> = (0..4096).map(|_| format!(",{:.3}", 4.0 + 16.0 * random.f64())).collect();
    for row in 0..rows {
        write!(out, "{}", row * 10)?;
        let first = (row as usize * 31) % (cells.len() - 8);
        cells[first..first + 8].iter().try_for_each(|cell| out.write_all(cell.as_bytes()))?;
        out.write_all(b"\n")?;
    }
    Ok(())
}

fn packed(mut samples: impl Iterator<Item = u8>, out: &mut impl Write) -> io::Result<()> {
    samples.try_for_each(|levels| out.write_all(&[levels]))
}
