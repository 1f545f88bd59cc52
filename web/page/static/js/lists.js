// Lists within a node, the layers and the choices: reordered by dragging a row, or
// with Alt and the arrows.
import { edit, state, where } from "./studio.js";

const rows = (el) => [...el.closest("[data-list]").querySelectorAll("[data-entry]")];
const move = (from, to) => edit([{ op: "list.move", ...where(), node: state.node, index: from, value: to }]);

let held = null;

document.addEventListener("dragstart", (e) => {
  held = e.target.closest?.("[data-entry]");
  if (held) e.dataTransfer.setData("text/x-row", held.dataset.entry);
});
document.addEventListener("dragover", (e) => {
  const row = e.target.closest?.("[data-entry]");
  if (!held || !row) return;
  e.preventDefault();
  for (const r of rows(row)) r.classList.toggle("is-target", r === row && r !== held);
});
document.addEventListener("drop", (e) => {
  const row = e.target.closest?.("[data-entry]");
  if (held && row && row !== held) move(Number(held.dataset.entry), Number(row.dataset.entry));
  done();
});
document.addEventListener("dragend", done);

function done() {
  held = null;
  for (const r of document.querySelectorAll(".is-target")) r.classList.remove("is-target");
}

document.addEventListener("keydown", async (e) => {
  const row = e.target.closest?.("[data-entry]");
  if (!row || !e.altKey || (e.key !== "ArrowUp" && e.key !== "ArrowDown")) return;
  e.preventDefault();
  const from = Number(row.dataset.entry), to = from + (e.key === "ArrowUp" ? -1 : 1);
  if (to < 0 || to >= rows(row).length) return;
  const list = row.closest("[data-list]");
  if (await move(from, to)) setTimeout(() => list.isConnected && list.querySelector(`[data-entry="${to}"]`)?.focus(), 250);
});

/** Whether a row is being dragged, so that nobody takes it for a file. */
export const dragging = () => held !== null;
