// The desk: puts the modules together, and answers clicks, files and keys.
import { act, base, edit, fieldEdit, post, query, refresh, say, state } from "./studio.js";
import { Live } from "./live.js";
import { Picture } from "./picture.js";
import { Ramp } from "./ramp.js";
import { Network } from "./network.js";
import { scrubbing } from "./scrub.js";

/** Chooses a node: its settings come onto the bench. */
function choose(node, look = state.look) {
  const otherLook = look !== state.look;
  state.node = node;
  state.look = look;
  if (otherLook) state.peek = "";
  history.replaceState(null, "", `${base}?${query()}`);
  for (const el of document.querySelectorAll("[data-card]")) el.setAttribute("aria-pressed", el.dataset.card === node);
  if (otherLook) refresh();
  else refresh("bench");
  view();
}

/** Peeks at a node's output in the picture, or returns to the finished picture. */
function peek(node) {
  state.peek = state.peek === node ? "" : node;
  document.getElementById("rim-what").textContent = state.peek ? `Peek: ${titleOf(state.peek)}` : "Finish";
  for (const el of document.querySelectorAll("[data-peek]")) el.setAttribute("aria-pressed", el.dataset.peek === state.peek);
  view();
}

const titleOf = (id) => document.querySelector(`#card-${CSS.escape(id)} b`)?.textContent ?? id;

/** Tells the server what this page looks at. */
function view() {
  const out = document.querySelector(`#box-${CSS.escape(state.peek || "none")} [data-out]`);
  live.view({ ...picture.size(), look: state.look, node: state.node, peek: state.peek && out ? out.dataset.out : "" });
}

async function run(el) {
  const answer = await edit([JSON.parse(el.dataset.edit)]);
  if (!answer) return;
  if ("thenNode" in el.dataset) {
    document.getElementById("search").close();
    state.node = answer.created;
    state.since = answer.version;
    refresh("network", "bench");
    view();
  }
  if ("thenLook" in el.dataset && answer.created) choose("", answer.created);
  if ("thenFrame" in el.dataset) frame();
}

const frame = () => edit([{ op: "camera.frame", aspect: picture.aspect() }]);

async function move(way) {
  await post(`${base}/${way}`, "");
}

async function bringIn(files) {
  const list = [...files];
  if (!list.length) return;
  const look = list.length === 1 && /\.json$/i.test(list[0].name);
  const form = new FormData();
  if (look) form.append("look", list[0]);
  else {
    for (const f of list) form.append("files", f, f.name);
    form.append("look", state.look);
    form.append("aspect", picture.aspect());
    say(`Bringing in ${list[0].name}…`);
  }
  const answer = await post(`${base}/${look ? "look" : "models"}`, form);
  if (!answer) return;
  if (look) choose("", answer.created);
  else if (!answer.notes?.length) say(`${list[0].name} is on the stage.`);
}

function tab(name) {
  for (const t of document.querySelectorAll("[data-tab]")) {
    const on = t.dataset.tab === name;
    t.setAttribute("aria-selected", on);
    document.getElementById(t.dataset.tab).hidden = !on;
  }
}

const dialog = document.getElementById("search");
const searchText = document.getElementById("search-text");
let searchContext = {};

/** Opens the search; context may hold from (an output) or to (an input). */
function search(context = {}) {
  searchContext = context;
  const where = document.getElementById("search-where");
  where.textContent = context.to ? "It goes into the wire, or feeds the input." : context.from ? "It reads what you pulled from." : "";
  searchText.value = "";
  dialog.showModal();
  searchText.focus();
  find();
}

async function find() {
  const q = new URLSearchParams({ look: state.look, q: searchText.value, from: searchContext.from ?? "", to: searchContext.to ?? "" });
  await htmx.ajax("GET", `${base}/search?${q}`, { source: "#results", target: "#results", swap: "innerHTML" });
  dialog.querySelector(".result")?.setAttribute("aria-selected", "true");
}

searchText.addEventListener("input", find);
dialog.addEventListener("keydown", (e) => {
  const all = [...dialog.querySelectorAll(".result")];
  const at = all.findIndex((r) => r.getAttribute("aria-selected") === "true");
  if (e.key === "ArrowDown" || e.key === "ArrowUp") {
    e.preventDefault();
    const next = all[Math.max(0, Math.min(all.length - 1, at + (e.key === "ArrowDown" ? 1 : -1)))];
    all.forEach((r) => r.setAttribute("aria-selected", r === next));
    next?.scrollIntoView({ block: "nearest" });
  } else if (e.key === "Enter") {
    e.preventDefault();
    all[at]?.click();
  }
});

// --- events that panels raise ---

document.addEventListener("click", (e) => {
  const el = e.target.closest("[data-edit],[data-move],[data-tab],[data-look-tab],[data-peek],[data-frame],[data-sun]");
  if (!el) return;
  const d = el.dataset;
  if (d.edit) run(el);
  else if (d.move) move(d.move);
  else if (d.tab) tab(d.tab);
  else if (d.lookTab) {
    e.preventDefault();
    choose("", d.lookTab);
  } else if (d.peek) peek(d.peek);
  else if (d.sun) {
    state.sun = d.sun;
    picture.showSun();
    refresh("stage");
  } else frame();
});

document.addEventListener("change", async (e) => {
  const el = e.target;
  if (el.matches("[data-model]")) {
    bringIn(el.files);
    el.value = "";
  } else if (el.matches("[data-look-file]")) {
    bringIn(el.files);
    el.value = "";
  } else if (el.matches("[data-solid]") && el.value) {
    await edit([{ op: "model.add", kind: el.value, look: state.look }, { op: "camera.frame", aspect: picture.aspect() }]);
  } else if (el.matches("[data-wire-in]")) {
    const option = el.selectedOptions[0];
    const to = el.dataset.wireIn;
    if (el.value === "" && !("many" in el.dataset)) await edit([{ op: "unwire", look: state.look, to }]);
    else if (el.value && "wired" in option.dataset) await edit([{ op: "unwire", look: state.look, from: el.value, to }]);
    else if (el.value) await edit([{ op: "wire", look: state.look, from: el.value, to }]);
    refresh("bench", "network");
  } else if (el.matches("[data-twin]")) {
    const hex = el.nextElementSibling;
    hex.value = el.value;
    hex.dispatchEvent(new Event("change", { bubbles: true }));
  }
});

// A colour being picked is drawn while the hand moves.
document.addEventListener("input", (e) => {
  if (!e.target.matches("[data-twin]")) return;
  const hex = e.target.nextElementSibling;
  hex.value = e.target.value;
  live.tryEdits([fieldEdit(hex, e.target.value)]);
});

document.addEventListener("htmx:after:request", (e) => {
  const ctx = e.detail.ctx;
  if (ctx.request.method.toUpperCase() !== "POST") return;
  live.drop();
  const raw = ctx.response.raw ?? ctx.response;
  if (!raw.ok) {
    Promise.resolve(ctx.text ?? raw.text?.()).then((t) => {
      try {
        say(JSON.parse(t).error, true);
      } catch {
        say("That could not be done.", true);
      }
      refresh();
    });
  }
});
document.addEventListener("htmx:error", (e) => {
  if (e.detail?.error instanceof TypeError) say("The studio does not answer, so this was not stored. Try again in a moment.", true);
});

// Files dropped anywhere.
const drop = document.getElementById("drop");
document.addEventListener("dragover", (e) => {
  e.preventDefault();
  if ([...e.dataTransfer.types].includes("Files")) drop.hidden = false;
});
document.addEventListener("dragleave", (e) => {
  if (!e.relatedTarget) drop.hidden = true;
});
document.addEventListener("drop", (e) => {
  e.preventDefault();
  drop.hidden = true;
  bringIn(e.dataTransfer.files);
});

// --- keys ---

document.addEventListener("keydown", (e) => {
  const typing = e.target.matches("input:not([type=color]),select,textarea") || dialog.open;
  const key = e.key.toLowerCase();
  if ((e.ctrlKey || e.metaKey) && (key === "z" || key === "y")) {
    e.preventDefault();
    move(key === "y" || e.shiftKey ? "redo" : "undo");
    return;
  }
  if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
  const go = {
    "/": () => search(),
    t: () => picture.tool("turn"),
    g: () => picture.tool("pan"),
    z: () => picture.tool("zoom"),
    l: () => picture.tool("light"),
    f: frame,
    p: () => peek(state.node),
    1: () => tab("network"),
    2: () => tab("stage"),
    v: () => document.getElementById("picture").focus(),
    b: () => document.querySelector("#bench input, #bench button")?.focus(),
    n: () => (tab("network"), document.querySelector(`#card-${CSS.escape(state.node)}`)?.focus()),
    "[": () => step(-1),
    "]": () => step(1),
  }[key];
  if (go) {
    e.preventDefault();
    go();
  }
});

function step(by) {
  const tabs = [...document.querySelectorAll("[data-look-tab]")];
  const at = tabs.findIndex((t) => t.dataset.lookTab === state.look);
  const next = tabs[(at + by + tabs.length) % tabs.length];
  if (next) choose("", next.dataset.lookTab);
}

document.getElementById("add").addEventListener("click", () => search());

// --- the other modules ---

Object.assign(act, { choose, peek, search });

const live = new Live(base, {
  stored(m) {
    if (m.version === state.version) return;
    state.version = m.version;
    // Where the camera alone has moved, the picture comes first.
    if (m.panels.length > 2) refresh(...m.panels);
    else setTimeout(() => refresh(...m.panels), 200);
  },
  problem: (m) => say(m.error, true),
  tones: (m) => ramp.tones(m),
  frame: (f) => picture.frame(f),
  cards: (list) => network.cards(list),
  ball: (size, pixels) => picture.ball(size, pixels),
  lost: (is) => (document.getElementById("lost").hidden = !is),
  again: view,
});

const picture = new Picture(live, view);
const ramp = new Ramp(live);
const network = new Network();
scrubbing(live);
document.addEventListener("htmx:after:swap", () => {
  ramp.attach();
  network.attach();
  picture.showSun();
  // Where the chosen node is gone, or none was named, the server chose another.
  const net = document.getElementById("net");
  if (net && Number(net.dataset.version) >= state.since && !document.getElementById(`card-${state.node}`)) {
    state.node = net.dataset.node;
    view();
  }
  for (const t of document.querySelectorAll("[data-look-tab]")) {
    if (t.dataset.lookTab === state.look) t.setAttribute("aria-current", "page");
    else t.removeAttribute("aria-current");
  }
});
window.mobanta = { state, live, picture }; // for tests and the curious
