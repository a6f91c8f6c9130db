//! Machines of a fleet as load: stations that publish edges.
//!
//! `fleet_load HOST:PORT FOLDER STATIONS EDGES_PER_SECOND SECONDS` writes the station files into the folder, and publishes
//! so many edges a second for each.

#![allow(clippy::print_stdout)]

use reigen_fleet::publish::Publisher;
use reigen_fleet::server::{Server, ServerAddress};
use std::error::Error;
use std::fmt::Write as _;
use std::path::Path;
use std::time::{Duration, Instant};

/// How often a machine publishes what its lines did.
const STEP_MS: u64 = 100;

/// What each machine has: a pulse sensor with a rate and a counter, and a button.
const STATION: &str = "
[input.drum]
line = 'DRUM'
debounce = { method = 'lockout', time = '5 us' }
[input.button]
line = 'PB'
debounce = { method = 'stable', time = '2 ms' }
[counter.turns]
up = 'drum'
reset = 'button'
[rate.speed]
of = 'drum'
every = '100 ms'
[timer.run_on]
of = 'button'
kind = 'off_delay'
time = '300 ms'
[output.lamp]
when = 'run_on AND turns.value > 10'
";

/// The edges of one machine, one after another.
struct Machine {
    time_ns: u64,
    step_ns: u64,
    count: u64,
}

impl Machine {
    fn rows(&mut self, edges: u64) -> String {
        let mut rows = String::new();
        for _ in 0..edges {
            self.time_ns += self.step_ns;
            self.count += 1;
            let level = self.count % 2;
            let line = if self.count % 500 < 2 { "PB" } else { "DRUM" };
            // A string takes whatever is written.
            let _ = writeln!(rows, "{{\"time_ns\":{},\"line\":\"{line}\",\"value\":{level}}}", self.time_ns);
        }
        rows
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [address, folder, stations, rate, seconds] = arguments.as_slice() else {
        return Err("fleet_load HOST:PORT FOLDER STATIONS EDGES_PER_SECOND SECONDS".into());
    };
    let (stations, rate, seconds): (usize, u64, u64) = (stations.parse()?, rate.parse()?, seconds.parse()?);
    let names: Vec<String> = (0..stations).map(|number| format!("press-{number:03}")).collect();
    std::fs::create_dir_all(folder)?;
    for name in &names {
        std::fs::write(Path::new(folder).join(format!("{name}.toml")), STATION)?;
    }
    let address = ServerAddress { address: address.clone(), user: None };
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
    let began = Instant::now();
    let published = runtime.block_on(async {
        let server = Server::reach(&address).await?;
        let steps = seconds * 1000 / STEP_MS;
        let edges = rate * STEP_MS / 1000;
        let machines = names.iter().map(|name| machine(server.clone(), name, steps, edges));
        let published: u64 = futures_util::future::try_join_all(machines).await?.into_iter().sum();
        Ok::<_, Box<dyn Error>>(published)
    })?;
    println!("{published} edges of {stations} machines published in {:.2} s", began.elapsed().as_secs_f64());
    Ok(())
}

async fn machine(server: Server, name: &str, steps: u64, edges: u64) -> Result<u64, Box<dyn Error>> {
    let mut publisher = Publisher::new(server, name).await?;
    let mut machine = Machine { time_ns: 0, step_ns: STEP_MS * 1_000_000 / edges.max(1), count: 0 };
    let mut clock = tokio::time::interval(Duration::from_millis(STEP_MS));
    for _ in 0..steps {
        clock.tick().await;
        publisher.publish(machine.rows(edges)).await;
    }
    Ok(machine.count)
}
