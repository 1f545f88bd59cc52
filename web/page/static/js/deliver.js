// The page to order from: a form in the order of decisions, what it comes to, and the jobs.
const $ = (id) => document.getElementById(id);
const body = document.body, base = `/p/${body.dataset.project}`;
const form = $("order-form"), f = form.elements;

let saidTimer = 0;
function say(text, bad = false) {
  const el = $("said");
  el.textContent = text;
  el.classList.toggle("is-bad", bad);
  el.hidden = false;
  clearTimeout(saidTimer);
  saidTimer = setTimeout(() => (el.hidden = true), bad ? 9000 : 5000);
}

const kind = () => form.querySelector("[name=kind]:checked").value;
const format = () => form.querySelector("[name=as]:not(:disabled)");

/** What a field says as a number; a comma does for a point. */
const numberIn = (el) => Number(el.value.trim().replace(",", "."));

/** Width and height in pixels; 0 for what is no number. */
function pixels() {
  const k = f.unit.value === "mm" ? (numberIn(f.dpi) || 300) / 25.4 : 1;
  return [Math.round(numberIn(f.w) * k) || 0, Math.round(numberIn(f.h) * k) || 0];
}

/** The order as the form says it. */
function order() {
  const [w, h] = pixels();
  const o = { as: format().value, w, h, samples: Number(f.samples.value), dpi: numberIn(f.dpi) || 0, clear: Boolean(f.clear.value), staging: f.staging.value };
  const ticked = (name) => [...form.querySelectorAll(`[name=${name}]:checked`)].filter((e) => !e.closest("[hidden]")).map((e) => e.value);
  const number = (name) => numberIn(f[name]) || 0;
  switch (kind()) {
    case "texture":
      o.bake = { model: f.model.value, parts: ticked("part"), apart: f.apart.checked, margin: number("margin"), bits: Number(f.bits.value), eye: f.eye.value, aspect: 1.6,
        outputs: ticked("output").map((v) => { const [look, node, port] = v.split("/"); return { look, node, port, data: f.data.checked }; }) };
      break;
    case "painted model":
      o.painted = { models: f.painted.value ? [f.painted.value] : [], outline: number("outline"), eye: f.eye.value };
      break;
    case "look as code":
      o.code = { models: f.coded.value ? [f.coded.value] : [], look: f.look.value, outline: number("outline") };
      break;
  }
  if (kind() === "moving picture") Object.assign(o, { first: Number(f.first.value), last: Number(f.last.value) });
  return o;
}

const headers = { "Content-Type": "application/json", Accept: "application/json" };

async function send(path, value) {
  try {
    const res = await fetch(`${base}${path}`, { method: "POST", headers, body: JSON.stringify(value ?? {}) });
    const answer = await res.json();
    return res.ok ? answer : { error: answer.error ?? "That could not be done." };
  } catch {
    return { error: "The studio does not answer. Try again in a moment." };
  }
}

/** Shows and hides what belongs to the kind that is chosen. */
function arrange() {
  for (const el of document.querySelectorAll("[data-of-kind]")) {
    const on = el.dataset.ofKind === kind() || el.dataset.also === kind();
    el.hidden = !on;
    for (const s of el.querySelectorAll("[name=as]")) s.disabled = !on;
  }
  for (const el of document.querySelectorAll("[data-unless]")) el.hidden = el.dataset.unless.split(", ").includes(kind());
  for (const el of document.querySelectorAll("[data-for-format]")) el.hidden = !el.dataset.forFormat.split(" ").includes(format().value);
  for (const el of document.querySelectorAll("[data-parts-of]")) el.hidden = el.dataset.partsOf !== f.model.value;
  const looks = (f.model?.selectedOptions[0]?.dataset.looks ?? "").split(" ");
  for (const el of document.querySelectorAll("[data-output]")) el.hidden = !looks.includes(el.firstElementChild.value.split("/")[0]);
  $("order-help").textContent = format().selectedOptions[0]?.dataset.help ?? "";
}

const named = (select) => select.selectedOptions[0]?.textContent ?? "";

/** What of the project an order is made of, for its picture: models by themselves, or one look on all. */
function shows(o) {
  const of = o.staging ? `staging/${o.staging}` : "now";
  if (kind() === "texture") return { of, alone: o.bake.model || "worn" };
  if (kind() === "painted model") return { of, alone: o.painted.models[0] ?? "worn" };
  if (kind() !== "look as code") return { of };
  return o.as === "html" ? { of, alone: o.code.models[0] ?? "worn" } : { of: `look/${o.code.look}`, alone: "worn" };
}

/** What is ordered of models or looks, in words. */
function whatOf(o) {
  if (kind() === "texture") return `${named(f.model)}: ${o.w} × ${o.h} texels`;
  if (kind() === "painted model") return `${f.painted.value ? named(f.painted) : "All models that wear a look"}: ${o.w} × ${o.h} texels`;
  if (o.as === "html") return `A page that turns ${f.coded.value ? named(f.coded) : "all models that wear a look"}`;
  return `The look ${named(f.look)}, as ${named(format())}`;
}

let round = 0, timer = 0;

/** Shows the picture, and what the order takes. */
function changed() {
  arrange();
  const o = order(), mine = ++round;
  const room = document.querySelector(".deliver-picture").getBoundingClientRect();
  const onModel = ["texture", "painted model", "look as code"].includes(kind()); // whose picture is not as wide as what is ordered
  if (onModel) Object.assign(o, { w: 1280, h: 800 });
  const fits = Math.min((room.width - 40) / o.w, (room.height - 70) / o.h);
  if (o.w > 0 && o.h > 0 && Number.isFinite(fits)) {
    const [w, h] = [Math.max(1, Math.round(o.w * fits)), Math.max(1, Math.round(o.h * fits))];
    const next = new Image();
    next.src = `${base}/still.png?${new URLSearchParams({ ...shows(o), w, h, ...(o.clear && { clear: 1 }), v: body.dataset.version })}`;
    next.decode().then(() => {
      if (mine !== round) return;
      const img = $("deliver-still");
      img.src = next.src;
      img.width = w;
      img.height = h;
    }, () => {});
  }
  const inches = o.dpi ? ` · ${(o.w / o.dpi * 25.4).toFixed(0)} × ${(o.h / o.dpi * 25.4).toFixed(0)} mm on paper` : "";
  const asked = order();
  $("deliver-what").textContent = onModel ? whatOf(asked) : `${o.w} × ${o.h} pixels${inches}`;
  clearTimeout(timer);
  $("order-says").textContent = "measuring it, small…";
  $("order-says").classList.remove("is-bad");
  $("order-remarks").replaceChildren();
  timer = setTimeout(() => estimate(asked, mine), 350);
}

async function estimate(o, mine) {
  const a = await send("/estimate", o);
  if (mine !== round) return;
  $("order-says").classList.toggle("is-bad", Boolean(a.error));
  $("order-go").disabled = Boolean(a.error);
  $("order-says").textContent = a.error ?? `About ${time(a.seconds)} on this machine${a.pieces > 1 ? `, in ${a.pieces} pieces` : ""}.`;
  $("order-remarks").replaceChildren(...(a.remarks ?? []).map((t) => Object.assign(document.createElement("li"), { textContent: t })));
}

function time(s) {
  if (s < 1) return "a second";
  if (s < 90) return `${Math.round(s)} seconds`;
  if (s < 5400) return `${Math.round(s / 60)} minutes`;
  return `${(s / 3600).toFixed(1)} hours`;
}

form.addEventListener("input", (e) => {
  if (["w", "h"].includes(e.target.name)) f.size.value = "own";
});
form.addEventListener("change", (e) => {
  if (e.target.name === "kind" && ["texture", "painted model"].includes(kind()) && f.size.value !== "2048x2048@0") { // as textures mostly are
    f.size.value = "2048x2048@0";
    f.samples.value = "4";
    [f.w.value, f.h.value, f.unit.value, f.dpi.value] = [2048, 2048, "px", 0];
  }
  if (e.target.name === "size" && f.size.value !== "own") {
    const [, w, h, dpi] = f.size.value.match(/^([\d.]+)x([\d.]+)@([\d.]+)$/);
    f.w.value = w;
    f.h.value = h;
    f.unit.value = Number(dpi) ? "mm" : "px";
    f.dpi.value = dpi;
  }
  if (e.target.name === "unit") { // the size stays what it is
    const k = (numberIn(f.dpi) || 300) / 25.4, mm = f.unit.value === "mm";
    if (mm && !numberIn(f.dpi)) f.dpi.value = 300;
    for (const n of ["w", "h"]) f[n].value = mm ? Number((numberIn(f[n]) / k).toFixed(3)) : Math.round(numberIn(f[n]) * k); // so that as many pixels come back
  }
  changed();
});
form.addEventListener("submit", async (e) => {
  e.preventDefault();
  const a = await send("/orders", order());
  if (a.error) return say(a.error, true);
  say(`${a.name} is ordered: it is drawn while you work.`);
  list();
});

// --- the jobs ---

let listed = "", polling = 0;

/** Brings the list up to date, and goes on as long as anything is drawn. */
async function list() {
  clearTimeout(polling);
  try {
    const res = await fetch(`${base}/orders`);
    const text = await res.text();
    if (res.ok && text !== listed) {
      listed = text;
      const at = document.activeElement?.closest?.("#orders [data-job]")?.dataset.job;
      $("orders").innerHTML = text;
      if (at) document.querySelector(`[data-job="${CSS.escape(at)}"] :is(a, button)`)?.focus();
    }
  } catch {
    // The studio is gone for a moment: orders go on when it is back.
  }
  if ($("orders").querySelector("[data-active=true]")) polling = setTimeout(list, 500);
}

document.addEventListener("click", async (e) => {
  const b = e.target.closest("[data-cancel],[data-forget]");
  if (!b) return;
  const a = await send(`/orders/${b.dataset.cancel ?? b.dataset.forget}/${b.dataset.cancel ? "cancel" : "forget"}`);
  if (a.error) say(a.error, true);
  setTimeout(list, 80);
});

let resized = 0;
addEventListener("resize", () => {
  clearTimeout(resized);
  resized = setTimeout(changed, 300);
});
changed();
list();
