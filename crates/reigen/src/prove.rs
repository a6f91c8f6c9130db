//! Code held against the engine: compiled, driven with what a recording has at each scan, and compared.

use crate::failure::Failure;
use crate::reading::replay;
use crate::views::code::{Difference, Proof};
use reigen_code::c;
use reigen_code::model::{Chain, Code};
use reigen_code::prove::{ReadChain, ReadLine, Row, Sample, Scans};
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::time::{Nanos, Origin};
use reigen_io::recording::Recording;
use reigen_run::observer::WindowView;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_station::station::line_names::{LevelOrBit, LineNames};
use reigen_station::station::plan::{Plan, compile};
use std::fs;
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::mpsc::{Receiver, SyncSender, TrySendError, sync_channel};
use std::thread;
use tempfile::TempDir;

/// So many rows may wait for what the program prints of them.
const MOST_WAITING: usize = 1 << 16;

/// Code that has been compiled.
pub(crate) struct Program {
    path: PathBuf,
    /// It is gone with this.
    _folder: TempDir,
}

/// Compiles the code as it is made, or as it stands in a folder.
pub(crate) fn compiled(code: &Code, existing: Option<&Path>) -> Result<Program, Failure> {
    let folder = TempDir::with_prefix("reigen-code-").map_err(Failure::Print)?;
    let write = |name: &str, text: String| fs::write(folder.path().join(name), text).map_err(Failure::Print);
    write("example.c", c::example(code))?;
    let source = match existing {
        Some(existing) => existing.to_owned(),
        None => {
            write("station.h", c::header(code))?;
            write("station.c", c::source(code))?;
            folder.path().to_owned()
        }
    };
    let program = folder.path().join("program");
    let done = Command::new("cc")
        .args(["-std=c99", "-O1", "-o"])
        .arg(&program)
        .arg("-I")
        .arg(&source)
        .arg(folder.path().join("example.c"))
        .arg(source.join("station.c"))
        .arg("-lm")
        .output();
    let done = done.map_err(|error| Failure::Usage {
        message: format!("the C compiler `cc` cannot be run: {error}"),
        help: "install one, such as gcc or clang, so that `cc` is found; the code itself is written without it"
            .to_owned(),
    })?;
    if !done.status.success() {
        let told = String::from_utf8_lossy(&done.stderr);
        let told: Vec<&str> = told.lines().take(12).collect();
        return Err(Failure::Usage {
            message: format!("the code does not compile:\n{}", told.join("\n")),
            help: match existing {
                Some(_) => {
                    "mend what was changed by hand, or write it anew: the same command without --prove".to_owned()
                }
                None => "this is a fault of the code writer: please report the station".to_owned(),
            },
        });
    }
    Ok(Program { path: program, _folder: folder })
}

/// Holds a program against the engine over a recording.
pub(crate) fn prove(
    station: &StationFile,
    code: &Code,
    program: &Program,
    recording: Recording,
) -> Result<Proof, Failure> {
    let refused = |errors| Failure::Station { file: station.name.clone(), source: station.source.clone(), errors };
    let plan = compile(&station.station, recording.lines(), recording.tick()).map_err(refused)?;
    let scan = station.station.scan.unwrap_or(ReadingTimes { period: code.period, phase: Nanos(0), catch: false });
    let chain = |chain: &Chain| ReadChain { point: chain.point, on_while_high: chain.on_while_high.clone() };
    let told = c::lines_told(code);
    let scans =
        Scans::new(scan, lines_read(code, &plan, &recording), code.parts.iter().map(|part| part.point).collect())
            .with_chains(code.chains.iter().map(chain).collect())
            .telling(told.iter().map(|name| plan.lines.get(*name).copied().unwrap_or(usize::MAX)).collect());
    let origin = recording.origin();
    let mut driven = Driven::start(program, code)?;
    let mut scans = scans;
    let mut unknown = None;
    let is_known = |name: &&str| code.lines.iter().any(|line| line.of == **name && !line.samples);
    let always: Vec<bool> = c::columns_read(code).iter().map(is_known).collect();
    let mut watch = |view: &mut WindowView<'_>| {
        scans.take(view.window, view.lines.all(), view.engine, &mut |row| {
            // A chain may have had no frame yet, and samples come when they come; all other lines are known.
            let of_line = |(line, sample): (usize, &Option<Sample>)| {
                (sample.is_none() && always.get(line) == Some(&true)).then_some((line, row.at))
            };
            if unknown.is_none() {
                unknown = row.lines.iter().enumerate().find_map(of_line);
            }
            driven.give(row, scan.phase, &told);
        });
    };
    replay(station, recording, &RunOptions::default(), &mut [&mut watch])?;
    let told = driven.finish()?;
    if let Some((line, at)) = unknown {
        let name = c::columns_read(code).get(line).copied().unwrap_or_default();
        return Err(Failure::Usage {
            message: format!(
                "line `{name}` is not known at the scan at {}: a controller knows all lines from the first scan on",
                at.place()
            ),
            help: "set the `phase` of [scan] to a time at which all lines are known".to_owned(),
        });
    }
    Ok(proof(code, told, origin))
}

/// Where the lines of the code are in the recording.
fn lines_read(code: &Code, plan: &Plan, recording: &Recording) -> Vec<ReadLine> {
    let names = LineNames::new(recording.lines());
    let find = |name: &str| {
        let bit = plan.lines.get(name).map(|number| ReadLine::Bit(*number));
        let samples = code.lines.iter().any(|line| line.of == name && line.samples);
        let number = || {
            let number = plan.number_lines.get(name).copied();
            number.map(if samples { ReadLine::Samples } else { ReadLine::Number })
        };
        let bit_of_number = || match names.level_or_bit(name).ok()? {
            LevelOrBit::BitOfNumber { number, bit, .. } => Some(ReadLine::BitOf(*plan.number_lines.get(&number)?, bit)),
            LevelOrBit::Level(_) => None,
        };
        let chain = || code.chains.iter().position(|chain| chain.of == name).map(ReadLine::Chain);
        bit.or_else(number).or_else(bit_of_number).or_else(chain)
    };
    // A line that only says whether a device answers is on where the recording has none.
    c::columns_read(code).into_iter().map(|name| find(name).unwrap_or(ReadLine::On)).collect()
}

/// What came back.
struct Told {
    scans: u64,
    /// The row at which the program told something else, and what: the number of the point and its words.
    difference: Option<(Row, usize, String)>,
    /// Why it could not go on.
    failed: Option<String>,
}

/// A program at work: rows go in, and what it prints is compared beside that.
struct Driven {
    child: Child,
    input: Option<BufWriter<ChildStdin>>,
    rows: Option<SyncSender<Row>>,
    /// Room for a row.
    text: String,
    comparing: thread::JoinHandle<Told>,
}

impl Driven {
    fn start(program: &Program, code: &Code) -> Result<Self, Failure> {
        let mut child =
            Command::new(&program.path).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().map_err(Failure::Print)?;
        let missing = || Failure::Print(std::io::Error::other("the program has no standard input or output"));
        let (stdin, stdout) = child.stdin.take().zip(child.stdout.take()).ok_or_else(missing)?;
        let mut input = BufWriter::new(stdin);
        // Where it takes no more, what it printed says why.
        let _ = writeln!(input, "time_us,{}", c::columns_read(code).join(","));
        let (rows, waiting) = sync_channel(MOST_WAITING);
        let names: Vec<String> = code.parts.iter().map(|part| part.of.clone()).collect();
        let comparing = thread::spawn(move || compare(&waiting, stdout, &names));
        Ok(Self { child, input: Some(input), rows: Some(rows), text: String::new(), comparing })
    }

    /// A row goes in.
    fn give(&mut self, row: Row, first: Nanos, told: &[&str]) {
        let (Some(input), Some(rows)) = (&mut self.input, &self.rows) else { return };
        self.text.clear();
        row.write(first, 0, told, &mut self.text);
        if input.write_all(self.text.as_bytes()).is_err() {
            return;
        }
        match rows.try_send(row) {
            Ok(()) => {}
            Err(TrySendError::Full(row)) => {
                // What waits in the pipe must go on, so that there is something to compare.
                let _ = input.flush();
                let _ = rows.send(row);
            }
            // Somebody has seen enough.
            Err(TrySendError::Disconnected(_)) => self.input = None,
        }
    }

    fn finish(mut self) -> Result<Told, Failure> {
        if let Some(mut input) = self.input.take() {
            let _ = input.flush();
        }
        self.rows = None;
        let told = self.comparing.join().map_err(|_| Failure::Print(std::io::Error::other("comparing broke off")))?;
        let _ = self.child.kill();
        let _ = self.child.wait();
        match &told.failed {
            None => Ok(told),
            Some(why) => Err(Failure::Usage {
                message: format!("the code cannot be compared: {why}"),
                help: "write it anew with the same options as it is proven with".to_owned(),
            }),
        }
    }
}

/// Compares what a program prints with what the engine holds, row by row, up to the first difference.
fn compare(rows: &Receiver<Row>, printed: ChildStdout, names: &[String]) -> Told {
    let mut told = Told { scans: 0, difference: None, failed: None };
    let mut lines = BufReader::new(printed).lines();
    let header = lines.next().and_then(Result::ok).unwrap_or_default();
    if header != format!("time_us,{}", names.join(",")) {
        told.failed = Some("it has other points than the station".to_owned());
        return told;
    }
    for row in rows {
        let Some(Ok(line)) = lines.next() else {
            told.failed = Some(format!("it ends at the scan at {}", row.at.place()));
            return told;
        };
        if let Some((point, words)) = row.difference(&line) {
            let words = words.to_owned();
            told.difference = Some((row, point, words));
            return told;
        }
        told.scans += 1;
    }
    told
}

fn proof(code: &Code, told: Told, origin: Origin) -> Proof {
    let words = |sample: &Option<Sample>| sample.as_ref().map(Sample::text);
    let difference = told.difference.and_then(|(row, point, code_words)| {
        let part = code.parts.get(point)?;
        let reads = code.reads(part).into_iter().filter_map(|read| {
            let number = code.parts.iter().position(|other| other.point == read)?;
            Some((code.parts.get(number)?.of.clone(), words(row.points.get(number)?)))
        });
        let lines = code.lines_of(part).into_iter().filter_map(|name| {
            let number = c::columns_read(code).iter().position(|column| *column == name)?;
            Some((name.to_owned(), words(row.lines.get(number)?)))
        });
        Some(Difference {
            point: part.of.clone(),
            time_ns: origin.file_time_ns(row.at),
            engine: row.points.get(point).and_then(words),
            code: Some(code_words).filter(|words| !words.is_empty()),
            reads: reads.chain(lines).collect(),
        })
    });
    Proof { scans: told.scans, points: code.parts.len(), difference }
}
