//! What the server keeps of a station: its run, and up to which message that is.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use reigen_run::continued_run::RunState;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// What is kept of a station, as JSON.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Kept {
    /// The last message that is in the counts; 0 for none.
    pub sequence: u64,
    /// The version of the station file.
    pub version: String,
    /// Who wrote it.
    pub worker: String,
    /// Tells apart workers of one name.
    pub process: String,
    /// Changes of lines so far.
    pub changes: u64,
    /// Rows that meant nothing.
    pub malformed: u64,
    /// Changes that were older than one before them.
    pub late: u64,
    /// The lines' own time of the newest change.
    pub newest_ns: Option<i64>,
    /// What the run must know of the past; none before the first message.
    state: Option<KeptRun>,
}

/// A run as it is kept.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct KeptRun {
    /// In postcard and base64.
    run: String,
    /// The beginning of its SHA-256: a run that was changed by hand would do anything.
    sum: String,
}

/// Why what is kept cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("what the server keeps of the station cannot be read: {0}")]
pub struct KeptError(String);

impl Kept {
    /// Of a station that nobody has worked yet.
    pub fn nothing(version: &str) -> Self {
        Self {
            sequence: 0,
            version: version.to_owned(),
            worker: String::new(),
            process: String::new(),
            changes: 0,
            malformed: 0,
            late: 0,
            newest_ns: None,
            state: None,
        }
    }

    /// Keeps a run.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn keep(&mut self, run: &RunState) -> Result<(), KeptError> {
        let bytes = postcard::to_allocvec(run).map_err(|error| KeptError(error.to_string()))?;
        let run = STANDARD.encode(bytes);
        self.state = Some(KeptRun { sum: sum_of(&run), run });
        Ok(())
    }

    /// The run that is kept; `None` before the first message.
    ///
    /// # Errors
    /// Where it cannot be read.
    pub fn run(&self) -> Result<Option<RunState>, KeptError> {
        let Some(KeptRun { run, sum }) = &self.state else { return Ok(None) };
        if *sum != sum_of(run) {
            return Err(KeptError("its sum is another: somebody has changed it".to_owned()));
        }
        let bytes = STANDARD.decode(run).map_err(|error| KeptError(error.to_string()))?;
        postcard::from_bytes(&bytes).map(Some).map_err(|error| KeptError(error.to_string()))
    }

    /// As the server keeps it.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn to_bytes(&self) -> Result<Vec<u8>, KeptError> {
        serde_json::to_vec(self).map_err(|error| KeptError(error.to_string()))
    }

    /// From what the server keeps.
    ///
    /// # Errors
    /// Where it is not that.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, KeptError> {
        serde_json::from_slice(bytes).map_err(|error| KeptError(error.to_string()))
    }
}

/// The beginning of the SHA-256 of a run, as it is kept.
fn sum_of(run: &str) -> String {
    Sha256::digest(run.as_bytes()).iter().take(8).map(|byte| format!("{byte:02x}")).collect()
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]

    use super::Kept;
    use reigen_run::continued_run::{BoundStation, ContinuedRun};
    use reigen_run::station_file::StationFile;

    #[test]
    fn what_is_kept_is_read_back_and_damage_is_told() {
        let file = StationFile::parse("s".to_owned(), "[input.a]\nline = 'A'\n".to_owned()).unwrap();
        let bound = BoundStation::new(&file).unwrap();
        let mut run = ContinuedRun::new(&bound);
        run.take(b"{\"time_ns\":5,\"line\":\"A\",\"value\":1}", &mut []).unwrap();
        let mut kept = Kept::nothing("v");
        assert_eq!(kept.run(), Ok(None));
        kept.keep(&run.save()).unwrap();
        let bytes = kept.to_bytes().unwrap();
        let read = Kept::from_bytes(&bytes).unwrap();
        assert_eq!((read.run().unwrap(), &read), (Some(run.save()), &kept));
        for cut in 0..bytes.len() {
            assert!(Kept::from_bytes(&bytes[..cut]).is_err());
        }
        let text = String::from_utf8(bytes).unwrap();
        for damage in ["!", "AAAA"] {
            let damaged = text.replace("\"run\":\"", &format!("\"run\":\"{damage}"));
            assert!(Kept::from_bytes(damaged.as_bytes()).unwrap().run().is_err(), "{damaged}");
        }
    }
}
