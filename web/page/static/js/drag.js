// Follows a pointer that has gone down on an element until it comes up, is taken away, or
// Escape is pressed.

/** move(ev) is called as the pointer moves, at most once a frame where slow is set; end(ev, kept)
 * once, kept being false where what was done is to be forgotten. */
export function drag(e, el, { move, end, slow = false }) {
  el.setPointerCapture(e.pointerId);
  let last = null, over = false;
  const moved = (ev) => {
    if (ev.pointerId !== e.pointerId) return;
    if (!slow) return move(ev);
    if (!last) requestAnimationFrame(() => {
      const now = last;
      last = null;
      if (!over) move(now);
    });
    last = ev;
  };
  const stop = (ev) => {
    if (over || (ev.pointerId !== undefined && ev.pointerId !== e.pointerId) || (ev.type === "keydown" && ev.key !== "Escape")) return;
    over = true;
    if (ev.type === "keydown") {
      ev.preventDefault();
      ev.stopPropagation();
    }
    el.removeEventListener("pointermove", moved);
    for (const type of ["pointerup", "pointercancel", "lostpointercapture"]) el.removeEventListener(type, stop);
    removeEventListener("keydown", stop, true);
    if (el.hasPointerCapture?.(e.pointerId)) el.releasePointerCapture(e.pointerId);
    end(ev, ev.type === "pointerup");
  };
  el.addEventListener("pointermove", moved);
  for (const type of ["pointerup", "pointercancel", "lostpointercapture"]) el.addEventListener(type, stop);
  addEventListener("keydown", stop, true);
}
