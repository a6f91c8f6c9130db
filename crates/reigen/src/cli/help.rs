//! The help as it is shown: commands grouped by the order of the day, exit codes below each command.

use super::Cli;
use clap::CommandFactory;

/// The commands by the order of the day.
pub(crate) const GROUPS: [(&str, &[&str]); 5] = [
    ("Before power-on", &["check", "size"]),
    ("Look", &["survey", "levels", "chain", "captures"]),
    ("Condition", &["debounce", "polling", "run", "live", "work"]),
    ("Judge", &["why", "draw", "verify", "compare", "signoff"]),
    ("Hand over, and make", &["report", "code", "convert", "demo", "simulate", "play", "schema", "completions", "man"]),
];

/// What each exit code means.
const EXIT_CODES: &str = "Exit codes: 0 done; 1 something is wrong or differs; 2 refused (reason on standard error)";

/// The whole command line.
pub(crate) fn command() -> clap::Command {
    let command = Cli::command();
    let listed = listed(&command);
    let names: Vec<String> = command.get_subcommands().map(|sub| sub.get_name().to_owned()).collect();
    let with_codes = |command: clap::Command, name: &String| command.mut_subcommand(name, with_exit_codes);
    let template = format!("{{about}}\n{{usage-heading}} {{usage}}\n{listed}{{options}}\n{EXIT_CODES}");
    names.iter().fold(command, with_codes).help_template(template)
}

/// The commands under their headings, each with its one line.
fn listed(command: &clap::Command) -> String {
    let widest = GROUPS.iter().flat_map(|(_, names)| *names).map(|name| name.len()).max().unwrap_or(0);
    let mut text = String::new();
    for (heading, names) in GROUPS {
        text += &format!("{heading}:\n");
        for name in names {
            let about = command.find_subcommand(name).and_then(clap::Command::get_about);
            text += &format!("  {name:widest$}  {}\n", about.cloned().unwrap_or_default());
        }
        text.push('\n');
    }
    text
}

fn with_exit_codes(command: clap::Command) -> clap::Command {
    let examples = command.get_after_help().map(|text| format!("{text}\n\n")).unwrap_or_default();
    let names: Vec<String> = command.get_subcommands().map(|sub| sub.get_name().to_owned()).collect();
    let command = command.after_help(format!("{examples}{EXIT_CODES}"));
    names.iter().fold(command, |command, name| command.mut_subcommand(name, with_exit_codes))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn the_command_line_is_sound() {
        command().debug_assert();
    }

    #[test]
    fn each_command_stands_in_one_group_with_one_line() {
        let command = command();
        let visible = command.get_subcommands().filter(|sub| !sub.is_hide_set());
        let named: BTreeSet<&str> = visible.map(clap::Command::get_name).collect();
        let grouped: Vec<&str> = GROUPS.iter().flat_map(|(_, names)| *names).copied().collect();
        assert_eq!(named, grouped.iter().copied().collect());
        assert_eq!(grouped.len(), named.len(), "no command stands in two groups");
        for name in grouped {
            let about = command.find_subcommand(name).unwrap().get_about().unwrap().to_string();
            assert!(about.len() <= 72 && !about.ends_with('.'), "{name}: {about}");
        }
    }

    /// A command and those below it, each with its path.
    fn all(command: &clap::Command, path: &str) -> Vec<(String, clap::Command)> {
        let own = format!("{path} {}", command.get_name());
        let below: Vec<_> = command.get_subcommands().flat_map(|sub| all(sub, &own)).collect();
        std::iter::once((own.clone(), command.clone())).chain(below).collect()
    }

    #[test]
    fn a_short_help_fits_a_screen_and_the_full_one_names_the_exit_codes() {
        for (path, mut command) in all(&command(), "") {
            let short = command.render_help().to_string();
            assert!(short.lines().count() <= 40, "{path}: {} lines\n{short}", short.lines().count());
            let full = command.render_long_help().to_string();
            assert!(full.contains("Exit codes: 0 done; 1 something"), "{path}: {full}");
        }
    }

    #[test]
    fn each_option_says_what_it_does_in_a_line_of_its_own() {
        for (path, command) in all(&command(), "") {
            for argument in command.get_arguments().filter(|argument| !argument.is_hide_set()) {
                let help = argument.get_help().map(ToString::to_string).unwrap_or_default();
                let name = argument.get_id();
                assert!(!help.is_empty(), "{path}: {name} has no help");
                assert!(help.chars().count() <= 110, "{path}: {name}: {help}");
            }
        }
    }
}
