//! The server: a thread with connections, of which there are only so many.

use crate::access::Token;
use crate::answers::{State, routes};
use crate::snapshot::{SetPoints, Shown, Snapshot};
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use std::net::{SocketAddr, TcpListener};
use std::sync::Arc;
use std::thread::{self, JoinHandle};
use std::time::Duration;
use tokio::sync::{Semaphore, oneshot, watch};
use tokio::time;

/// So many connections at once; more are closed at once.
const CONNECTIONS: usize = 512;
/// So much of a request's head is taken.
const HEAD_BYTES: usize = 16 * 1024;
/// So long a request's head may take.
const HEAD_TIME: Duration = Duration::from_secs(10);
/// So often readers of events are told what is new.
const TELL_EVERY: Duration = Duration::from_millis(100);
/// After so many of these they are told how long the run has gone on, though nothing is new.
const QUIET: u32 = 20;

/// How a run is served.
pub struct Settings {
    /// Where.
    pub address: SocketAddr,
    /// What requests must show, where they must.
    pub token: Option<Token>,
    /// Who sets outputs, where anybody may.
    pub set: Option<Arc<dyn SetPoints>>,
}

/// Why a run cannot be served.
#[derive(Debug, thiserror::Error)]
pub enum ServeError {
    /// Somebody else listens there, or nobody may.
    #[error("{address}: {source}")]
    Listen {
        /// Where.
        address: SocketAddr,
        /// What the system says.
        source: std::io::Error,
    },
    /// Others in the network could read and nothing keeps them from it.
    #[error("{0} is open to the network: it needs a token")]
    NeedsToken(SocketAddr),
    /// The system gives no thread or no timer.
    #[error("the server cannot run: {0}")]
    System(std::io::Error),
}

/// A run that is served, until it is dropped.
pub struct Server {
    address: SocketAddr,
    end: Option<oneshot::Sender<()>>,
    thread: Option<JoinHandle<()>>,
}

impl Server {
    /// Serves a run.
    ///
    /// # Errors
    /// Where nobody can listen there, or the address is open to the network and there is no token.
    pub fn start(settings: Settings, shown: Arc<dyn Shown>) -> Result<Self, ServeError> {
        let Settings { address, token, set } = settings;
        if token.is_none() && !address.ip().is_loopback() {
            return Err(ServeError::NeedsToken(address));
        }
        let listen = |source| ServeError::Listen { address, source };
        let listener = TcpListener::bind(address).map_err(listen)?;
        listener.set_nonblocking(true).map_err(listen)?;
        let address = listener.local_addr().map_err(listen)?;
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(ServeError::System)?;
        let (end, ended) = oneshot::channel();
        let work = move || runtime.block_on(serve(listener, token, set, shown, ended));
        let thread = thread::Builder::new().name("serve".to_owned()).spawn(work).map_err(ServeError::System)?;
        Ok(Self { address, end: Some(end), thread: Some(thread) })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        // Whoever still reads is cut off: the run is over.
        drop(self.end.take());
        self.thread.take().into_iter().for_each(|thread| drop(thread.join()));
    }
}

async fn serve(
    listener: TcpListener,
    token: Option<Token>,
    set: Option<Arc<dyn SetPoints>>,
    shown: Arc<dyn Shown>,
    ended: oneshot::Receiver<()>,
) {
    let listener = match tokio::net::TcpListener::from_std(listener) {
        Ok(listener) => listener,
        Err(error) => return tracing::error!("nothing is served: {error}"),
    };
    let (newest, told) = watch::channel(Arc::new(shown.snapshot()));
    let routes = routes(State { shown: shown.clone(), newest: told, token: token.map(Arc::new), set });
    let accept = async {
        let room = Arc::new(Semaphore::new(CONNECTIONS));
        loop {
            let Ok((stream, _)) = listener.accept().await else {
                // No more files, for one: that passes.
                time::sleep(TELL_EVERY).await;
                continue;
            };
            let Ok(permit) = room.clone().try_acquire_owned() else { continue };
            let service = TowerToHyperService::new(routes.clone());
            tokio::spawn(async move {
                let connection = http1::Builder::new()
                    .timer(TokioTimer::new())
                    .header_read_timeout(HEAD_TIME)
                    .max_buf_size(HEAD_BYTES)
                    .serve_connection(TokioIo::new(stream), service);
                // A connection that breaks off is no news.
                let _ = connection.await;
                drop(permit);
            });
        }
    };
    tokio::select! {
        () = accept => {}
        () = tell(&newest, &*shown) => {}
        _ = ended => {}
    }
}

/// Makes snapshots for readers of events, where there are any and something is new.
async fn tell(newest: &watch::Sender<Arc<Snapshot>>, shown: &dyn Shown) {
    let mut quiet = 0;
    loop {
        time::sleep(TELL_EVERY).await;
        // One receiver is the server's own.
        if newest.receiver_count() < 2 {
            continue;
        }
        let now = shown.snapshot();
        quiet += 1;
        let before = newest.borrow().clone();
        let is_same = Snapshot { time_ns: before.time_ns, ..now.clone() } == *before;
        if !is_same || quiet >= QUIET {
            quiet = 0;
            newest.send_replace(Arc::new(now));
        }
    }
}
