// The formula field: checked while it is typed, with the slip shown at its
// character; names of functions and inputs are completed. It is stored when it is
// right.
import { base, edit, query, where } from "./studio.js";

let timer = 0;

export function formulas(live) {
  const field = () => document.getElementById("formula");
  const list = () => document.getElementById("formula-names");

  const word = (el) => /[A-Za-z_]\w*$/.exec(el.value.slice(0, el.selectionStart))?.[0] ?? "";
  const functions = () => field().dataset.functions.split(" ");
  const names = () => [...document.querySelectorAll('[aria-label="Name of the input"]')].map((i) => i.value);

  function complete(el) {
    const w = word(el), box = list();
    const found = w ? [...names(), ...functions()].filter((n) => n.startsWith(w) && n !== w).slice(0, 8) : [];
    box.hidden = !found.length;
    box.replaceChildren(...found.map((n, i) => Object.assign(document.createElement("button"), { textContent: n, role: "option", className: i ? "" : "is-first", tabIndex: -1 })));
  }

  function take(el, name) {
    const at = el.selectionStart - word(el).length;
    const call = functions().includes(name) && el.value[el.selectionStart] !== "(" ? "(" : "";
    el.setRangeText(name + call, at, el.selectionStart, "end");
    list().hidden = true;
    el.dispatchEvent(new Event("input", { bubbles: true }));
    el.focus();
  }

  async function check(el) {
    const says = document.getElementById("formula-says");
    const res = await fetch(`${base}/formula?${query({ node: el.dataset.formula, text: el.value })}`, { headers: { Accept: "application/json" } }).catch(() => null);
    if (!res?.ok || !says?.isConnected) return;
    const answer = await res.json();
    says.classList.toggle("bad", Boolean(answer.error));
    if (answer.error) {
      says.textContent = `${" ".repeat(answer.at)}▲\n${answer.error[0].toUpperCase()}${answer.error.slice(1)}.`;
      return;
    }
    says.textContent = `It gives a ${answer.gives}.`;
    live.tryEdits([change(el)]);
  }

  const change = (el) => ({ op: "node.set", ...where(), node: el.dataset.formula, key: "text", value: el.value });

  document.addEventListener("input", (e) => {
    if (e.target.id !== "formula") return;
    complete(e.target);
    clearTimeout(timer);
    timer = setTimeout(() => check(e.target), 120);
  });
  document.addEventListener("change", async (e) => {
    if (e.target.id !== "formula") return;
    clearTimeout(timer);
    await check(e.target);
    if (!document.getElementById("formula-says")?.classList.contains("bad")) await edit([change(e.target)]);
    live.drop();
  });
  document.addEventListener("click", (e) => {
    const b = e.target.closest("#formula-names button");
    if (b) take(field(), b.textContent);
  });
  document.addEventListener("keydown", (e) => {
    if (e.target.id !== "formula") return;
    const first = list().querySelector("button");
    if (e.key === "Escape") list().hidden = true;
    else if (!list().hidden && first && e.key === "Tab") {
      e.preventDefault();
      take(e.target, first.textContent);
    } else if (e.key === "Enter" && !e.shiftKey) {
      e.preventDefault();
      e.target.blur();
    }
  });
  document.addEventListener("focusout", (e) => e.target.id === "formula" && setTimeout(() => list() && (list().hidden = true), 200));
}

