//! Work on an archive: jobs that any worker takes, and their answers.

use crate::error::FleetError;
use crate::runtime::runtime;
use crate::server::{Server, ServerAddress};
use crate::worker::WorkerStop;
use async_nats::jetstream::consumer::pull::{Config, OrderedConfig};
use async_nats::jetstream::consumer::{AckPolicy, DeliverPolicy};
use async_nats::jetstream::stream::{self, RetentionPolicy};
use async_nats::jetstream::{AckKind, Message};
use futures_util::StreamExt as _;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::sync::Arc;
use std::time::Duration;
use tokio::time::{Instant, interval_at, sleep};

/// The stream of the jobs that nobody has done yet, and its one subject.
const JOBS_STREAM: &str = "REIGEN_JOBS";
const JOBS: &str = "reigen.jobs";
/// The stream of answers, each batch under a subject of its own.
const ANSWERS_STREAM: &str = "REIGEN_ANSWERS";
/// How long answers are kept.
const ANSWERS_KEPT: Duration = Duration::from_secs(24 * 3600);
/// The name under which workers share the jobs.
const WORKERS: &str = "workers";
/// A job is tried so often.
pub const MOST_TRIES: i64 = 3;
/// An answer that takes longer is told of.
const LONG: Duration = Duration::from_secs(10);
/// How long it waits after the server gave no answer, and before a job is tried again.
const RETRY: Duration = Duration::from_millis(500);

/// A job on its way.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Job {
    batch: String,
    number: usize,
    body: Value,
}

/// What came of a job.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Answer {
    /// Its number among those of the batch.
    pub number: usize,
    /// The worker.
    pub worker: String,
    /// What came of it.
    pub outcome: JobOutcome,
}

/// What came of a job.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JobOutcome {
    /// It was done.
    Done(Value),
    /// It failed too often, and is tried no more.
    SetAside(String),
}

/// What a worker on jobs tells.
#[derive(Debug, Clone, PartialEq)]
pub enum JobEvent {
    /// It has a job, tried for the nth time.
    Began(Value, i64),
    /// What came of it.
    Ended(Value, JobOutcome),
    /// It failed, and is tried again, perhaps by another.
    Failed(Value, String),
    /// The server does not answer; the worker tries again.
    Waiting(String),
}

/// How jobs are worked.
pub struct JobWorker<W, E> {
    /// The name of the worker.
    pub name: String,
    /// A job whose worker is silent for so long goes to another; of the first worker.
    pub silence: Duration,
    /// Ends where no job has come for so long.
    pub until_idle: Option<Duration>,
    /// Does a job, or says why it failed.
    pub work: W,
    /// Takes what is told.
    pub tell: E,
}

fn subject_of_answers(batch: &str) -> String {
    format!("reigen.answers.{batch}")
}

async fn jobs(server: &Server) -> Result<stream::Stream, FleetError> {
    let retention = RetentionPolicy::WorkQueue;
    let config = stream::Config {
        name: JOBS_STREAM.to_owned(),
        subjects: vec![JOBS.to_owned()],
        retention,
        ..Default::default()
    };
    let made = server.jetstream.get_or_create_stream(config).await;
    made.map_err(|error| FleetError::refused(format!("keep the stream {JOBS_STREAM}"), error))
}

async fn answers(server: &Server) -> Result<stream::Stream, FleetError> {
    let config = stream::Config {
        name: ANSWERS_STREAM.to_owned(),
        subjects: vec![subject_of_answers("*")],
        max_age: ANSWERS_KEPT,
        ..Default::default()
    };
    let made = server.jetstream.get_or_create_stream(config).await;
    made.map_err(|error| FleetError::refused(format!("keep the stream {ANSWERS_STREAM}"), error))
}

/// Publishes to a stream until the server has it.
async fn publish(server: &Server, subject: &str, value: &impl Serialize) -> Result<(), FleetError> {
    let bytes: bytes::Bytes = serde_json::to_vec(value).map_err(|error| FleetError::Local(error.to_string()))?.into();
    let mut tries = 0;
    loop {
        let why = match server.jetstream.publish(subject.to_owned(), bytes.clone()).await {
            Ok(future) => match future.await {
                Ok(_) => return Ok(()),
                Err(error) => error.to_string(),
            },
            Err(error) => error.to_string(),
        };
        tries += 1;
        if tries > MOST_TRIES {
            return Err(FleetError::refused("take a message", why));
        }
        sleep(RETRY).await;
    }
}

/// What happens while jobs are waited for.
#[derive(Debug, Clone, Copy)]
pub enum AskEvent<'a> {
    /// An answer came.
    Answered(&'a Answer),
    /// None has come for long: perhaps nobody works.
    Silence,
}

/// Has jobs done by the workers, and waits for all answers.
///
/// # Errors
/// Where the server cannot be reached, or takes no jobs.
pub fn ask(
    address: &ServerAddress,
    bodies: Vec<Value>,
    told: &mut dyn FnMut(AskEvent<'_>),
) -> Result<Vec<Answer>, FleetError> {
    runtime()?.block_on(async {
        let server = Server::reach(address).await?;
        jobs(&server).await?;
        let stream = answers(&server).await?;
        let batch = server.client.new_inbox().rsplit('.').next().unwrap_or_default().to_owned();
        let mut found: Vec<Option<Answer>> = bodies.iter().map(|_| None).collect();
        for (number, body) in bodies.into_iter().enumerate() {
            publish(&server, JOBS, &Job { batch: batch.clone(), number, body }).await?;
        }
        let (mut last, mut left) = (0, found.len());
        while left > 0 {
            let config = OrderedConfig {
                filter_subject: subject_of_answers(&batch),
                deliver_policy: DeliverPolicy::ByStartSequence { start_sequence: last + 1 },
                ..OrderedConfig::default()
            };
            let Ok(consumer) = stream.create_consumer(config).await else {
                sleep(RETRY).await;
                continue;
            };
            let Ok(mut messages) = consumer.messages().await else {
                sleep(RETRY).await;
                continue;
            };
            let mut connections = server.connections.clone();
            connections.mark_unchanged();
            while left > 0 {
                let message = tokio::select! {
                    message = messages.next() => message,
                    () = sleep(LONG) => {
                        told(AskEvent::Silence);
                        continue;
                    }
                    // What waited at a server that was restarted waits for ever.
                    _ = connections.changed() => break,
                };
                let Some(Ok(message)) = message else { break };
                last = message.info().map_or(last, |info| info.stream_sequence);
                let Ok(answer) = serde_json::from_slice::<Answer>(&message.payload) else { continue };
                // A job that was done twice, since its worker ended before it could say so, is answered twice.
                if let Some(slot @ None) = found.get_mut(answer.number) {
                    told(AskEvent::Answered(&answer));
                    *slot = Some(answer);
                    left -= 1;
                }
            }
        }
        Ok(found.into_iter().flatten().collect())
    })
}

/// Does jobs until it is asked to end, or none comes any more.
///
/// # Errors
/// Where the server cannot be reached, or keeps no jobs.
pub fn work_jobs<W, E>(address: &ServerAddress, worker: JobWorker<W, E>, stop: &WorkerStop) -> Result<(), FleetError>
where
    W: Fn(&Value) -> Result<Value, String> + Send + Sync + 'static,
    E: FnMut(JobEvent),
{
    let JobWorker { name, silence, until_idle, work, mut tell } = worker;
    let work = Arc::new(work);
    let mut stop = stop.subscribe();
    runtime()?.block_on(async {
        let server = Server::reach(address).await?;
        let stream = jobs(&server).await?;
        answers(&server).await?;
        let config = Config {
            durable_name: Some(WORKERS.to_owned()),
            ack_policy: AckPolicy::Explicit,
            ack_wait: silence,
            ..Config::default()
        };
        let mut last = Instant::now();
        while !*stop.borrow() {
            let consumer = match stream.get_or_create_consumer(WORKERS, config.clone()).await {
                Ok(consumer) => consumer,
                Err(error) => {
                    tell(JobEvent::Waiting(error.to_string()));
                    sleep(RETRY).await;
                    continue;
                }
            };
            // One at a time: others may be free for the next.
            let messages = consumer.stream().max_messages_per_batch(1).messages().await;
            let Ok(mut messages) = messages else {
                sleep(RETRY).await;
                continue;
            };
            let mut connections = server.connections.clone();
            connections.mark_unchanged();
            loop {
                let idle = async {
                    match until_idle {
                        Some(length) => tokio::time::sleep_until(last + length).await,
                        None => std::future::pending().await,
                    }
                };
                tokio::select! {
                    Ok(()) = stop.changed() => break,
                    _ = connections.changed() => break,
                    () = idle => return Ok(()),
                    message = messages.next() => {
                        let Some(Ok(message)) = message else { break };
                        take(&server, &message, &name, silence, &work, &mut tell).await;
                        last = Instant::now();
                    }
                }
            }
        }
        Ok(())
    })
}

/// Does one job.
async fn take<W, E>(server: &Server, message: &Message, name: &str, silence: Duration, work: &Arc<W>, tell: &mut E)
where
    W: Fn(&Value) -> Result<Value, String> + Send + Sync + 'static,
    E: FnMut(JobEvent),
{
    // What is no job is dropped: nobody waits for it.
    let Ok(job) = serde_json::from_slice::<Job>(&message.payload) else {
        let _ = message.ack_with(AckKind::Term).await;
        return;
    };
    let tries = message.info().map_or(1, |info| info.delivered);
    let outcome = if tries > MOST_TRIES {
        JobOutcome::SetAside(format!("its worker ended {MOST_TRIES} times before it was done"))
    } else {
        tell(JobEvent::Began(job.body.clone(), tries));
        match attempt(message, silence, work.clone(), job.body.clone()).await {
            Ok(done) => JobOutcome::Done(done),
            Err(why) if tries == MOST_TRIES => JobOutcome::SetAside(format!("it failed {MOST_TRIES} times: {why}")),
            Err(why) => {
                tell(JobEvent::Failed(job.body, why));
                let _ = message.ack_with(AckKind::Nak(Some(RETRY))).await;
                return;
            }
        }
    };
    let answer = Answer { number: job.number, worker: name.to_owned(), outcome };
    match publish(server, &subject_of_answers(&job.batch), &answer).await {
        Ok(()) => {
            // Where this does not arrive, the job is done once more, and its second answer is left out.
            let _ = message.double_ack().await;
            tell(JobEvent::Ended(job.body, answer.outcome));
        }
        Err(error) => tell(JobEvent::Waiting(error.to_string())),
    }
}

/// Tries a job on a thread of its own, and tells the server meanwhile that somebody is at it.
async fn attempt<W>(message: &Message, silence: Duration, work: Arc<W>, body: Value) -> Result<Value, String>
where
    W: Fn(&Value) -> Result<Value, String> + Send + Sync + 'static,
{
    let mut working = tokio::task::spawn_blocking(move || work(&body));
    let step = silence / 3;
    let mut clock = interval_at(Instant::now() + step, step);
    loop {
        tokio::select! {
            done = &mut working => return done.unwrap_or_else(|_| Err("the program has a fault".to_owned())),
            _ = clock.tick() => {
                let _ = message.ack_with(AckKind::Progress).await;
            }
        }
    }
}
