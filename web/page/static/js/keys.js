// Which key stands for which command. The list is the server's; what the artist has changed
// on the page of settings is kept in this browser.
const list = JSON.parse(document.getElementById("key-list")?.textContent ?? "[]");
const table = new Map(list.map((c) => [c.id, c.key]));

const read = () => {
  try {
    const kept = JSON.parse(localStorage.getItem("keys") ?? "{}");
    const { takes, "keep-take": keep, ...keys } = kept.keys ?? {}; // as they were called
    return { off: Boolean(kept.off), keys: { ...(takes !== undefined && { stagings: takes }), ...(keep !== undefined && { "keep-staging": keep }), ...keys } };
  } catch {
    return { off: false, keys: {} };
  }
};
let mine = read();

/** Whether a key is a letter, a digit or a sign by itself. */
export const single = (key) => [...key.replace(/^Shift /, "").replace(/^Space$/, " ")].length === 1;

/** The key of a command as it is shown; empty for none. */
export function keyOf(id) {
  const key = mine.keys[id] ?? table.get(id) ?? "";
  return mine.off && single(key) ? "" : key;
}

/** What is changed: { off, keys }. */
export const changed = () => structuredClone(mine);

export function keep(change) {
  mine = { off: change.off, keys: Object.fromEntries(Object.entries(change.keys).filter(([id, key]) => table.has(id) && table.get(id) !== key)) };
  localStorage.setItem("keys", JSON.stringify(mine));
}

addEventListener("storage", (e) => {
  if (e.key !== "keys") return;
  mine = read();
  showKeys(document);
});

/** The name of the key that was pressed, as it is shown. */
export function nameOf(e) {
  const letter = e.key.length === 1;
  const shift = e.shiftKey && (!letter || e.key.toLowerCase() !== e.key.toUpperCase()); // a sign has its shift in it
  return (e.ctrlKey || e.metaKey ? "Ctrl " : "") + (shift ? "Shift " : "") + (e.key === " " ? "Space" : letter ? e.key.toUpperCase() : e.key);
}

/** The command that a key stands for, undefined for none. */
export function commandFor(e) {
  const name = nameOf(e);
  return list.find((c) => keyOf(c.id) === name)?.id;
}

/** Writes the keys on what says them: kbd elements, and titles of buttons. */
export function showKeys(root) {
  for (const el of root.querySelectorAll("[data-key-of]")) {
    const key = keyOf(el.dataset.keyOf);
    if (el.matches("kbd")) {
      el.textContent = key;
      el.hidden = !key;
    } else {
      el.dataset.says ??= el.title;
      el.title = key ? `${el.dataset.says} (${key})` : el.dataset.says;
    }
  }
}
