// The checks: how many there are, and the list with their mends.
import { edit } from "./studio.js";

let count = null; // not known yet

const list = () => document.getElementById("checks");

/** Takes what the server has found. */
export function checks(m) {
  count = m.count;
  const focus = list().contains(document.activeElement);
  list().innerHTML = m.html;
  if (focus) list().focus();
  paintChecks();
}

/** Writes the number into the bar, which may have come anew. */
export function paintChecks() {
  const el = document.getElementById("checks-count"), button = document.getElementById("checks-button");
  if (!el) return;
  el.textContent = count ? String(count) : "";
  button.classList.toggle("some", Boolean(count));
  button.setAttribute("aria-expanded", !list().hidden);
}

/** Opens or closes the list. */
export function toggleChecks(open = list().hidden) {
  list().hidden = !open;
  if (open) list().focus();
  paintChecks();
  return open;
}

document.addEventListener("click", (e) => {
  if (e.target.closest("[data-checks]")) return toggleChecks();
  const mend = e.target.closest("[data-edits]");
  if (mend) edit(JSON.parse(mend.dataset.edits));
  else if (!list().hidden && !list().contains(e.target)) toggleChecks(false);
});
