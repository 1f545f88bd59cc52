// What can be done with the chosen nodes: one list, which the keys, the menu and
// the bench all read.
import { act, base, chosen, edit, post, query, say, state, where } from "./studio.js";

let clip = ""; // what was copied last, where the system's clipboard cannot be read

const one = () => state.node;
const many = (op, more = {}) => edit([{ op, ...where(), nodes: chosen(), ...more }]);
const isSection = (id) => Boolean(document.querySelector(`#card-${CSS.escape(id)}[data-section], .frame-name #card-${CSS.escape(id)}`));
const isGroup = (id) => Boolean(document.querySelector(`#card-${CSS.escape(id)}.is-group`));

/** Chooses what an edit has made. */
function made(answer) {
  if (!answer?.created) return answer;
  state.selected.clear();
  for (const id of answer.several?.length > 1 ? answer.several : []) state.selected.add(id);
  state.since = answer.version;
  act.choose(answer.created, { fresh: true });
  return answer;
}

async function copy() {
  const res = await fetch(`${base}/fragment?${query({ nodes: chosen().join(",") })}`, { headers: { Accept: "application/json" } });
  const text = await res.text();
  if (!res.ok) return say(JSON.parse(text).error, true);
  clip = text;
  await navigator.clipboard?.writeText(text).catch(() => {});
  const n = JSON.parse(text).nodes.length;
  say(n === 1 ? "Copied 1 node as text." : `Copied ${n} nodes as text.`);
}

/** Pastes text, or what is on the clipboard. */
export async function paste(text) {
  text ??= (await navigator.clipboard?.readText().catch(() => "")) || clip;
  if (!text) return say("Nothing has been copied yet.", true);
  made(await post(`${base}/paste?${new URLSearchParams(where())}`, text, { "Content-Type": "text/plain" }));
}

/** Name, key as it is shown, whether the key is this one, what it does. */
export const actions = [
  { id: "choose", name: "Settings on the bench", key: "Enter", run: () => act.choose(one()) },
  { id: "peek", name: "Peek at its result", key: "P", run: () => act.peek(one()) },
  { id: "rename", name: "Rename", key: "F2", run: () => act.focus("#node-name") },
  { id: "note", name: "Write a note", key: "K", run: () => act.note() },
  { id: "wire", name: "Choose what feeds it", key: "W", run: () => act.wire(one()) },
  { id: "swap", name: "Swap its two inputs", key: "S", run: () => edit([{ op: "node.swap", ...where(), node: one() }]) },
  { id: "replace", name: "Replace by another kind", key: "R", run: () => act.search({ replace: one() }) },
  { id: "off", name: "Bypass, or take in again", key: "O", run: () => many("node.off") },
  { id: "duplicate", name: "Duplicate with its wires", key: "D", run: async () => made(await many("node.duplicate", { value: true })) },
  { id: "duplicate-bare", name: "Duplicate without wires", key: "Shift D", run: async () => made(await many("node.duplicate", { value: false })) },
  { id: "copy", name: "Copy as text", key: "Ctrl C", run: copy },
  { id: "paste", name: "Paste", key: "Ctrl V", run: () => paste() },
  { id: "gather", name: "Gather into a section", key: "E", run: async () => made(await many("section.gather")) },
  { id: "unite", name: "Make one node of them, a group", key: "U", run: async () => made(await many("group.make")) },
  { id: "dissolve", name: "Dissolve the group", key: "Shift U", only: isGroup, run: async () => made(await edit([{ op: "group.dissolve", ...where(), node: one() }])) },
  { id: "single", name: "Make this use of the group single", key: "Y", only: isGroup, run: () => edit([{ op: "group.single", ...where(), node: one() }]) },
  { id: "into", name: "Open the group, fold or open the section", key: "I", run: into },
  { id: "out", name: "Back out of the group", key: "Shift I", run: () => act.leave() },
  { id: "pick", name: "Choose this one too", key: "X", run: () => act.toggle(act.focused() ?? one()) },
  { id: "remove", name: "Remove and heal the wires", key: "Delete", run: async () => { await many("node.remove"); state.selected.clear(); } },
];

async function into() {
  const id = act.focused() ?? one();
  if (isSection(id)) return edit([{ op: "section.set", ...where(), id, key: "folded" }]);
  if (isGroup(id)) return act.enter(id);
  const section = document.querySelector(`#card-${CSS.escape(id)}`)?.closest("[data-section-of]")?.dataset.sectionOf;
  if (section) return edit([{ op: "section.set", ...where(), id: section, key: "folded" }]);
  say("This node is no group and no section.");
}

/** The action that a key stands for, or undefined. */
export function actionFor(e) {
  const name = (e.ctrlKey || e.metaKey ? "Ctrl " : "") + (e.shiftKey ? "Shift " : "") + (e.key.length === 1 ? e.key.toUpperCase() : e.key);
  return actions.find((a) => a.key === name);
}

export const run = (id) => actions.find((a) => a.id === id)?.run();

/** Shows the menu of all actions beside an element. */
export function menu(at) {
  const el = document.getElementById("menu");
  el.replaceChildren(
    ...actions
      .filter((a) => !a.only || a.only(one()))
      .map((a) => {
        const b = document.createElement("button");
        b.role = "menuitem";
        b.dataset.act = a.id;
        b.innerHTML = "<span></span><kbd></kbd>";
        b.firstChild.textContent = a.name;
        b.lastChild.textContent = a.key;
        return b;
      }),
  );
  el.showPopover();
  const r = at.getBoundingClientRect(), m = el.getBoundingClientRect();
  el.style.left = `${Math.max(4, Math.min(innerWidth - m.width - 4, r.left))}px`;
  el.style.top = `${Math.max(4, Math.min(innerHeight - m.height - 4, r.bottom + 4))}px`;
  el.firstChild?.focus();
}

document.getElementById("menu").addEventListener("keydown", (e) => {
  const all = [...e.currentTarget.children], at = all.indexOf(document.activeElement);
  const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: all.length - 1 }[e.key];
  if (to === undefined) return;
  e.preventDefault();
  e.stopPropagation();
  all[(to + all.length) % all.length].focus();
});
