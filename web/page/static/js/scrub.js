// Numbers are scrubbed by dragging their names, stepped with arrows, and go back
// to their default on a double click. They are stored when the hand rests.
import { drag } from "./drag.js";
import { fieldEdit } from "./studio.js";

const round = (v) => Math.round(v * 1000) / 1000;

export function scrubbing(live) {
  const field = (el) => el.closest(".field")?.querySelector("input.field-value[inputmode]");
  const range = (input) => {
    const lo = Number(input.dataset.min ?? 0), hi = Number(input.dataset.max ?? 1);
    return { lo, hi, step: (hi - lo) / 200 };
  };
  const keep = (input) => input.dispatchEvent(new Event("change", { bubbles: true }));

  document.addEventListener("pointerdown", (e) => {
    const name = e.target.closest("[data-scrub]");
    const input = name && field(name);
    if (!input || e.button) return;
    e.preventDefault();
    const from = Number(input.value), { lo, hi, step } = range(input);
    let value = from;
    drag(e, name, {
      move: (ev) => {
        const next = round(Math.max(lo, Math.min(hi, from + (ev.clientX - e.clientX) * step * (ev.shiftKey ? 0.1 : 1))));
        if (next === value) return;
        value = next;
        input.value = String(value);
        live.tryEdits([fieldEdit(input, value)]);
      },
      end: (_, kept) => {
        if (kept && value !== from) return keep(input);
        input.value = String(from);
        if (value !== from) live.drop();
      },
    });
  });

  // A dial turns the number beside it: it points where the strokes run.
  document.addEventListener("pointerdown", (e) => {
    const dial = e.target.closest("[data-turn]");
    const input = dial && field(dial);
    if (!input || e.button) return;
    e.preventDefault();
    const from = Number(input.value), r = dial.getBoundingClientRect();
    let value = from;
    const point = (v) => {
      input.value = String(v);
      dial.style.setProperty("--turn", `${-v}deg`);
    };
    drag(e, dial, {
      move: (ev) => {
        let next = (Math.atan2(r.y + r.height / 2 - ev.clientY, ev.clientX - r.x - r.width / 2) * 180) / Math.PI;
        next = Math.round(ev.shiftKey ? next / 15 : next) * (ev.shiftKey ? 15 : 1);
        while (next > 90) next -= 180;
        while (next < -90) next += 180;
        if (next === value) return;
        value = next;
        point(value);
        live.tryEdits([fieldEdit(input, value)]);
      },
      end: (_, kept) => {
        if (kept && value !== from) return keep(input);
        point(from);
        if (value !== from) live.drop();
      },
    });
  });

  document.addEventListener("dblclick", (e) => {
    const name = e.target.closest("[data-scrub]");
    const input = name && field(name);
    if (!input || input.dataset.default === undefined) return;
    input.value = input.dataset.default;
    keep(input);
  });

  document.addEventListener("keydown", (e) => {
    const input = e.target;
    if (!input.matches?.("input.field-value[inputmode]") || (e.key !== "ArrowUp" && e.key !== "ArrowDown")) return;
    e.preventDefault();
    const { lo, hi, step } = range(input);
    const by = (e.key === "ArrowUp" ? 1 : -1) * step * 2 * (e.shiftKey ? 5 : 1);
    input.value = String(round(Math.max(lo, Math.min(hi, Number(input.value) + by))));
    live.tryEdits([fieldEdit(input, Number(input.value))]);
    clearTimeout(input.resting);
    input.resting = setTimeout(() => keep(input), 350);
  });
}
