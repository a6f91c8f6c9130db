//! Packed recordings: gzip (RFC 1952) and Zstandard (RFC 8878), told by their first bytes.

use flate2::read::MultiGzDecoder;
use std::fmt;
use std::io::{self, Read};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use thiserror::Error;

/// Unpacking keeps at most so much of a Zstandard file in memory: 32 MB, as a power of two.
const MOST_WINDOW_LOG: u32 = 25;

/// How a file is packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Packing {
    /// RFC 1952.
    Gzip,
    /// RFC 8878.
    Zstandard,
}

impl Packing {
    /// What the first bytes of a file say.
    pub(crate) fn of(bytes: &[u8]) -> Option<Self> {
        match bytes {
            [0x1f, 0x8b, ..] => Some(Self::Gzip),
            [0x28, 0xb5, 0x2f, 0xfd, ..] => Some(Self::Zstandard),
            _ => None,
        }
    }

    /// What a file's ending says.
    pub(crate) fn of_ending(path: &Path) -> Option<Self> {
        match path.extension()?.to_str()? {
            "gz" => Some(Self::Gzip),
            "zst" => Some(Self::Zstandard),
            _ => None,
        }
    }
}

impl fmt::Display for Packing {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(match self {
            Self::Gzip => "gzip",
            Self::Zstandard => "zstd",
        })
    }
}

/// Why a packed file cannot be unpacked further.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("the {packing} file is {} near its byte {at}, after {unpacked} bytes unpacked: {why}", if *.cut { "cut off" } else { "damaged" })]
pub struct ArchiveFault {
    /// How it is packed.
    pub packing: Packing,
    /// How many of its bytes had been taken.
    pub at: u64,
    /// How many bytes had come out.
    pub unpacked: u64,
    /// Whether it ended too soon.
    pub cut: bool,
    /// What the library says.
    pub why: String,
}

/// Unpacks what `input` gives; its errors carry an [`ArchiveFault`].
pub(crate) fn unpack(packing: Packing, input: Box<dyn Read + Send>) -> io::Result<Box<dyn Read + Send>> {
    let taken = Arc::new(AtomicU64::new(0));
    let counted = Counted { input, taken: taken.clone() };
    let reader: Box<dyn Read + Send> = match packing {
        Packing::Gzip => Box::new(MultiGzDecoder::new(counted)),
        Packing::Zstandard => {
            let mut decoder = zstd::stream::read::Decoder::new(counted)?;
            decoder.window_log_max(MOST_WINDOW_LOG)?;
            Box::new(decoder)
        }
    };
    Ok(Box::new(Unpacked { packing, reader, taken, unpacked: 0 }))
}

/// Counts the bytes that go through.
struct Counted {
    input: Box<dyn Read + Send>,
    taken: Arc<AtomicU64>,
}

impl Read for Counted {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let count = self.input.read(room)?;
        self.taken.fetch_add(count as u64, Ordering::Relaxed);
        Ok(count)
    }
}

/// What comes out, with errors that say where they arose.
struct Unpacked {
    packing: Packing,
    reader: Box<dyn Read + Send>,
    taken: Arc<AtomicU64>,
    unpacked: u64,
}

impl Read for Unpacked {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        match self.reader.read(room) {
            Ok(count) => {
                self.unpacked += count as u64;
                Ok(count)
            }
            Err(error) if error.kind() == io::ErrorKind::Interrupted => Err(error),
            // What the system says of the file itself stays as it is.
            Err(error) if error.raw_os_error().is_some() => Err(error),
            Err(error) => Err(io::Error::new(
                error.kind(),
                ArchiveFault {
                    packing: self.packing,
                    at: self.taken.load(Ordering::Relaxed),
                    unpacked: self.unpacked,
                    cut: error.kind() == io::ErrorKind::UnexpectedEof,
                    why: match self.unpacked > 0 && error.to_string().contains("invalid gzip header") {
                        true => "there is something after its end that is not gzip: cut that off".to_owned(),
                        false => error.to_string(),
                    },
                },
            )),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::{Cursor, Write};

    fn packed(packing: Packing, bytes: &[u8]) -> Vec<u8> {
        match packing {
            Packing::Gzip => {
                let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
                encoder.write_all(bytes).unwrap();
                encoder.finish().unwrap()
            }
            Packing::Zstandard => zstd::encode_all(bytes, 3).unwrap(),
        }
    }

    fn unpacked(packing: Packing, bytes: &[u8]) -> io::Result<Vec<u8>> {
        let mut all = Vec::new();
        unpack(packing, Box::new(Cursor::new(bytes.to_vec())))?.read_to_end(&mut all)?;
        Ok(all)
    }

    proptest! {
        #[test]
        fn what_was_packed_comes_out_and_a_cut_is_told(
            bytes in prop::collection::vec(0..4u8, 1..2000),
            gzip in any::<bool>(),
            cut in any::<prop::sample::Index>(),
        ) {
            let packing = if gzip { Packing::Gzip } else { Packing::Zstandard };
            let whole = packed(packing, &bytes);
            prop_assert_eq!(Packing::of(&whole), Some(packing));
            prop_assert_eq!(unpacked(packing, &whole).unwrap(), bytes.clone());
            // Several in one file are read one after another.
            prop_assert_eq!(unpacked(packing, &whole.repeat(2)).unwrap(), bytes.repeat(2));
            let cut = 1 + cut.index(whole.len() - 1);
            let error = unpacked(packing, &whole[..cut]).unwrap_err();
            let fault = error.get_ref().unwrap().downcast_ref::<ArchiveFault>().unwrap();
            prop_assert!(fault.cut && fault.packing == packing && fault.at == cut as u64, "{}", fault);
        }
    }
}
