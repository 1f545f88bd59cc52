// The network: cards are chosen, wires pulled. Where cards stand is the server's.
import { act, edit, refresh, state } from "./studio.js";

export class Network {
  constructor() {
    this.pictures = new Map();
    this.panel = document.getElementById("network");
    this.panel.addEventListener("click", (e) => this.click(e));
    this.panel.addEventListener("dblclick", (e) => e.target.closest("[data-card]") && act.peek(e.target.closest("[data-card]").dataset.card));
    this.panel.addEventListener("keydown", (e) => this.key(e));
    this.panel.addEventListener("pointerdown", (e) => this.pull(e));
    this.panel.addEventListener("pointerover", (e) => this.chain(e.target.closest?.("[data-card]")?.dataset.card));
    this.panel.addEventListener("pointerleave", () => this.chain(null));
    this.panel.addEventListener("focusin", (e) => e.target.matches("[data-card]") && this.chain(e.target.dataset.card));
    this.panel.addEventListener("focusout", () => this.chain(null));
  }

  attach() {
    for (const [node, p] of this.pictures) this.draw(node, p);
  }

  cards(list) {
    for (const c of list) {
      const p = new ImageData(c.pixels, c.w, c.h);
      this.pictures.set(c.node, p);
      this.draw(c.node, p);
    }
  }

  draw(node, p) {
    const canvas = document.getElementById(`pic-${node}`);
    if (!canvas) return;
    canvas.getContext("2d").putImageData(p, 0, 0);
  }

  click(e) {
    const card = e.target.closest("[data-card]");
    if (card) return act.choose(card.dataset.card);
    const wire = e.target.closest(".wire");
    if (wire) return act.search({ to: wire.dataset.wireTo });
    const port = e.target.closest("[data-in]");
    if (port && e.detail) act.search({ to: port.dataset.in });
  }

  /** Lets the chain of a card stand out: all that it reads and all that reads it. */
  chain(node) {
    const net = document.getElementById("net");
    if (!net || this.lit === node) return;
    this.lit = node;
    const wires = [...net.querySelectorAll(".wire")].map((el) => ({ el, from: el.dataset.from, to: el.dataset.to }));
    const grow = (start, from, to) => {
      const seen = new Set([start]);
      for (let more = true; more; ) {
        more = false;
        for (const w of wires)
          if (seen.has(w[from]) && !seen.has(w[to])) {
            seen.add(w[to]);
            more = true;
          }
      }
      return seen;
    };
    net.classList.toggle("has-chain", Boolean(node));
    const up = node ? grow(node, "to", "from") : new Set();
    const down = node ? grow(node, "from", "to") : new Set();
    for (const box of net.querySelectorAll(".card-box")) {
      const id = box.id.slice(4);
      box.classList.toggle("in-chain", up.has(id) || down.has(id));
    }
    for (const w of wires) w.el.classList.toggle("in-chain", (up.has(w.to) && up.has(w.from)) || (down.has(w.from) && down.has(w.to)));
  }

  async key(e) {
    const card = e.target.closest("[data-card]");
    if (!card || e.ctrlKey || e.metaKey || e.altKey) return;
    const id = card.dataset.card;
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    if (arrows[e.key]) {
      e.preventDefault();
      this.next(card, arrows[e.key])?.focus();
    } else if (e.key === "Enter" || e.key === " ") {
      e.preventDefault();
      act.choose(id);
    } else if (e.key === "Delete" || e.key === "Backspace") {
      e.preventDefault();
      await edit([{ op: "node.remove", look: state.look, node: id }]);
    } else if (e.key.toLowerCase() === "p") {
      e.preventDefault();
      e.stopPropagation();
      act.peek(id);
    }
  }

  /** The nearest card in a direction. */
  next(card, [dx, dy]) {
    const mid = (el) => {
      const r = el.getBoundingClientRect();
      return [r.left + r.width / 2, r.top + r.height / 2];
    };
    const [x, y] = mid(card);
    let best = null, least = Infinity;
    for (const el of this.panel.querySelectorAll("[data-card]")) {
      const [u, v] = mid(el);
      const along = (u - x) * dx + (v - y) * dy;
      const aside = Math.abs((u - x) * dy) + Math.abs((v - y) * dx);
      if (along > 4 && along + 2 * aside < least) {
        least = along + 2 * aside;
        best = el;
      }
    }
    return best;
  }

  /** Pulls a wire from an output to an input, or into the open; or off an input. */
  pull(e) {
    const out = e.target.closest("[data-out]");
    const input = e.target.closest("[data-in].is-wired");
    if ((!out && !input) || e.button) return;
    const net = document.getElementById("net"), line = document.getElementById("pull");
    const r = net.getBoundingClientRect();
    let from = out?.dataset.out, taken = null;
    let start = out ?? input;
    if (input) {
      const wires = [...net.querySelectorAll(`[data-wire-to="${CSS.escape(input.dataset.in)}"]`)];
      taken = { from: wires.at(-1)?.dataset.wireFrom, to: input.dataset.in };
      from = taken.from;
      start = net.querySelector(`[data-out="${CSS.escape(from)}"]`) ?? input;
    }
    const s = start.getBoundingClientRect();
    const x0 = s.left + s.width / 2 - r.left, y0 = s.bottom - r.top;
    let far = false;
    e.preventDefault();
    const move = (ev) => {
      far ||= Math.hypot(ev.clientX - e.clientX, ev.clientY - e.clientY) > 6;
      if (far) line.setAttribute("d", `M${x0} ${y0}L${ev.clientX - r.left} ${ev.clientY - r.top}`);
    };
    const end = async (ev) => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", end);
      line.setAttribute("d", "");
      if (!far) return;
      const hit = document.elementFromPoint(ev.clientX, ev.clientY);
      const to = hit?.closest("[data-in]")?.dataset.in ?? hit?.closest("[data-card]")?.dataset.card;
      const edits = [];
      if (taken && to !== taken.to) edits.push({ op: "unwire", look: state.look, from: taken.from, to: taken.to });
      if (to && to !== taken?.to) edits.push({ op: "wire", look: state.look, from, to });
      if (edits.length) {
        await edit(edits);
        refresh("network", "bench");
      } else if (!to && !taken) act.search({ from });
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", end);
  }
}
