// The page of settings: keys.
import { changed, keep, nameOf, single } from "./keys.js";

const $ = (id) => document.getElementById(id);
const fields = [...document.querySelectorAll("[data-key-id]")];
const says = (text) => ($("key-says").textContent = text);

function show() {
  const { off, keys } = changed();
  for (const f of fields) f.value = keys[f.dataset.keyId] ?? f.defaultValue;
  for (const f of fields) f.classList.toggle("is-off", off && single(f.value));
  $("single").setAttribute("aria-pressed", !off);
  $("single-is").textContent = off ? "off" : "on";
}

$("single").addEventListener("click", () => {
  const c = changed();
  c.off = !c.off;
  keep(c);
  show();
  says(c.off ? "Keys of one letter do nothing now, unless Ctrl goes with them." : "Keys of one letter work again.");
});
$("defaults").addEventListener("click", () => {
  keep({ off: false, keys: {} });
  show();
  says("All keys are as they were.");
});
for (const f of fields)
  f.addEventListener("keydown", (e) => {
    if (["Tab", "Shift", "Control", "Alt", "Meta", "Escape"].includes(e.key) && f.dataset.keyId !== "none") return;
    if (["Tab", "Shift", "Control", "Alt", "Meta"].includes(e.key)) return;
    e.preventDefault();
    const key = e.key === "Delete" && f.dataset.keyId !== "remove" ? "" : nameOf(e);
    const other = fields.find((o) => o !== f && o.value === key && key);
    if (other) return says(`${key} is the key for: ${other.labels[0].textContent}.`);
    const c = changed();
    c.keys[f.dataset.keyId] = key;
    keep(c);
    show();
    says(key ? `${key}: ${f.labels[0].textContent}.` : `No key: ${f.labels[0].textContent}.`);
  });
show();
