// The dialogs: adding and replacing nodes by search, choosing what feeds an input,
// starting points. Lists come from the server; what each entry would do is shown
// as a small picture.
import { act, base, edit, query, say, state } from "./studio.js";

const search = document.getElementById("search"), searchText = document.getElementById("search-text");
const picker = document.getElementById("picker"), pickerText = document.getElementById("picker-text");
const starts = document.getElementById("starts"), bench = document.getElementById("bench");
const pictures = new Map(); // name → ImageData
let live = null, context = {}, target = "";

const turns = {}; // list → number of the last wish

/** Fetches a list; tells whether it is the one that was wished for last. */
async function get(path, more, to) {
  const turn = (turns[to] = (turns[to] ?? 0) + 1);
  const res = await fetch(`${base}/${path}?${query(more)}`).catch(() => null);
  const text = await res?.text();
  if (turn !== turns[to]) return false;
  if (!res?.ok) {
    say("The studio does not answer. Try again in a moment.", true);
    return false;
  }
  const list = document.getElementById(to);
  list.innerHTML = text;
  list.dataset.of = more.q ?? "";
  return true;
}

/** Asks for pictures of what the entries of a list would do. */
function preview(root) {
  const items = [];
  for (const el of root.querySelectorAll("[data-tried]:not(.pale)")) {
    const name = el.dataset.tried;
    const edits = el.dataset.edit ? [JSON.parse(el.dataset.edit)] : [{ op: "look.replace", look: state.look, kind: el.dataset.start }];
    items.push({ name, edits });
  }
  paint(root);
  live.ask({ t: "previews", items: items.filter((i) => !pictures.has(i.name)) });
}

function paint(root) {
  for (const c of root.querySelectorAll("canvas[data-try]")) {
    const p = pictures.get(c.dataset.try);
    if (p) c.getContext("2d").putImageData(p, 0, 0);
  }
}

/** Takes pictures that have come. */
export function tried(list) {
  for (const c of list) pictures.set(c.name, new ImageData(c.pixels, c.w, c.h));
  for (const d of [search, starts]) if (d.open) paint(d);
  paint(bench);
}

/** Asks anew for pictures of what the bench offers in pictures; the old ones stand until they come. */
export function offers() {
  if (anyOpen() || !bench.querySelector("[data-tried]")) return;
  for (const el of bench.querySelectorAll("[data-tried]")) pictures.delete(el.dataset.tried);
  preview(bench);
}

/** Opens the search; what may hold from (an output), to (an input) or replace (a node). */
export function openSearch(what = {}) {
  context = what;
  pictures.clear();
  document.getElementById("search-where").textContent = what.replace
    ? "It takes the node's place; wires and values stay where they fit."
    : what.to ? "It goes into the wire, or feeds the input." : what.from ? "It reads what you pulled from." : state.node ? "What fits goes behind the chosen node; with Shift it is added beside the network." : "";
  searchText.value = what.words ?? "";
  document.getElementById("results").replaceChildren(); // what was found for something else is not to be taken
  search.showModal();
  searchText.focus();
  find();
}

async function find() {
  if (!(await get("search", { q: searchText.value, from: context.from ?? "", to: context.to ?? "", replace: context.replace ?? "" }, "results"))) return;
  search.querySelector(".result")?.setAttribute("aria-selected", "true");
  preview(search);
}

/** Opens the list of what could feed an input. */
export function openPicker(to) {
  target = to;
  pickerText.value = "";
  document.getElementById("picks").replaceChildren();
  picker.showModal();
  pickerText.focus();
  sources();
}

async function sources() {
  if (!(await get("sources", { to: target, q: pickerText.value }, "picks"))) return;
  act.paint(picker);
  (picker.querySelector(".pick.is-wired") ?? picker.querySelector(".pick"))?.setAttribute("aria-selected", "true");
}

export async function openStarts() {
  pictures.clear();
  if (!starts.open) starts.showModal();
  if (!(await get("starts", {}, "starts-list"))) return;
  preview(starts);
  starts.querySelector("button")?.focus();
}

export const anyOpen = () => Boolean(document.querySelector("dialog[open]"));

export function close() {
  for (const d of [search, picker, starts]) d.close();
}

/** Arrows and Enter choose from a list while its text field has the focus. */
function list(dialog, entry) {
  dialog.addEventListener("keydown", (e) => {
    const all = [...dialog.querySelectorAll(entry)];
    const at = all.findIndex((r) => r.getAttribute("aria-selected") === "true");
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      e.preventDefault();
      const next = all[Math.max(0, Math.min(all.length - 1, at + (e.key === "ArrowDown" ? 1 : -1)))];
      all.forEach((r) => r.setAttribute("aria-selected", r === next));
      next?.scrollIntoView({ block: "nearest" });
    } else if (e.key === "Enter") {
      e.preventDefault();
      const one = document.activeElement.matches(entry) ? document.activeElement : all[at];
      one?.dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey: e.shiftKey }));
    }
  });
}

export function dialogs(line) {
  live = line;
  list(search, ".result");
  list(picker, ".pick");
  searchText.addEventListener("input", find);
  pickerText.addEventListener("input", sources);
  picker.addEventListener("click", (e) => {
    const add = e.target.closest("[data-add-to]");
    if (!add) return;
    picker.close();
    openSearch({ to: add.dataset.addTo, words: pickerText.value });
  });
  starts.addEventListener("click", async (e) => {
    const take = e.target.closest("[data-start]");
    if (!take) return;
    starts.close();
    if (e.shiftKey) {
      const answer = await edit([{ op: "look.add", kind: take.dataset.start }]);
      if (answer) act.choose("", { look: answer.created });
      return;
    }
    const answer = await edit([{ op: "look.replace", look: state.look, kind: take.dataset.start, name: take.dataset.name }]);
    if (answer) act.choose("", { fresh: true });
  });
  for (const d of [search, picker, starts]) d.addEventListener("click", (e) => e.target === d && d.close());
}

