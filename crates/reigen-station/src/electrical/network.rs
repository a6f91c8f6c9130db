//! A network of resistors and sources, solved by its nodes.
//!
//! Kirchhoff's law at each node whose voltage is not known: the currents into it add up to nothing. The network is a
//! form without values; a corner gives the values, so that one form serves all corners.

/// A quantity of a network by its number: its value at a corner is `values[number]`.
pub(super) type QuantityId = usize;

/// An end of a branch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum End {
    /// 0 V.
    Ground,
    /// A known voltage.
    Rail(QuantityId),
    /// A node whose voltage is looked for.
    Node(usize),
}

/// What a branch does between its ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Element {
    /// A resistor of so many ohms.
    Resistor(QuantityId),
    /// A closed switch that loses so many volts from the first end to the second.
    Drop(QuantityId),
    /// A current in amperes from the first end to the second, whatever the voltage.
    Source(QuantityId),
    /// The same of an open output, which cannot lift its second end above its first.
    Leak(QuantityId),
}

/// A branch of a network.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Branch<T> {
    pub(super) from: End,
    pub(super) to: End,
    pub(super) element: Element,
    /// What it is, for whoever built the network.
    pub(super) role: T,
}

/// A network without values.
#[derive(Debug, Clone)]
pub(super) struct Network<T> {
    pub(super) nodes: usize,
    pub(super) branches: Vec<Branch<T>>,
}

/// The resistance of a closed switch and of a wire without a length: too small to matter, and not zero.
pub(super) const CLOSED_OHMS: f64 = 1e-5;

impl<T: Copy> Network<T> {
    pub(super) fn new() -> Self {
        Self { nodes: 0, branches: Vec::new() }
    }

    /// A new node.
    pub(super) fn node(&mut self) -> End {
        self.nodes += 1;
        End::Node(self.nodes - 1)
    }

    /// Adds a branch.
    pub(super) fn add(&mut self, from: End, to: End, element: Element, role: T) {
        self.branches.push(Branch { from, to, element, role });
    }

    /// Which nodes no resistor or switch holds to a known voltage.
    pub(super) fn floating(&self) -> Vec<bool> {
        let mut held = vec![false; self.nodes];
        let is_held = |held: &[bool], end: End| match end {
            End::Ground | End::Rail(_) => true,
            End::Node(node) => held.get(node).copied().unwrap_or(false),
        };
        // Each round holds one node at least, or is the last.
        for _ in 0..=self.nodes {
            for branch in &self.branches {
                if matches!(branch.element, Element::Resistor(_) | Element::Drop(_)) {
                    let either = is_held(&held, branch.from) || is_held(&held, branch.to);
                    for end in [branch.from, branch.to] {
                        if let (End::Node(node), true) = (end, either)
                            && let Some(held) = held.get_mut(node)
                        {
                            *held = true;
                        }
                    }
                }
            }
        }
        held.into_iter().map(|held| !held).collect()
    }

    /// Solves the network at a corner. Every node must be held, which [`Network::floating`] tells beforehand.
    pub(super) fn solve(&self, values: &[f64], solution: &mut Solution) {
        solution.solve(self, values);
    }
}

/// The voltages of a network's nodes at one corner; kept from corner to corner for its memory.
#[derive(Debug, Clone, Default)]
pub(super) struct Solution {
    matrix: Vec<f64>,
    volts: Vec<f64>,
    /// Leaks that would lift their second end above the first, by the number of their branch.
    clipped: Vec<usize>,
}

impl Solution {
    /// The voltage at an end.
    pub(super) fn volts(&self, end: End, values: &[f64]) -> f64 {
        match end {
            End::Ground => 0.0,
            End::Rail(quantity) => value(values, quantity),
            End::Node(node) => self.volts.get(node).copied().unwrap_or(f64::NAN),
        }
    }

    /// The current through a branch, from its first end to its second.
    pub(super) fn current<T>(&self, branch: &Branch<T>, values: &[f64]) -> f64 {
        let across = self.volts(branch.from, values) - self.volts(branch.to, values);
        match branch.element {
            Element::Resistor(ohms) => across / value(values, ohms),
            Element::Drop(drop) => (across - value(values, drop)) / CLOSED_OHMS,
            Element::Source(current) | Element::Leak(current) => value(values, current),
        }
    }

    fn solve<T: Copy>(&mut self, network: &Network<T>, values: &[f64]) {
        self.clipped.clear();
        self.solve_once(network, values);
        let over = network.branches.iter().enumerate().filter(|(_, branch)| {
            matches!(branch.element, Element::Leak(_))
                && self.volts(branch.to, values) > self.volts(branch.from, values) + 1e-9
        });
        let clipped: Vec<usize> = over.map(|(number, _)| number).collect();
        if !clipped.is_empty() {
            self.clipped = clipped;
            self.solve_once(network, values);
        }
    }

    fn solve_once<T: Copy>(&mut self, network: &Network<T>, values: &[f64]) {
        let nodes = network.nodes;
        self.matrix.clear();
        self.matrix.resize(nodes * nodes, 0.0);
        self.volts.clear();
        self.volts.resize(nodes, 0.0);
        for (number, branch) in network.branches.iter().enumerate() {
            match branch.element {
                Element::Resistor(ohms) => self.conduct(branch, 1.0 / value(values, ohms), 0.0, values),
                Element::Drop(drop) => self.conduct(branch, 1.0 / CLOSED_OHMS, value(values, drop), values),
                Element::Leak(_) if self.clipped.contains(&number) => {
                    self.conduct(branch, 1.0 / CLOSED_OHMS, 0.0, values);
                }
                Element::Source(current) | Element::Leak(current) => {
                    self.feed(branch.from, -value(values, current));
                    self.feed(branch.to, value(values, current));
                }
            }
        }
        self.eliminate(nodes);
    }

    /// A current into an end, where its voltage is looked for.
    fn feed(&mut self, end: End, current: f64) {
        if let End::Node(node) = end
            && let Some(sum) = self.volts.get_mut(node)
        {
            *sum += current;
        }
    }

    /// A conductance between the ends of a branch, with a voltage lost from the first to the second.
    fn conduct<T>(&mut self, branch: &Branch<T>, siemens: f64, lost: f64, values: &[f64]) {
        let nodes = self.volts.len();
        for (here, there, lost) in [(branch.from, branch.to, lost), (branch.to, branch.from, -lost)] {
            let End::Node(row) = here else { continue };
            let mut add = |column: usize, siemens: f64| {
                if let Some(cell) = self.matrix.get_mut(row * nodes + column) {
                    *cell += siemens;
                }
            };
            add(row, siemens);
            let known = match there {
                End::Node(column) => {
                    add(column, -siemens);
                    0.0
                }
                End::Ground => 0.0,
                End::Rail(quantity) => value(values, quantity),
            };
            self.feed(here, siemens * (known + lost));
        }
    }

    /// Gauss's elimination; such a matrix has its greatest number on the diagonal, so that no rows need be swapped.
    fn eliminate(&mut self, nodes: usize) {
        let (matrix, volts) = (&mut self.matrix, &mut self.volts);
        for pivot in 0..nodes {
            for row in pivot + 1..nodes {
                let factor = matrix[row * nodes + pivot] / matrix[pivot * nodes + pivot];
                if factor == 0.0 {
                    continue;
                }
                for column in pivot..nodes {
                    matrix[row * nodes + column] -= factor * matrix[pivot * nodes + column];
                }
                volts[row] -= factor * volts[pivot];
            }
        }
        for row in (0..nodes).rev() {
            let known: f64 = (row + 1..nodes).map(|column| matrix[row * nodes + column] * volts[column]).sum();
            volts[row] = (volts[row] - known) / matrix[row * nodes + row];
        }
    }
}

fn value(values: &[f64], quantity: QuantityId) -> f64 {
    values.get(quantity).copied().unwrap_or(f64::NAN)
}
