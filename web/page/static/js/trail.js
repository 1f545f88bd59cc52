// Why this colour: the values behind a pixel, from light to ink.
const el = () => document.getElementById("trail");

/** Shows the trail that the server has found. */
export function showTrail(m) {
  const t = el();
  t.innerHTML = m.html;
  t.hidden = false;
  // Beside the pixel, which is marked.
  const c = document.getElementById("picture").getBoundingClientRect(), o = document.getElementById("view").getBoundingClientRect();
  const x = c.left - o.left + m.x * c.height, y = c.top - o.top + m.y * c.height;
  t.classList.toggle("left", x > o.width / 2);
  const mark = document.getElementById("asked");
  mark.hidden = false;
  mark.style.left = `${x}px`;
  mark.style.top = `${y}px`;
}

/** Closes it; true if it was open. */
export function closeTrail() {
  const open = !el().hidden;
  el().hidden = document.getElementById("asked").hidden = true;
  return open;
}

document.addEventListener("click", (e) => e.target.closest("[data-trail-close]") && closeTrail());
