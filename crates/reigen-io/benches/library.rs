//! What the libraries alone take, to hold the program against: each prints seconds.
//!
//! - `library unpack FILE`: unpacks gzip or zstd, and keeps nothing.
//! - `library events ROWS`: writes so many events as Parquet into the temporary folder.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(clippy::print_stdout)]

use std::error::Error;
use std::fs::File;
use std::io::{self, Read};
use std::time::Instant;

fn main() -> Result<(), Box<dyn Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let began = Instant::now();
    match arguments.iter().map(String::as_str).collect::<Vec<_>>().as_slice() {
        ["unpack", path] => unpack(path)?,
        ["events", rows] => events(rows.parse()?)?,
        _ => return Err("usage: library unpack FILE | events ROWS".into()),
    }
    println!("{:.3}", began.elapsed().as_secs_f64());
    Ok(())
}

fn unpack(path: &str) -> io::Result<()> {
    let file = File::open(path)?;
    let mut reader: Box<dyn Read> = match path.ends_with(".gz") {
        true => Box::new(flate2::read::MultiGzDecoder::new(file)),
        false => Box::new(zstd::stream::read::Decoder::new(file)?),
    };
    let mut room = vec![0; 1 << 18];
    while reader.read(&mut room)? > 0 {}
    Ok(())
}

#[cfg(feature = "parquet")]
fn events(rows: u64) -> Result<(), Box<dyn Error>> {
    use reigen_core::account::Rule;
    use reigen_core::event::{Event, EventKind};
    use reigen_core::time::{Nanos, Origin};
    let path = std::env::temp_dir().join(format!("reigen-events-{}.parquet", std::process::id()));
    let names = (0..8).map(|point| format!("point_{point}")).collect();
    let mut file = reigen_io::events::EventFile::create(
        reigen_io::output_file::Outputs::default().create(&path)?,
        Origin(0),
        names,
    )?;
    let mut random = fastrand::Rng::with_seed(1);
    let mut time = 0;
    for row in 0..rows {
        time += random.u64(1..20_000);
        let what = match row % 4 {
            0 => EventKind::On,
            1 => EventKind::Rejected(Rule::Bounce),
            2 => EventKind::Off,
            _ => EventKind::Value(row.cast_signed()),
        };
        file.write(Event { time: Nanos(time), point: random.usize(0..8), what })?;
    }
    reigen_io::output_file::put_in_place([file.finish()?])?;
    std::fs::remove_file(path)?;
    Ok(())
}

#[cfg(not(feature = "parquet"))]
fn events(_rows: u64) -> Result<(), Box<dyn Error>> {
    Err("built without Parquet".into())
}
