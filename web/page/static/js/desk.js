// The desk: puts the modules together, and answers clicks, files and keys.
import { act, base, chosen, edit, fieldEdit, freshen, outdated, post, query, refresh, say, state, where } from "./studio.js";
import { Live } from "./live.js";
import { Loupe } from "./loupe.js";
import { Picture } from "./picture.js";
import { Ramps } from "./ramp.js";
import { Network } from "./network.js";
import { scrubbing } from "./scrub.js";
import { actionFor, menu, paste, run as runAction } from "./actions.js";
import { anyOpen, close, dialogs, offers, openPicker, openSearch, openStarts, tried } from "./dialogs.js";
import { dragging } from "./lists.js";
import { commandFor, showKeys } from "./keys.js";
import { formulas } from "./formula.js";
import { closeTrail, showTrail } from "./trail.js";
import { Time } from "./time.js";
import { checks, paintChecks, toggleChecks } from "./checks.js";

const $ = (id) => document.getElementById(id);

/** Chooses a node: its settings come onto the bench. */
function choose(node, { look = state.look, fresh = false, quiet = false } = {}) {
  const moved = look !== state.look;
  state.node = node;
  if (moved) go(look, "", "");
  address();
  network.mark();
  if (quiet) return view();
  if (moved || fresh) refresh(...(moved ? [] : ["network", "list", "bench", "front", "colours"]));
  else refresh("bench", ...(state.group ? ["front"] : []));
  view();
}

/** Turns to another network: a look, or a group within it. */
function go(look, path, group) {
  if (look !== state.look) state.was = state.look;
  state.look = look;
  state.path = path;
  state.group = group;
  state.peek = "";
  state.selected.clear();
  network.forget();
  fresh = true;
  rim();
}

const address = () => history.replaceState(null, "", `${base}?${query()}`);

/** Takes a light in hand: the one that is dragged, and that the ball shows. */
function takeLight(id) {
  state.light = id;
  picture.showLight();
  address();
  refresh("stage");
}

/** Opens the group that a node stands for. */
function enter(id) {
  path(state.path ? `${state.path}/${id}` : id);
}

function path(to) {
  go(state.look, to, state.group);
  state.node = "";
  address();
  refresh("network", "list", "front", "bench");
  view();
}

function leave() {
  if (!state.path) return say("This is the look itself: there is nothing to leave.");
  const steps = state.path.split("/"), from = steps.pop();
  path(steps.join("/"));
  state.node = from;
}

/** Peeks at an output in the picture, or returns to the finished picture. */
function peek(what) {
  const ref = what.includes(".") ? what : document.querySelector(`#box-${CSS.escape(what)} img[data-picture]`)?.dataset.picture;
  if (!ref || ref.endsWith(".")) state.peek = "";
  else state.peek = state.peek === ref ? "" : ref;
  rim();
  view();
}

function rim() {
  const [node, port] = state.peek.split(".");
  const title = document.querySelector(`#card-${CSS.escape(node || "none")} b`)?.textContent ?? node;
  const range = network.ranges.get(state.peek);
  const values = range && (range[0] || range[1]) ? `, ${network.round(range[0])} to ${network.round(range[1])}` : "";
  $("rim-what").textContent = state.peek ? `Peek: ${title}, ${port}${values}` : state.plate ? `Plate: ${document.querySelector(`[data-plate="${CSS.escape(state.plate)}"]`)?.dataset.name ?? state.plate}` : "Finish";
  if (state.before && !state.peek) $("rim-what").textContent = "Before the grade";
  for (const el of document.querySelectorAll("[data-before]")) el.setAttribute("aria-pressed", state.before);
  for (const el of document.querySelectorAll("[data-plate]")) el.setAttribute("aria-pressed", state.plate === el.dataset.plate);
  for (const el of document.querySelectorAll("[data-peek]")) el.setAttribute("aria-pressed", state.peek.startsWith(`${el.dataset.peek}.`));
}

/** Shows the picture before its grade, or with it again. */
function ungraded() {
  state.before = !state.before;
  rim();
  view();
}

let fresh = true; // whether card pictures are wanted anew

/** Tells the server what this page looks at. */
function view() {
  if (!picture) return;
  live.view({ ...picture.size(), look: state.look, path: state.path, node: state.node, peek: state.peek, plate: state.plate, before: state.before, other: state.other, tool: picture.current, fresh });
  fresh = false;
}

async function run(el, loose = false) {
  const d = el.dataset;
  const answer = await edit([JSON.parse((loose && d.loose) || d.edit), ...("withFrame" in d ? [framed()] : [])]);
  if (!answer) return;
  if ("thenNode" in d || "thenClose" in d || "thenFresh" in d) close();
  if ("thenNode" in d) {
    state.since = answer.version;
    choose(answer.created || state.node, { fresh: true });
  } else if ("thenFresh" in d) choose("", answer.created ? { look: answer.created } : { fresh: true });
  else if ("thenClose" in d) refresh("network", "list", "bench");
  else if ("thenLook" in d && answer.created) choose("", { look: answer.created });
  else if ("thenLight" in d && answer.created) {
    takeLight(answer.created);
    refresh("hint");
  }
}

/** Keeps the state that the project is in as a staging, and shows it among the others. */
async function keepStaging() {
  const answer = await edit([{ op: "staging.add" }]);
  if (!answer) return;
  tab("stagings");
  say("Kept as a staging: it can be gone back to by one press.");
}

const framed = () => ({ op: "camera.frame", aspect: picture.aspect() });
const frame = () => edit([framed()]);
const move = (way) => post(`${base}/${way}`, "");

async function bringIn(files) {
  const list = [...files];
  if (!list.length) return;
  const name = list[0].name, only = list.length === 1;
  const form = new FormData();
  if (only && /\.(json|mtlx)$/i.test(name)) {
    form.append("look", list[0]);
    const answer = await post(`${base}/look`, form);
    if (answer) choose("", { look: answer.created });
  } else if (only && /\.(gpl|hex|txt|png)$/i.test(name)) palette(list[0]);
  else {
    for (const f of list) form.append("files", f, f.name);
    form.append("look", state.look);
    form.append("aspect", picture.aspect());
    say(`Bringing in ${name}…`);
    const answer = await post(`${base}/models`, form);
    if (answer && !answer.notes?.length) say(`${name} is on the stage.`);
  }
}

async function palette(file, node = "", ramp = "") {
  const form = new FormData();
  form.append("palette", file);
  const answer = await post(`${base}/palette?${new URLSearchParams(node ? { ...where(), node, ...(ramp && { ramp }) } : {})}`, form);
  if (answer && !node) {
    tab("colours");
    say(`The colours of ${file.name} are among the swatches.`);
  }
}

/** Keeps a picture and puts it where an edit says. */
async function bringPicture(file, change) {
  const form = new FormData();
  form.append("picture", file);
  const answer = await post(`${base}/pictures`, form);
  if (answer) edit([{ ...change, value: answer.hash }]);
}

/** Shows what a remark is about: a light, the stage, or a node. */
function showAt(d) {
  toggleChecks(false);
  if (d.showLight) takeLight(d.showLight);
  if (!d.showNode) return tab("stage");
  jump(d.showNode, d.showPath, d.showLook);
  tab("network");
}

/** Shows a node on the bench that may be in another look, or in a group. */
function jump(node, to, look = state.look) {
  if (to !== state.path || look !== state.look) {
    go(look, to, to ? state.group : "");
    state.node = node;
    address();
    refresh("network", "list", "front", "bench");
    view();
  } else choose(node);
}

function tab(name) {
  for (const t of document.querySelectorAll("[data-tab]")) {
    const on = t.dataset.tab === name;
    t.setAttribute("aria-selected", on);
    $(t.dataset.tab).hidden = !on;
  }
  const came = freshen(name);
  network.paint($(name));
  return came;
}

/** Goes to what is no node: a panel and something on it, a command, or a page. */
async function toPlace(to) {
  close();
  const [, kind, what] = /^(command|page): (.*)$/.exec(to) ?? [];
  if (kind === "command") return what === "starts" ? openStarts() : commands[what]();
  if (kind === "page") return location.assign(what.startsWith("/") ? what : `${base}/${what}`);
  const [panel, ...rest] = to.split(" ");
  await tab(panel);
  const at = rest.length ? $(panel).querySelector(rest.join(" ")) : $(panel);
  at?.scrollIntoView({ block: "start" });
  (at?.matches("a, button, input, select") ? at : at?.querySelector("button, input, select, a"))?.focus({ preventScroll: true });
}

function onlyFront(on = !document.body.classList.contains("only-front")) {
  document.body.classList.toggle("only-front", on);
  if (on) tab("front");
  document.querySelector("[data-only-front]")?.setAttribute("aria-pressed", on);
}

/** The colour field of the bench that is being coloured: the one in hand, or its first. */
const colorField = () => (lastColor?.isConnected && $("bench").contains(lastColor) && !lastColor.closest("[hidden]") ? lastColor : $("bench").querySelector("[data-stop]:not([hidden]) [data-color-of], [data-color-of]"));

/** Gives a colour of the chosen node a swatch: the one in hand, or its first. */
let lastColor = null;
function useSwatch(id) {
  const on = colorField();
  if (!on) return say("The chosen node has no colour that could follow a swatch.", true);
  const v = JSON.parse(on.getAttribute("hx-vals"));
  edit([{ op: "swatch.use", ...where(), node: state.node, key: on.dataset.colorOf, index: v.index ?? 0, id }]);
}

// --- events that panels raise ---

document.addEventListener("click", async (e) => {
  const el = e.target.closest("[data-edit],[data-move],[data-tab],[data-look-tab],[data-peek],[data-plate],[data-frame],[data-keep-staging],[data-light],[data-pick],[data-act],[data-menu],[data-starts],[data-post],[data-path],[data-out-of],[data-go],[data-zoom],[data-only-front],[data-use-swatch],[data-show],[data-wear],[data-before],[data-place],[data-reload]");
  if (!el || el.closest("#net .card-box") === el) return;
  const d = el.dataset;
  if (d.edit) run(el, e.shiftKey);
  else if (d.move) move(d.move);
  else if (d.tab) tab(d.tab);
  else if (d.lookTab) {
    e.preventDefault();
    choose("", { look: d.lookTab });
  } else if (d.peek) peek(d.peek);
  else if (d.plate) {
    state.plate = state.plate === d.plate ? "" : d.plate;
    rim();
    view();
  }
  else if (d.place) toPlace(d.place);
  else if ("reload" in d) location.reload();
  else if ("keepStaging" in d) keepStaging();
  else if ("before" in d) ungraded();
  else if (d.light) takeLight(d.light);
  else if (d.pick) openPicker(d.pick);
  else if (d.act) {
    if ($("menu").contains(el)) $("menu").hidePopover();
    runAction(d.act);
  } else if ("menu" in d) menu(el);
  else if ("starts" in d) openStarts();
  else if (d.post) {
    if ((await post(d.post, "")) && "thenStarts" in d) openStarts();
  } else if ("path" in d && el.matches("button")) path(d.path);
  else if ("outOf" in d) leave();
  else if ("show" in d) showAt(d);
  else if ("wear" in d) edit([{ op: "look.wear", look: state.look, id: state.was }]);
  else if (d.go && "goPath" in d) jump(d.go, d.goPath, d.goLook);
  else if (d.go) choose(d.go);
  else if (d.zoom) zoom(d.zoom);
  else if ("onlyFront" in d) onlyFront();
  else if (d.useSwatch) useSwatch(d.useSwatch);
  else if ("frame" in d) frame();
});

function zoom(way) {
  if (way === "fit") network.fit();
  else network.zoomTo(way === "1" ? 1 : network.zoom * (way === "in" ? 1.2 : 1 / 1.2));
}

document.addEventListener("change", async (e) => {
  const el = e.target;
  if (el.matches("[data-model],[data-look-file]")) {
    bringIn(el.files);
    el.value = "";
  } else if (el.matches("[data-palette]")) {
    if (el.files.length) palette(el.files[0], el.dataset.palette, el.dataset.rampKey);
    el.value = "";
  } else if (el.matches("[data-picture-for]")) {
    if (el.files.length) bringPicture(el.files[0], JSON.parse(el.dataset.pictureFor));
    el.value = "";
  } else if (el.matches("[data-solid]") && el.value) {
    const kind = el.value;
    el.value = "";
    await edit([{ op: "model.add", kind, look: state.look }, framed()]);
  } else if (el.id === "other") {
    state.other = el.value;
    picture.split(el.value && [titleOf(state.look), titleOf(el.value)]);
    view();
  } else if (el.matches("[data-twin]")) {
    const hex = el.nextElementSibling;
    hex.value = el.value;
    hex.dispatchEvent(new Event("change", { bubbles: true }));
  } else if (el.matches("[data-slider]")) {
    const input = el.closest(".dial").querySelector("input.field-value");
    input.value = el.value;
    input.dispatchEvent(new Event("change", { bubbles: true }));
  }
});

const titleOf = (look) => document.querySelector(`[data-look-tab="${CSS.escape(look)}"]`)?.textContent ?? "";

// What the hand is still moving is drawn, not stored.
document.addEventListener("input", (e) => {
  if (e.target.matches("[data-twin]")) {
    const hex = e.target.nextElementSibling;
    hex.value = e.target.value;
    live.tryEdits([fieldEdit(hex, e.target.value)]);
  } else if (e.target.matches("[data-slider]")) {
    const input = e.target.closest(".dial").querySelector("input.field-value");
    input.value = String(Math.round(Number(e.target.value) * 1000) / 1000);
    live.tryEdits([fieldEdit(input, Number(e.target.value))]);
  }
});
document.addEventListener("focusin", (e) => {
  if (e.target.matches?.("[data-color-of]")) lastColor = e.target;
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

// Files dropped anywhere; looks dropped on parts of the picture.
const drop = $("drop");
document.addEventListener("dragstart", (e) => {
  const t = e.target.closest?.("[data-look-tab]");
  if (t) e.dataTransfer.setData("text/x-look", t.dataset.lookTab);
});
document.addEventListener("dragover", (e) => {
  if (dragging()) return;
  const types = [...e.dataTransfer.types];
  if (types.includes("text/x-look") && e.target.closest("#picture")) e.preventDefault();
  if (!types.includes("Files")) return;
  e.preventDefault();
  drop.hidden = false;
});
document.addEventListener("dragleave", (e) => {
  if (!e.relatedTarget) drop.hidden = true;
});
document.addEventListener("drop", (e) => {
  drop.hidden = true;
  const look = e.dataTransfer.getData("text/x-look");
  if (look && e.target.closest("#picture")) {
    e.preventDefault();
    const r = $("picture").getBoundingClientRect();
    live.ask({ t: "wear", look, x: (e.clientX - r.left) / r.height, y: (e.clientY - r.top) / r.height });
  } else if (e.dataTransfer.files.length) {
    e.preventDefault();
    bringIn(e.dataTransfer.files);
  }
});
document.addEventListener("paste", (e) => {
  if (e.target.matches("input,textarea") || anyOpen()) return;
  const text = e.clipboardData.getData("text/plain");
  if (!text) return;
  e.preventDefault();
  paste(text);
});

// --- keys ---

const commands = {
  add: () => openSearch(),
  turn: () => picture.tool("turn"),
  pan: () => picture.tool("pan"),
  zoom: () => picture.tool("zoom"),
  light: () => picture.tool("light"),
  edge: () => picture.tool("edge"),
  ask: () => picture.tool("ask"),
  take: () => picture.tool("pick"),
  checks: () => toggleChecks(),
  save: () => $("deliver").click(),
  frame,
  play: () => time.play(),
  stop: () => time.stop(),
  "frame-back": () => time.back(),
  "frame-on": () => time.forth(),
  "frame-first": () => time.begin(),
  "frame-last": () => time.end(),
  "mark-first": () => time.mark("first"),
  "mark-last": () => time.mark("last"),
  loop: () => time.loop(),
  ungraded: () => ungraded(),
  network: () => tab("network"),
  list: () => tab("list"),
  front: () => tab("front"),
  colours: () => tab("colours"),
  stage: () => tab("stage"),
  stagings: () => tab("stagings"),
  "keep-staging": keepStaging,
  "only-front": () => onlyFront(),
  fit: () => network.fit(),
  find: () => {
    tab("network");
    $("find").focus();
  },
  picture: () => $("picture").focus(),
  magnify: () => loupe.next(),
  bench: () => document.querySelector("#bench input, #bench button")?.focus(),
  cards: () => focusNetwork(),
  menu: () => menu($("bench")),
  larger: () => zoom("in"),
  smaller: () => zoom("out"),
  before: () => step(-1),
  after: () => step(1),
  undo: () => move("undo"),
  redo: () => move("redo"),
  none: () => {
    if (!$("checks").hidden) return toggleChecks(false);
    if (closeTrail()) return;
    state.selected.clear();
    network.mark();
  },
};

// Keys belong to what has the focus first: to fields, dialogs and the menu, then to cards,
// the picture and the ramp, which take theirs before they come here.
document.addEventListener("keydown", (e) => {
  const typing = e.target.matches("input:not([type=color]):not([type=range]),select,textarea");
  if (anyOpen() || e.target.closest("#menu")) return;
  const ctrl = e.ctrlKey || e.metaKey;
  const id = ctrl && e.key.toLowerCase() === "y" ? "redo" : commandFor(e);
  if (typing && e.key === "Escape") e.target.blur();
  if (e.altKey || (typing && !(ctrl && ["undo", "redo", "save"].includes(id)))) return;
  if (commands[id]) {
    e.preventDefault();
    return commands[id]();
  }
  // The canvas and sliders of the picture and the ramp have keys of their own.
  if (e.target.closest("#picture,#ball,#ramp,#scrubber,.curve,[type=range]")) return;
  const a = actionFor(e);
  if (!a || a.id === "choose" || (a.id === "paste" && navigator.clipboard)) return; // the paste event follows
  e.preventDefault();
  a.run();
});

function focusNetwork() {
  if ($("network").hidden && $("list").hidden) tab("network");
  const panel = $("list").hidden ? $("network") : $("list");
  (panel.querySelector(`[data-card="${CSS.escape(state.node)}"]`) ?? panel.querySelector("[data-card]"))?.focus();
}

function step(by) {
  const tabs = [...document.querySelectorAll("[data-look-tab]")];
  const at = tabs.findIndex((t) => t.dataset.lookTab === state.look);
  const next = tabs[(at + by + tabs.length) % tabs.length];
  if (next) choose("", { look: next.dataset.lookTab });
}

$("add").addEventListener("click", () => openSearch());

// --- the other modules ---

Object.assign(act, {
  choose, peek, enter, leave, menu, run: runAction,
  search: openSearch,
  pick: openPicker,
  paint: (root) => network.paint(root),
  focus: (selector) => document.querySelector(selector)?.focus(),
  picked(hex) {
    const on = colorField();
    if (!on) {
      navigator.clipboard?.writeText(hex).catch(() => {});
      return say(`${hex}. The chosen node has no colour to give it to; it is on the clipboard.`);
    }
    on.value = hex;
    on.dispatchEvent(new Event("change", { bubbles: true }));
    say(`Picked ${hex}.`);
  },
  takeLight,
  focused: () => document.activeElement?.closest?.("[data-card]")?.dataset.card,
  note: () => {
    const el = $("node-note");
    el?.closest("details")?.setAttribute("open", "");
    (el?.matches("textarea") ? el : el?.closest("details")?.querySelector("textarea"))?.focus();
  },
  wire: (id) => {
    const first = document.querySelector(`#bench [data-pick^="${CSS.escape(id)}."]`);
    first ? first.focus() : say("It has no inputs.");
  },
  toggle: (id) => {
    if (!state.selected.size && state.node && state.node !== id) state.selected.add(state.node);
    if (!state.selected.delete(id)) state.selected.add(id);
    network.mark();
    const n = state.selected.size;
    say(`${n} chosen.`, false, () => state.selected.size === n);
  },
});

let strip = null; // the chosen node at its true size, as it came last

function paintStrip() {
  const canvas = document.querySelector(`[data-strip="${CSS.escape(strip?.name ?? "")}"]`);
  canvas?.getContext("2d").putImageData(new ImageData(strip.pixels, strip.w, strip.h), 0, 0);
}

const live = new Live(base, {
  stored(m) {
    if (m.version === state.version) return;
    state.version = m.version;
    time.stored();
    // Where the camera alone has moved, the picture comes first.
    if (m.panels.length > 2) refresh(...m.panels);
    else setTimeout(() => refresh(...m.panels), 200);
  },
  problem: (m) => say(m.error, true),
  doing: (m) => picture.doing(m.text),
  play: (m) => time.told(m),
  lamps: (m) => picture.lamps(m.list ?? []),
  trail: showTrail,
  checks,
  tones: (m) => ramp.tones(m),
  frame(f) {
    picture.frame(f);
    loupe.show();
  },
  cards(list) {
    network.cards(list);
    if (state.peek) rim();
  },
  tried,
  strip(list) {
    strip = list[0];
    paintStrip();
  },
  ball: (size, pixels) => picture.ball(size, pixels),
  lost: (is) => ($("lost").hidden = !is || !$("gone").hidden),
  gone: () => ($("gone").hidden = !($("lost").hidden = true)),
  program: (m) => ($("older").hidden = m.is === document.body.dataset.program),
  again(after) {
    fresh = true;
    time.set(false);
    if (after) refresh(); // what was asked for while the studio was gone never came
    view();
    offers();
  },
});

const network = new Network();
const picture = new Picture(live, view);
const loupe = new Loupe(picture);
const time = new Time(live, picture);
const ramp = new Ramps(live);
scrubbing(live);
formulas(live);
dialogs(live);
showKeys(document);
document.addEventListener("htmx:after:swap", (e) => {
  showKeys(e.target);
  if (e.target.id === "bench") {
    ramp.attach();
    paintStrip();
    offers();
  }
  if (e.target.id === "top") paintChecks();
  if (e.target.id === "network" || e.target.id === "list") network.attach(e.target);
  if (e.target.id === "hint") picture.showLight();
  if (e.target.id === "stage") rim();
  if (e.target.id === "stage" || e.target.id === "time") time.attach();
  // Where the chosen node is gone, or none was named, the server chose another;
  // it also knows which group is open.
  const on = $("bench-of");
  if (on && e.target.id === "bench" && !outdated("bench") && Number(on.dataset.version) >= state.since) {
    state.path = on.dataset.path;
    state.group = on.dataset.group;
    if (state.node !== on.dataset.node) {
      state.node = on.dataset.node;
      network.mark();
      view();
    }
    const there = on.dataset.nodes.split(" ");
    for (const id of state.selected) if (!there.includes(id)) state.selected.delete(id);
  }
  for (const t of document.querySelectorAll("[data-look-tab]")) {
    if (t.dataset.lookTab === state.look) t.setAttribute("aria-current", "page");
    else t.removeAttribute("aria-current");
  }
});

if ($("net")) network.attach($("network"));
else refresh("network"); // a large one comes after the page

window.mobanta = { state, live, picture, time, network, chosen }; // for tests and the curious
