// The order for a picture as a file: a dialog, and what comes of it.
import { base } from "./studio.js";

const $ = (id) => document.getElementById(id);
let order = null; // what is being drawn, to be given up

/** Opens the dialog; shown is the size of the picture on the page. */
export function openSave(shown) {
  const presets = [[`as shown, ${shown.w} × ${shown.h}`, shown.w, shown.h], [`twice as large, ${2 * shown.w} × ${2 * shown.h}`, 2 * shown.w, 2 * shown.h], ["1920 × 1080", 1920, 1080], ["2048 × 2048", 2048, 2048], ["3840 × 2160", 3840, 2160], ["2480 × 3508, a page of A4", 2480, 3508]];
  $("save-preset").replaceChildren(...presets.map(([name, w, h]) => new Option(name, `${w}x${h}`)), new Option("other", ""));
  preset();
  says("");
  $("save").showModal();
  $("save-preset").focus();
}

function preset() {
  const [w, h] = $("save-preset").value.split("x");
  if (h) [$("save-w").value, $("save-h").value] = [w, h];
}

function says(text, bad = false) {
  $("save-says").textContent = text;
  $("save-says").classList.toggle("is-bad", bad);
}

async function save() {
  const q = new URLSearchParams({ w: $("save-w").value, h: $("save-h").value, samples: $("save-samples").value, as: $("save-bits").value, backdrop: $("save-backdrop").value });
  const began = performance.now();
  order?.abort();
  order = new AbortController();
  const mine = order;
  $("save-go").disabled = true;
  says(`Drawing ${q.get("w")} × ${q.get("h")} pixels…`);
  try {
    const res = await fetch(`${base}/save.png?${q}`, { signal: order.signal, headers: { Accept: "image/png, application/zip, application/pdf, application/json" } });
    if (!res.ok) return says((await res.json()).error, true);
    const blob = await res.blob();
    const name = decodeURIComponent(/filename\*=UTF-8''([^;]+)/i.exec(res.headers.get("Content-Disposition"))?.[1] ?? "") || /filename="?([^";]+)/.exec(res.headers.get("Content-Disposition"))?.[1] || "picture.png";
    const a = Object.assign(document.createElement("a"), { href: URL.createObjectURL(blob), download: name });
    a.click();
    setTimeout(() => URL.revokeObjectURL(a.href), 60_000);
    says(`Saved ${name}: ${(blob.size / 1e6).toFixed(1)} MB in ${((performance.now() - began) / 1000).toFixed(1)} s.`);
  } catch (err) {
    if (err.name !== "AbortError") says("The studio does not answer. Try again in a moment.", true);
  } finally {
    if (mine === order) $("save-go").disabled = false;
  }
}

export const saveOpen = () => $("save").open;

$("save-preset").addEventListener("change", preset);
for (const id of ["save-w", "save-h"]) $(id).addEventListener("input", () => ($("save-preset").value = [...$("save-preset").options].some((o) => o.value === `${$("save-w").value}x${$("save-h").value}`) ? `${$("save-w").value}x${$("save-h").value}` : ""));
$("save-form").addEventListener("submit", (e) => {
  if (e.submitter?.value === "cancel") return;
  e.preventDefault();
  save();
});
$("save").addEventListener("close", () => {
  order?.abort();
  $("save-go").disabled = false;
});
$("save").addEventListener("click", (e) => e.target === $("save") && $("save").close());
$("save-cancel").formNoValidate = true;
