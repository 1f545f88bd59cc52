// Two sides of a project, beside or upon each other. What they show is the server's pictures; here is only how they lie.
const $ = (id) => document.getElementById(id);
const body = document.body, base = `/p/${body.dataset.project}`;
const form = $("compare-form"), easel = $("compare-easel"), line = $("wipe-line");
const images = { a: $("side-a"), b: $("side-b") };
const state = { way: body.dataset.way, at: 0.5, pan: [0, 0], shown: "a", size: [0, 0] };
const still = matchMedia("(prefers-reduced-motion: reduce)").matches;

const value = (name) => form.elements[name].value;
const zoom = () => Number(value("zoom"));
const title = (name) => form.elements[name].selectedOptions[0]?.textContent ?? "";

/** The size of a picture in pixels: what a pane holds at one pixel for one. */
function fit() {
  const r = easel.getBoundingClientRect();
  const beside = state.way === "beside", w = beside ? r.width / 2 - 1 : r.width, h = beside ? Math.min(r.height, w / 1.25) : r.height;
  return [Math.max(64, Math.floor(w)), Math.max(64, Math.floor(h))];
}

const query = (side) => new URLSearchParams({ of: value(side), w: state.size[0], h: state.size[1], camera: value("camera") });

let round = 0;

/** Has both sides drawn; the picture that is there stays until the next has come. */
async function draw() {
  const mine = ++round;
  state.size = fit();
  $("compare-says").textContent = "drawing…";
  closeTrails();
  const begun = performance.now();
  const failed = [];
  await Promise.all(["a", "b"].map(async (side) => {
    const next = new Image();
    next.src = `${base}/still.png?${query(side)}&v=${body.dataset.version}`;
    try {
      await next.decode();
      if (mine === round) images[side].src = next.src;
    } catch {
      failed.push(title(side));
    }
  }));
  if (mine !== round) return;
  for (const side of ["a", "b"]) {
    images[side].width = state.size[0];
    images[side].height = state.size[1];
    images[side].alt = title(side);
  }
  const name = `${state.size[0]} × ${state.size[1]}, 16 positions`;
  $("compare-says").textContent = failed.length ? `${failed.join(" and ")} could not be drawn.` : name;
  $("compare-says").title = `drawn in ${((performance.now() - begun) / 1000).toFixed(1)} s`;
  lay();
}

/** Lays the two pictures as they are to be seen. */
function lay() {
  body.dataset.way = state.way;
  body.dataset.shown = state.shown;
  for (const b of document.querySelectorAll("[data-way-of]")) b.setAttribute("aria-pressed", b.dataset.wayOf === state.way);
  const z = zoom(), [w, h] = state.size;
  const most = [Math.max(0, w * z - w), Math.max(0, h * z - h)];
  state.pan = state.pan.map((p, k) => Math.max(0, Math.min(most[k], p)));
  for (const img of Object.values(images)) {
    img.style.transform = `translate(${-state.pan[0]}px, ${-state.pan[1]}px) scale(${z})`;
    img.classList.toggle("is-large", z > 1);
  }
  $("name-a").textContent = state.way === "difference" ? `${title("a")} against ${title("b")}` : title("a");
  $("name-b").textContent = title("b");
  easel.style.setProperty("--at", `${state.at * 100}%`);
  easel.style.setProperty("--h", `${h}px`);
  line.hidden = state.way !== "wipe";
  line.setAttribute("aria-valuenow", Math.round(state.at * 100));
}

function show(way) {
  const beside = state.way === "beside" || way === "beside";
  state.way = way;
  address();
  lay();
  if (beside) draw();
}

const address = () => history.replaceState(null, "", `?${new URLSearchParams({ a: value("a"), b: value("b"), way: state.way })}`);

setInterval(() => {
  if (state.way !== "blink" || still) return;
  state.shown = state.shown === "a" ? "b" : "a";
  lay();
}, 700);

form.addEventListener("submit", (e) => e.preventDefault());
form.addEventListener("change", (e) => {
  address();
  if (e.target.name === "zoom") lay();
  else draw();
});
form.addEventListener("click", (e) => {
  const b = e.target.closest("[data-way-of]");
  if (b) show(b.dataset.wayOf);
});

function change() {
  const a = value("a");
  form.elements.a.value = value("b");
  form.elements.b.value = a;
  address();
  draw();
}
$("change-sides").addEventListener("click", change);

// --- the hand ---

let hold = null; // { line } or { x, y, pan }

easel.addEventListener("pointerdown", (e) => {
  if (e.button !== 0) return;
  hold = { onLine: e.target === line, x: e.clientX, y: e.clientY, pan: [...state.pan], moved: false };
  easel.setPointerCapture(e.pointerId);
});
easel.addEventListener("pointermove", (e) => {
  if (!hold) return;
  const r = easel.getBoundingClientRect();
  hold.moved ||= Math.hypot(e.clientX - hold.x, e.clientY - hold.y) > 3;
  if (!hold.moved) return;
  if (hold.onLine || (state.way === "wipe" && zoom() === 1)) state.at = Math.max(0, Math.min(1, (e.clientX - r.left) / r.width));
  else state.pan = [hold.pan[0] + hold.x - e.clientX, hold.pan[1] + hold.y - e.clientY];
  lay();
});
easel.addEventListener("pointerup", (e) => {
  if (hold && !hold.moved && !hold.onLine) ask(e.clientX, e.clientY);
  hold = null;
});
easel.addEventListener("pointercancel", () => (hold = null));
easel.addEventListener("wheel", (e) => {
  e.preventDefault();
  state.pan = [state.pan[0] + e.deltaX, state.pan[1] + e.deltaY];
  lay();
}, { passive: false });

document.addEventListener("keydown", (e) => {
  if (e.target.matches("select,input") || e.ctrlKey || e.metaKey || e.altKey) return;
  const by = e.shiftKey ? 0.1 : 0.01, step = e.shiftKey ? 80 : 16;
  const wipes = state.way === "wipe" && (e.target === line || zoom() === 1);
  const keys = {
    ArrowLeft: () => (wipes ? (state.at = Math.max(0, state.at - by)) : (state.pan[0] -= step)),
    ArrowRight: () => (wipes ? (state.at = Math.min(1, state.at + by)) : (state.pan[0] += step)),
    ArrowUp: () => (state.pan[1] -= step),
    ArrowDown: () => (state.pan[1] += step),
    " ": () => (state.shown = state.shown === "a" ? "b" : "a"),
    x: change,
    Escape: closeTrails,
  };
  if (e.key === " " && e.target.matches("button")) return;
  if (!keys[e.key]) return;
  e.preventDefault();
  keys[e.key]();
  lay();
});

// --- why this colour, on both sides ---

function closeTrails() {
  $("compare-trails").hidden = true;
}

async function ask(x, y) {
  const pane = (state.way === "beside" && x > easel.getBoundingClientRect().left + easel.clientWidth / 2 ? images.b : images.a).parentElement.getBoundingClientRect();
  const u = (x - pane.left + state.pan[0]) / zoom() / state.size[0], v = (y - pane.top + state.pan[1]) / zoom() / state.size[1];
  if (!(u >= 0 && u < 1 && v >= 0 && v < 1)) return;
  $("compare-says").textContent = "asking…";
  const html = await Promise.all(["a", "b"].map(async (side) => {
    const res = await fetch(`${base}/still/trail?${query(side)}&x=${u}&y=${v}`, { headers: { Accept: "application/json" } });
    return res.ok ? res.text() : `<p class="p-2">This pixel could not be asked.</p>`;
  }));
  for (const [k, side] of ["a", "b"].entries()) {
    $(`trail-${side}`).innerHTML = html[k];
    $(`trail-${side}`).querySelector(".trail-head b")?.replaceChildren(title(side));
  }
  $("compare-trails").hidden = false;
  $("compare-says").textContent = "both sides, at the same place";
}

document.addEventListener("click", (e) => {
  if (e.target.closest("[data-trail-close]")) closeTrails();
  const go = e.target.closest("[data-go]");
  if (go) location.href = `${base}?${new URLSearchParams({ look: go.dataset.goLook, path: go.dataset.goPath, node: go.dataset.go })}`;
});

let resized = 0;
addEventListener("resize", () => {
  clearTimeout(resized);
  resized = setTimeout(draw, 300);
});
lay();
draw();
