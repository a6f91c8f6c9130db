//! The heartbeat: a coil that turns over in every pass. Where it is read back otherwise, somebody else turns it, too.

use reigen_station::links::modbus::BitAddress;
use std::time::{Duration, Instant};

/// How often it is read back.
const READ_BACK: Duration = Duration::from_secs(1);
/// So many times otherwise tells of another program: a device that restarts clears its coils once.
const OTHERWISE: u32 = 3;

/// The heartbeat over all connections.
#[derive(Debug)]
pub(super) struct Beat {
    pub(super) coil: BitAddress,
    /// What was written last, where anything was.
    pub(super) last: Option<bool>,
    /// When it is read back next; `None` for never again, where the device refuses that.
    read_back: Option<Instant>,
    otherwise: u32,
}

impl Beat {
    pub(super) fn new(coil: BitAddress) -> Self {
        Self { coil, last: None, read_back: Some(Instant::now() + READ_BACK), otherwise: 0 }
    }

    /// What is to be written next.
    pub(super) fn turn(&mut self) -> bool {
        let next = !self.last.unwrap_or(false);
        self.last = Some(next);
        next
    }

    /// Whether it is to be read back before it is written.
    pub(super) fn is_due(&self) -> bool {
        self.last.is_some() && self.read_back.is_some_and(|at| at <= Instant::now())
    }

    /// It was read back, or the device refused that; gives whether somebody else turns it.
    pub(super) fn take(&mut self, found: Option<bool>) -> bool {
        self.read_back = found.map(|_| Instant::now() + READ_BACK);
        self.otherwise += u32::from(found.is_some() && found != self.last);
        found.is_some() && found != self.last && self.otherwise >= OTHERWISE
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_station::links::modbus::Table;

    #[test]
    fn another_program_is_told_by_what_is_read_back() {
        let mut beat = Beat::new(BitAddress { table: Table::Coil, at: 7, bit: None });
        let told: Vec<bool> = [Some(true), Some(false), Some(true), Some(true), Some(false)]
            .into_iter()
            .map(|found| {
                beat.last = Some(true);
                beat.take(found)
            })
            .collect();
        assert_eq!(told, [false, false, false, false, false], "once it restarted, and once is not enough");
        assert!(beat.take(Some(false)), "the third time");
        assert!(!beat.take(None) && !beat.is_due(), "the device refuses to be asked");
        assert_ne!(beat.turn(), beat.turn());
    }
}
