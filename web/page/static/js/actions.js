// What can be done with the chosen nodes: one list, which the keys, the menu and
// the bench all read.
import { commandFor, keyOf } from "./keys.js";
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

/** What can be done; the keys are those of the commands of that id. */
export const actions = [
  { id: "choose", name: "Settings on the bench", run: () => act.choose(one()) },
  { id: "peek", name: "Peek at its result", run: () => act.peek(one()) },
  { id: "rename", name: "Rename", run: () => act.focus("#node-name") },
  { id: "note", name: "Write a note", run: () => act.note() },
  { id: "wire", name: "Choose what feeds it", run: () => act.wire(one()) },
  { id: "swap", name: "Swap its two inputs", run: () => edit([{ op: "node.swap", ...where(), node: one() }]) },
  { id: "replace", name: "Replace by another kind", run: () => act.search({ replace: one() }) },
  { id: "off", name: "Bypass, or take in again", run: () => many("node.off") },
  { id: "duplicate", name: "Duplicate with its wires", run: async () => made(await many("node.duplicate", { value: true })) },
  { id: "duplicate-bare", name: "Duplicate without wires", run: async () => made(await many("node.duplicate", { value: false })) },
  { id: "copy", name: "Copy as text", run: copy },
  { id: "paste", name: "Paste", run: () => paste() },
  { id: "gather", name: "Gather into a section", run: async () => made(await many("section.gather")) },
  { id: "unite", name: "Make one node of them, a group", run: async () => made(await many("group.make")) },
  { id: "dissolve", name: "Dissolve the group", only: isGroup, run: async () => made(await edit([{ op: "group.dissolve", ...where(), node: one() }])) },
  { id: "single", name: "Make this use of the group single", only: isGroup, run: () => edit([{ op: "group.single", ...where(), node: one() }]) },
  { id: "into", name: "Open the group, fold or open the section", run: into },
  { id: "out", name: "Back out of the group", run: () => act.leave() },
  { id: "pick", name: "Choose this one too", run: () => act.toggle(act.focused() ?? one()) },
  { id: "remove", name: "Remove and heal the wires", run: async () => { await many("node.remove"); state.selected.clear(); } },
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
  const id = commandFor(e);
  return actions.find((a) => a.id === id);
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
        b.lastChild.textContent = keyOf(a.id);
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
