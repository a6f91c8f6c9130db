//! A station worked over lines: what the commands of Reigen do, without arguments and without printing.
//!
//! [`replay`](replay::replay) works a whole recording, and shows each window to [`Observer`](observer::Observer)s. A program that has
//! lines from elsewhere writes a [`LineSource`](source::LineSource) of its own, or steps a [`Session`](session::Session) itself.
//!
//! How often was a button pressed?
//!
//! ```
//! use reigen_core::summary::PointSummary;
//! use reigen_io::options::ReadOptions;
//! use reigen_io::recording::Recording;
//! use reigen_run::replay::{RunOptions, replay};
//! use reigen_run::station_file::StationFile;
//!
//! let station = r#"
//!     [input.button]
//!     line = "PB"
//!     debounce = { method = "stable", time = "5 ms" }
//!     [counter.presses]
//!     up = "button"
//! "#;
//! // Two presses, of which the first bounces.
//! let recording = "time_s,PB\n0,0\n0.100,1\n0.101,0\n0.102,1\n0.3,0\n0.5,1\n0.7,0\n0.9,0\n";
//!
//! let station = StationFile::parse("station.toml".to_owned(), station.to_owned())?;
//! let bytes = Box::new(recording.as_bytes());
//! let recording = Recording::from_bytes("button.csv".to_owned(), bytes, &ReadOptions::default())?;
//! let outcome = replay(&station, recording, &RunOptions::default(), &mut [])?;
//! for (point, did) in station.station.points.iter().zip(&outcome.points) {
//!     if let PointSummary::Counter(counter) = did {
//!         println!("{}: {}", point.name, counter.value.unwrap_or_default());
//!         assert_eq!(counter.value, Some(2));
//!     }
//! }
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

#![forbid(unsafe_code)]

pub mod actuator;
pub mod compare;
pub mod continued_run;
pub mod displays;
pub mod error;
pub mod files;
pub mod gauge;
pub mod instruments;
pub mod line_changes;
pub mod line_table;
pub mod live;
pub mod measure;
pub mod observer;
pub mod options;
pub mod outcome;
pub mod place;
pub mod points;
pub mod replay;
pub mod retain;
pub mod session;
pub mod signals;
pub mod signoff;
pub mod source;
pub mod states;
pub mod station_file;
pub mod stretch;
pub mod truth;
