// The page of the proof sheet: what varies, and cells that fill as they are drawn.
const $ = (id) => document.getElementById(id);
const body = document.body, base = `/p/${body.dataset.project}`;
const sheet = JSON.parse($("sheet-data").textContent);

let saidTimer = 0;
function say(text, bad = false) {
  const el = $("said");
  el.textContent = text;
  el.classList.toggle("is-bad", bad);
  el.hidden = false;
  clearTimeout(saidTimer);
  saidTimer = setTimeout(() => (el.hidden = true), bad ? 9000 : 5000);
}

async function send(path, value) {
  try {
    const res = await fetch(`${base}${path}`, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(value ?? {}) });
    const answer = await res.json();
    return res.ok ? answer : { error: answer.error ?? "That could not be done." };
  } catch {
    return { error: "The studio does not answer. Try again in a moment." };
  }
}

// --- what varies ---

const NUMBERS = "0", CHOICES = "2";

/** Shows the values of an axis: a field for numbers and colours, buttons for what is chosen from. */
function values(axis, typed) {
  const option = axis.querySelector("[data-of]").selectedOptions[0], box = axis.querySelector("[data-values]");
  box.replaceChildren();
  if (!option?.value) return;
  const given = JSON.parse(option.dataset.given) ?? [], chosen = typed ?? given.map((v) => v.Key);
  if (option.dataset.kind === CHOICES) {
    for (const v of given) {
      const b = Object.assign(document.createElement("button"), { type: "button", className: "button", textContent: v.Name || v.Key });
      b.dataset.value = v.Key;
      b.setAttribute("aria-pressed", chosen.includes(v.Key));
      box.append(b);
    }
    return;
  }
  if (option.dataset.kind !== NUMBERS) {
    for (const v of given) {
      const b = Object.assign(document.createElement("button"), { type: "button", className: "chip-button", title: v.Name || v.Key });
      b.setAttribute("aria-label", v.Name || v.Key);
      b.style.background = v.Key;
      b.dataset.value = v.Key;
      b.setAttribute("aria-pressed", chosen.includes(v.Key));
      box.append(b);
    }
  }
  const field = Object.assign(document.createElement("input"), { className: "input grow", value: option.dataset.kind === NUMBERS || typed ? chosen.join(", ") : chosen.slice(0, 4).join(", ") });
  field.setAttribute("aria-label", `Values, with commas between${option.dataset.unit ? `, in ${option.dataset.unit}` : ""}`);
  field.autocomplete = "off";
  box.append(field);
  if (option.dataset.kind !== NUMBERS) markChips(box);
}

const list = (text) => text.split(",").map((v) => v.trim()).filter(Boolean);

function markChips(box) {
  const on = list(box.querySelector("input").value).map((v) => v.toUpperCase());
  for (const b of box.querySelectorAll(".chip-button")) b.setAttribute("aria-pressed", on.includes(b.dataset.value.toUpperCase()));
}

const axes = [...document.querySelectorAll("[data-axis]")];
for (const axis of axes) {
  const typed = axis.querySelector("[data-values]").dataset.typed;
  values(axis, typed ? list(typed) : undefined);
  axis.addEventListener("change", (e) => {
    if (e.target.matches("[data-of]")) values(axis);
    else if (e.target.matches("input")) markChips(axis.querySelector("[data-values]"));
  });
  axis.addEventListener("click", (e) => {
    const b = e.target.closest("[data-value]");
    if (!b) return;
    const box = axis.querySelector("[data-values]"), field = box.querySelector("input");
    if (!field) return b.setAttribute("aria-pressed", b.getAttribute("aria-pressed") !== "true");
    const now = list(field.value), at = now.findIndex((v) => v.toUpperCase() === b.dataset.value.toUpperCase());
    if (at < 0) now.push(b.dataset.value);
    else now.splice(at, 1);
    field.value = now.join(", ");
    markChips(box);
  });
}

/** What the form varies. */
function chosen() {
  const out = [];
  for (const axis of axes) {
    const of = axis.querySelector("[data-of]").value;
    if (!of) continue;
    const box = axis.querySelector("[data-values]"), field = box.querySelector("input");
    out.push({ of, values: field ? list(field.value) : [...box.querySelectorAll("[aria-pressed=true]")].map((b) => b.dataset.value) });
  }
  return { axes: out };
}

const size = () => $("cell-size").value.split("x").map(Number);
const order = (as, of = sheet) => ({ as, w: size()[0], h: size()[1], samples: 4, sheet: of, near: near() });

/** The cell nearest to the middle of what is looked at: it is drawn first. */
function near() {
  const r = $("sheet-scroll").getBoundingClientRect();
  if ($("sheet-scroll").scrollTop < 10 && $("sheet-scroll").scrollLeft < 10) return 0;
  const el = document.elementFromPoint(r.left + r.width / 2, r.top + r.height / 2)?.closest("[data-cell]");
  return el ? Number(el.dataset.cell) : 0;
}

$("sheet-form").addEventListener("submit", async (e) => {
  e.preventDefault();
  const of = chosen();
  if (!of.axes.length) return say("Choose what varies first.", true);
  const a = await send("/orders", { ...order("sheet", of), near: 0 });
  if (a.error) {
    $("sheet-says").textContent = a.error;
    $("sheet-says").classList.add("is-bad");
    return say(a.error, true);
  }
  localStorage.setItem("cell-size", $("cell-size").value);
  location.search = `?${new URLSearchParams([...of.axes.map((x) => ["axis", `${x.of}=${x.values.join(",")}`]), ["job", a.job]])}`;
});
const was = localStorage.getItem("cell-size");
if (was && $("cell-size").querySelector(`[value="${CSS.escape(was)}"]`)) $("cell-size").value = was;

// --- cells ---

const shown = new Set();
let job = body.dataset.job, on = -1, larger = 0;

async function follow() {
  if (!job) return;
  let wait = 150;
  try {
    const res = await fetch(`${base}/orders/${job}`, { headers: { Accept: "application/json" } });
    if (res.status === 404) return;
    const s = await res.json();
    for (const n of s.made ?? []) {
      if (shown.has(n)) continue;
      shown.add(n);
      const cell = document.querySelector(`[data-cell="${n}"]`);
      if (!cell) continue;
      const img = Object.assign(new Image(), { alt: "", src: `${base}/orders/${job}/piece/${n}` });
      cell.replaceChildren(img);
      if (on < 0) look(cell); // the first that is there stands beside the grid until one is pointed at
    }
    const active = s.state === "drawing";
    $("sheet-cancel").hidden = !active;
    if (active) $("sheet-says").textContent = `${shown.size} of ${s.pieces} drawn`;
    else if (s.state === "failed") $("sheet-says").textContent = s.why;
    else if (s.state === "cancelled") $("sheet-says").textContent = `cancelled: ${shown.size} of ${s.pieces} are drawn`;
    else $("sheet-says").textContent = `${s.pieces} pictures`;
    $("sheet-says").classList.toggle("is-bad", s.state === "failed");
    if (!active) return;
  } catch {
    wait = 2000; // the studio is gone for a moment
  }
  setTimeout(follow, wait);
}
follow();

$("sheet-cancel").addEventListener("click", () => send(`/orders/${job}/cancel`));

/** Shows a cell large beside the grid. */
function look(cell) {
  const img = cell.querySelector("img");
  $("sheet-name").textContent = cell.getAttribute("aria-label");
  on = Number(cell.dataset.cell);
  $("sheet-cell-do").hidden = false;
  if (img) $("sheet-large").src = img.src;
  clearTimeout(larger);
  larger = setTimeout(() => enlarge(on), 300);
}

/** Draws the cell that is looked at as large as it is shown. */
async function enlarge(cell) {
  const w = Math.round($("sheet-large").getBoundingClientRect().width * Math.min(2, devicePixelRatio)), [cw, ch] = size(), next = new Image();
  const q = [["of", `cell/${cell}`], ["w", w], ["h", Math.round((w * ch) / cw)], ["v", body.dataset.version], ...sheet.axes.map((x) => ["axis", `${x.of}=${x.values.join(",")}`])];
  next.src = `${base}/still.png?${new URLSearchParams(q)}`;
  try {
    await next.decode();
    if (on === cell) $("sheet-large").src = next.src;
  } catch {
    // It stays the small one.
  }
}

const grid = $("sheet-scroll");
grid.addEventListener("pointerover", (e) => e.target.closest("[data-cell]") && look(e.target.closest("[data-cell]")));
grid.addEventListener("focusin", (e) => e.target.closest("[data-cell]") && look(e.target.closest("[data-cell]")));
grid.addEventListener("keydown", (e) => {
  const cell = e.target.closest("[data-cell]");
  const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -Number(body.dataset.columns), ArrowDown: Number(body.dataset.columns) }[e.key];
  if (!cell || !by) return;
  e.preventDefault();
  document.querySelector(`[data-cell="${Number(cell.dataset.cell) + by}"]`)?.focus();
});

async function press(cell, keep) {
  const a = await send("/sheet/press", { sheet, cell, keep });
  if (a.error) return say(a.error, true);
  const name = document.querySelector(`[data-cell="${cell}"]`).getAttribute("aria-label");
  for (const el of document.querySelectorAll(".sheet-cell.is-here")) if (!keep) el.classList.remove("is-here");
  if (!keep) document.querySelector(`[data-cell="${cell}"]`).classList.add("is-here");
  say(keep ? `${name} is kept as a staging.` : `The project is now as ${name}. Undo on the desk takes it back.`);
}
document.addEventListener("click", async (e) => {
  const cell = e.target.closest("[data-cell]");
  if (cell) return press(Number(cell.dataset.cell), e.shiftKey);
  if (e.target.closest("[data-press-cell]")) return press(on, false);
  if (e.target.closest("[data-keep-cell]")) return press(on, true);
  const as = e.target.closest("[data-sheet-as]");
  if (!as) return;
  const a = await send("/orders", order(as.dataset.sheetAs));
  if (a.error) return say(a.error, true);
  file(a.job, a.name);
});

/** Waits for the sheet as a file, and offers it. */
async function file(id, name) {
  const el = $("sheet-file");
  el.textContent = "drawing…";
  for (;;) {
    await new Promise((r) => setTimeout(r, 400));
    const res = await fetch(`${base}/orders/${id}`, { headers: { Accept: "application/json" } }).catch(() => null);
    const s = res?.ok ? await res.json() : null;
    if (s?.state === "done") {
      const a = Object.assign(document.createElement("a"), { className: "button strong", href: `${base}/orders/${id}/file`, textContent: "save it", download: name });
      el.replaceChildren(a);
      a.focus();
      return;
    }
    if (s && ["failed", "cancelled"].includes(s.state)) {
      el.textContent = s.why || "cancelled";
      return;
    }
    if (s) el.textContent = `${s.made.length} of ${s.pieces}`;
  }
}
