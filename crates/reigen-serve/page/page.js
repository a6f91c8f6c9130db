"use strict";
// Shows what the events tell. Texts go in as text, never as markup.

const at = (id) => document.getElementById(id);
const points = new Map();
const rows = new Map();
let now = 0, heard = Date.now();

const made = (tag, kind, text) => {
  const element = document.createElement(tag);
  if (kind) element.className = kind;
  if (text !== undefined) element.textContent = text;
  return element;
};

// Four digits that count, or those before the point.
const words = (value) => {
  if (value === null) return "–";
  if (typeof value !== "number" || Number.isInteger(value)) return String(value);
  return Math.abs(value) >= 1e4 || Math.abs(value) < 1e-3 ? value.toExponential(3) : String(Number(value.toPrecision(4)));
};

const ago = (nanoseconds) => {
  const seconds = Math.max(0, nanoseconds / 1e9);
  if (seconds < 60) return `${Math.floor(seconds)} s`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min`;
  return `${Math.floor(seconds / 3600)} h ${Math.floor(seconds / 60) % 60} min`;
};

const row = (name, point) => {
  const li = made("li");
  const label = made("span", "name", name);
  const note = made("span", "note");
  const value = made("span", "value");
  label.append(note);
  li.append(label, value);
  const known = { li, note, value, buttons: [] };
  if (point.settable) {
    const box = made("div", "set");
    box.hidden = true;
    // Nothing that moves a machine is one touch away: the buttons come first, and go again.
    const open = made("button", "open", "Set");
    open.type = "button";
    open.setAttribute("aria-label", `Set ${name} by hand`);
    open.addEventListener("click", () => {
      box.hidden = !box.hidden;
      clearTimeout(known.hides);
      known.hides = setTimeout(() => { box.hidden = true; }, 30000);
    });
    li.append(open);
    for (const [text, wanted] of [["On", true], ["Off", false], ["Let go", null]]) {
      const button = made("button", "", text);
      button.type = "button";
      button.setAttribute("aria-label", `${name}: ${text}`);
      button.addEventListener("click", () => set(name, wanted, known));
      known.buttons.push([button, wanted]);
      box.append(button);
    }
    li.append(box);
  }
  const list = typeof point.value === "boolean" || point.value === null && !point.unit ? "bits" : "numbers";
  // By name, also those whose value comes later.
  const after = [...at(list).children].find((other) => other.dataset.name > name);
  li.dataset.name = name;
  at(list).insertBefore(li, after ?? null);
  known.list = list;
  return known;
};

const isBit = (point) => typeof point.value === "boolean";

const draw = (name) => {
  const point = points.get(name);
  let known = rows.get(name);
  // What was not known before may be a number after all.
  if (known && point.value !== null && known.list !== (isBit(point) ? "bits" : "numbers")) {
    known.li.remove();
    known = undefined;
  }
  if (!known) {
    known = row(name, point);
    rows.set(name, known);
  }
  known.value.textContent = isBit(point) ? (point.value ? "on" : "off") : words(point.value);
  known.value.classList.toggle("bit", isBit(point));
  known.value.classList.toggle("on", point.value === true);
  if (!isBit(point) && point.unit) known.value.append(" ", made("span", "unit", point.unit));
  known.li.classList.toggle("stale", point.stale);
  for (const [button, wanted] of known.buttons) {
    button.classList.toggle("chosen", point.set === wanted && wanted !== null);
    button.disabled = wanted === null && point.set === null;
  }
  drawNote(name);
};

const drawNote = (name) => {
  const point = points.get(name), { note } = rows.get(name);
  const notes = [];
  if (point.stale) notes.push("old: no answer from its device");
  if (point.set !== null) notes.push("set by hand");
  // What changes all the time tells nothing by when it did.
  const since = now - point.since_ns;
  if (point.value !== null && (isBit(point) || since > 3e9)) notes.push(`for ${ago(since)}`);
  note.textContent = notes.join(", ");
};

const drawAll = (id, items, make) => {
  const list = at(id);
  list.replaceChildren(...items.map(make));
  const title = list.parentElement.querySelector("h2");
  if (title && list.parentElement.tagName === "SECTION") list.parentElement.hidden = items.length === 0;
};

const filter = () => {
  const wanted = at("search").value.trim().toLowerCase();
  for (const [name, { li }] of rows) li.hidden = !name.toLowerCase().includes(wanted);
  for (const id of ["bits", "numbers"]) {
    at(id).parentElement.hidden = ![...at(id).children].some((li) => !li.hidden);
  }
};

const set = async (name, value, known) => {
  known.buttons.forEach(([button]) => { button.disabled = true; });
  try {
    const answer = await fetch(`/points/${encodeURIComponent(name)}`, { method: "POST", body: JSON.stringify({ value }) });
    if (!answer.ok) known.note.textContent = (await answer.text()).trim();
  } catch {
    known.note.textContent = "not reached: nothing was set";
  }
  setTimeout(() => {
    known.buttons.forEach(([button, wanted]) => { button.disabled = wanted === null && points.get(name).set === null; });
  }, 300);
};

let about = { title: "", drives: false };

const state = () => {
  const quiet = Date.now() - heard > 8000;
  at("state").classList.toggle("lost", quiet);
  at("state").textContent = quiet
    ? `no news for ${ago((Date.now() - heard) * 1e6)}: what stands below is old`
    : `runs for ${ago(now)}, ${about.drives ? "drives its outputs" : "reads only"}`;
};

const heardOf = () => { heard = Date.now(); state(); };

const take = (told) => {
  now = told.time_ns;
  for (const [name, point] of Object.entries(told.points)) {
    points.set(name, point);
    draw(name);
  }
  if (told.problems) {
    drawAll("problems", told.problems, (problem) => made("li", problem.severity, problem.text));
  }
  if (told.links) {
    drawAll("links", Object.entries(told.links), ([name, link]) => {
      const li = made("li");
      const late = link.passes_late ? `, ${link.passes_late} of ${link.passes} passes late` : "";
      const label = made("span", "name", name);
      const lost = link.downs ? `lost ${link.downs} ${link.downs === 1 ? "time" : "times"}` : "never lost";
      label.append(made("span", "note", lost + late));
      li.append(label, made("span", link.online ? "value" : "value gone", link.online ? "answers" : "does not answer"));
      return li;
    });
  }
  filter();
  heardOf();
};

const begin = async () => {
  try {
    const answer = await fetch("/points");
    if (answer.status === 401) return location.reload();
    about = await answer.json();
    at("title").textContent = about.title;
    document.title = about.title;
    take(about);
  } catch { /* The events try again. */ }
  const events = new EventSource("/events");
  events.addEventListener("points", (event) => take(JSON.parse(event.data)));
};

at("search").addEventListener("input", filter);
setInterval(() => {
  if (Date.now() - heard < 8000) now += 1e9;
  for (const name of rows.keys()) drawNote(name);
  state();
}, 1000);
begin();
