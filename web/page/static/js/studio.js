// What all modules of the desk share: what is chosen, how edits are sent, how the
// page says things.

const body = document.body;

/** What is chosen on this page; everything else lives on the server. */
export const state = {
  project: body.dataset.project,
  look: body.dataset.look,
  path: body.dataset.path, // of the group that is open
  group: body.dataset.group, // its id
  node: body.dataset.node,
  selected: new Set(), // nodes chosen beside the one
  light: body.dataset.inHand,
  peek: "", // "node.port"
  plate: "", // the ink whose plate is shown alone
  before: false, // whether the picture is shown before its grade
  other: "", // the look that is compared with
  was: "", // the look that was open before
  version: Number(body.dataset.version),
  since: 0, // the version from which on the chosen node exists
};

export const base = `/p/${state.project}`;
export const query = (more = {}) => new URLSearchParams({ look: state.look, path: state.path, node: state.node, light: state.light, ...more }).toString();

/** The network that is open, as edits name it. */
export const where = () => (state.group ? { group: state.group } : { look: state.look });

/** The nodes that an action is about. */
export const chosen = () => (state.selected.size ? [...state.selected] : state.node ? [state.node] : []);

/** Says something in a line at the foot of the page. */
let saidTimer = 0;
export function say(text, bad = false, is = null) {
  holds = is;
  const el = document.getElementById("said");
  el.textContent = text;
  el.classList.toggle("bad", bad);
  el.hidden = false;
  clearTimeout(saidTimer);
  saidTimer = setTimeout(() => (el.hidden = true), bad ? 9000 : 5000);
}

/** Takes a message away that holds no more: is, as it was said, is false by now. */
let holds = null;
export function unsay() {
  if (holds && !holds()) {
    document.getElementById("said").hidden = true;
    holds = null;
  }
}

const all = ["network", "top", "list", "front", "colours", "bench", "stage", "stagings", "hint", "worn", "time"];
const stale = new Set(["list", "front", "colours", "stage", "stagings"]); // panels that are hidden and not true, or not there yet

/** Fetches panels anew; fields keep their focus, pictures stay. Hidden ones wait until they
 * are shown. The network is what the eye is on: it has the server first, the others share it. */
export async function refresh(...names) {
  const wanted = names.length ? names : all;
  for (const name of wanted) stale.add(name);
  if (wanted.includes("network")) await freshen("network");
  for (const name of wanted) freshen(name);
}

const underway = new Map(); // panel → whether it is wanted once more

/** Has fields say what the document says: an element that stays keeps what was typed into it once, whatever its markup holds
 * now. What is being typed, and a formula that is not right yet, are left. */
function settle(panel, slip) {
  for (const el of panel.querySelectorAll("input, textarea, select")) {
    if (el === document.activeElement || el.type === "file" || (slip && el.dataset.formula === slip)) continue;
    if (el.type === "checkbox" || el.type === "radio") el.checked = el.defaultChecked;
    else if (el.localName === "select") {
      const at = [...el.options].findIndex((o) => o.defaultSelected);
      if (at >= 0 && el.selectedIndex !== at) el.selectedIndex = at;
    } else if (el.value !== el.defaultValue) el.value = el.defaultValue;
  }
}

/** Fetches one panel; while that is under way, a further wish waits for its end. */
async function fetchPanel(name) {
  if (underway.has(name)) return underway.set(name, true);
  underway.set(name, false);
  const el = document.getElementById(name);
  try {
    const res = await fetch(`${base}/panel/${name}?${query()}`, name === "network" ? { headers: { "X-Cards": stamps() } } : {});
    const text = await res.text();
    if (!res.ok) return;
    if (name === "network") patch(el, text);
    else {
      const slip = document.getElementById("formula-says")?.classList.contains("bad") ? document.getElementById("formula").dataset.formula : "";
      await htmx.swap({ text, target: el, swap: "innerMorph", sourceElement: el });
      settle(el, slip);
    }
  } catch {
    // The studio is gone; the line to it says so, and all is fetched when it is back.
  } finally {
    const again = underway.get(name);
    underway.delete(name);
    if (again) fetchPanel(name);
  }
}

/** The cards and wires that the page has, with the stamps of their content. */
const stamps = () => [...document.querySelectorAll("#net > .card-box, #net .wire")].map((el) => `${el.id.slice(4) || el.dataset.stamp}=${el.dataset.stamp}`).join(" ");

let later = 0;

/** Brings the network up to date card by card: of a large one little changes with an edit. */
function patch(panel, text) {
  const next = new DOMParser().parseFromString(text, "text/html").body;
  const net = panel.querySelector("#net"), now = next.querySelector("#net");
  const swapped = () => panel.dispatchEvent(new CustomEvent("htmx:after:swap", { bubbles: true }));
  clearTimeout(later); // what had not come yet is not among the stamps, so it comes now
  if (!net) {
    // The cards in view first, then the others, empty until they are looked at.
    const sheet = next.querySelector("#net"), cards = [...(sheet?.children ?? [])];
    sheet?.replaceChildren();
    panel.replaceChildren(...next.children);
    swapped(); // the empty sheet is brought to its scale
    const scroll = panel.querySelector("#net-scroll");
    const inView = (el) => !(parseInt(el.style.left) > scroll.clientWidth * 1.3 || parseInt(el.style.top) > scroll.clientHeight * 1.3);
    const others = cards.filter((el) => !inView(el));
    for (const el of others) if (el.matches(".card-box")) el.classList.add("is-far");
    sheet?.append(...cards.filter(inView));
    htmx.process(panel);
    swapped();
    later = setTimeout(() => {
      sheet?.append(...others);
      swapped();
    }, 60);
    return;
  }
  for (const part of [".net-head", ".net-note"]) {
    const a = panel.querySelector(part), b = next.querySelector(part);
    if (a?.outerHTML === b?.outerHTML) continue;
    if (!a) panel.querySelector("#net-scroll").before(b);
    else if (!b) a.remove();
    else if (!a.contains(document.activeElement)) a.replaceWith(b);
    if (b?.isConnected) htmx.process(b);
  }
  const keep = new Map([...net.children].filter((el) => el.id).map((el) => [el.id, el]));
  const focus = document.activeElement?.id;
  for (const el of [...now.children]) {
    if (!el.id) continue;
    const old = keep.get(el.id);
    keep.delete(el.id);
    if ("same" in el.dataset || old?.outerHTML === el.outerHTML) continue;
    if (!old) {
      net.append(el);
      continue;
    }
    // A card that has only moved stays the element that it is, under the pointer or in focus.
    const moved = el.dataset.content && old.dataset.content === el.dataset.content;
    for (const a of el.attributes) old.setAttribute(a.name, a.value);
    if (!moved) old.replaceChildren(...el.childNodes);
  }
  for (const el of keep.values()) el.remove();
  patchWires(net.querySelector("svg.wires"), now.querySelector("svg.wires"));
  net.style.width = now.style.width;
  net.style.height = now.style.height;
  net.dataset.w = now.dataset.w;
  net.dataset.h = now.dataset.h;
  if (focus && document.activeElement?.id !== focus) document.getElementById(focus)?.focus({ preventScroll: true });
  swapped();
}

/** Brings the wires up to date: those that run as before stay, for the browser styles anew
 * whatever is new to it. */
function patchWires(old, now) {
  for (const a of now.attributes) if (old.getAttribute(a.name) !== a.value) old.setAttribute(a.name, a.value);
  const keep = new Map();
  for (const el of [...old.children]) el.matches(".wire") ? keep.set(el.dataset.stamp, el) : el.remove();
  const frames = [];
  for (const el of [...now.children]) {
    if (el.matches(".frame")) frames.push(el);
    else if (!keep.delete(el.dataset.stamp)) old.append(el);
  }
  old.prepend(...frames); // under the wires
  for (const el of keep.values()) el.remove();
}

/** Whether a panel that has just come is old already, since it is wanted once more. */
export const outdated = (name) => underway.get(name) === true || stale.has(name);

/** Brings a panel up to date that is not, if it is shown. */
export function freshen(name) {
  if (!stale.has(name) || document.getElementById(name).hidden) return;
  stale.delete(name);
  return fetchPanel(name);
}

/** Sends edits as one revision; answers with what the server said, or null. */
export async function edit(edits) {
  return post(`${base}/edit`, JSON.stringify({ edits }), { "Content-Type": "application/json" });
}

export async function post(url, data, headers = {}) {
  let res;
  try {
    res = await fetch(url, { method: "POST", body: data, headers: { Accept: "application/json", ...headers } });
  } catch {
    say("The studio does not answer, so this was not stored. Try again in a moment.", true);
    return null;
  }
  const answer = await res.json().catch(() => ({ error: "The studio gave no answer that could be read." }));
  if (!res.ok) {
    say(answer.error, true);
    return null;
  }
  if (answer.notes?.length) say(answer.notes.join(" "));
  return answer;
}

/** The edit that a field with hx-vals stands for, with a value in it. */
export function fieldEdit(input, value) {
  const v = JSON.parse(input.getAttribute("hx-vals"));
  if (v.field) {
    v.value = { [v.field]: value };
    delete v.field;
  } else v.value = value;
  delete v.as;
  return v;
}

/** What one module does for the others; the desk fills it in. */
export const act = {};
