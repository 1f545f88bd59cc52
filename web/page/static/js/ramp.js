// The ramps on the bench: their band edges are dragged, or moved with keys.
import { drag } from "./drag.js";
import { edit, say, where } from "./studio.js";

/** All ramps of the node on the bench. */
export class Ramps {
  constructor(live) {
    this.live = live;
    this.held = new Map(); // element → Ramp
    this.last = null; // the tones that were told last
    this.attach();
  }

  /** Takes hold of the ramps that have just come onto the bench. */
  attach() {
    for (const el of this.held.keys()) if (!el.isConnected) this.held.delete(el);
    for (const el of document.querySelectorAll(".ramp")) {
      if (!this.held.has(el)) this.held.set(el, new Ramp(this.live, el, this));
      this.held.get(el).attach();
    }
  }

  /** Draws how the tones in view are spread. */
  tones(m) {
    this.last = m;
    for (const r of this.held.values()) r.tones(m);
  }
}

class Ramp {
  constructor(live, el, all) {
    this.live = live;
    this.el = el;
    this.all = all;
    this.chosen = 1;
    el.addEventListener("pointerdown", (e) => this.down(e));
    el.addEventListener("focusin", (e) => e.target.matches("[data-edge]") && this.pick(Number(e.target.dataset.edge)));
    el.addEventListener("keydown", (e) => this.key(e));
    el.addEventListener("dblclick", (e) => {
      if (!e.target.closest(".ramp-box")) return;
      const at = this.place(e);
      edit([this.op("ramp.add", { value: at })]);
      this.chosen = this.edges().filter((b) => Number(b.dataset.at) <= at).length;
    });
    el.addEventListener("click", (e) => e.target.closest("[data-fit]") && this.fit());
    el.addEventListener("change", (e) => e.target.matches("[data-bands]") && this.bands(e.target));
  }

  attach() {
    const of = `${this.el.dataset.ramp} ${this.el.dataset.key}`;
    if (of !== this.of) {
      this.of = of;
      this.chosen = 1;
    }
    if (this.all.last) this.tones(this.all.last);
    this.rows();
    this.pick(Math.min(this.chosen, this.edges().length - 1));
  }

  get strip() {
    return this.el.querySelector(".ramp-strip");
  }

  op(op, more) {
    return { op, ...where(), node: this.el.dataset.ramp, key: this.el.dataset.key, ...more };
  }

  fit() {
    const m = this.all.last;
    if (!m || m.node !== this.el.dataset.ramp) return say("Nothing in view reads this ramp, so there is nothing to fit it to.", true);
    edit([this.op("ramp.fit", { value: m.bins })]);
  }

  bands(select) {
    if (select.value === "+") edit([this.op("bands.make")]);
    else if (select.value) edit([this.op("bands.join", { id: select.value })]);
    else edit([this.op("bands.leave")]);
  }

  edges() {
    return [...this.el.querySelectorAll("[data-edge]")];
  }

  place(e) {
    const r = this.strip.getBoundingClientRect();
    return Math.max(0, Math.min(1, (e.clientX - r.left) / r.width));
  }

  pick(index) {
    this.chosen = Math.max(0, index);
    for (const b of this.edges()) b.classList.toggle("is-on", Number(b.dataset.edge) === this.chosen);
    for (const s of this.el.querySelectorAll("[data-stop]")) s.hidden = Number(s.dataset.stop) !== this.chosen;
  }

  down(e) {
    const handle = e.target.closest("[data-edge]");
    if (!handle || e.button) return;
    const index = Number(handle.dataset.edge);
    this.pick(index);
    const start = e.clientX, from = Number(handle.dataset.at);
    const width = this.strip.getBoundingClientRect().width;
    const [low, high] = this.room(handle);
    let at = from, moved = false;
    drag(e, handle, {
      move: (ev) => {
        const next = Math.max(low, Math.min(high, from + (ev.clientX - start) / width));
        if (next === at) return;
        at = next;
        moved = true;
        this.show(handle, at);
        this.live.tryEdits([this.change(index, at)]);
      },
      end: async (_, kept) => {
        if (kept && moved) await this.keep(index, at);
        else this.show(handle, from);
        this.live.drop();
      },
    });
  }

  /** Between which tones an edge may move, as the server says. */
  room(handle) {
    return [Number(handle.dataset.low), Number(handle.dataset.high)];
  }

  change(index, at) {
    return this.op("ramp.stop", { index, value: { at: Math.round(at * 1e5) / 1e5 } });
  }

  async keep(index, at) {
    return edit([this.change(index, at)]);
  }

  show(handle, at) {
    handle.dataset.at = at;
    if (handle.dataset.edge !== "0") handle.style.left = `${at * 100}%`;
    handle.setAttribute("aria-valuenow", at.toFixed(3));
    handle.setAttribute("aria-valuetext", at.toFixed(3));
    const field = this.el.querySelector(`[data-stop="${handle.dataset.edge}"] [aria-label="Band edge"]`);
    if (field) field.value = String(Math.round(at * 1000) / 1000);
    this.rows();
    this.paint();
  }

  /** Puts the handles of edges that lie close together below each other, so that a hand finds each. */
  rows() {
    const wide = this.strip.clientWidth, ends = []; // of each row, where its last handle ends
    for (const b of this.edges()) {
      const x = b.dataset.edge === "0" ? 0 : Number(b.dataset.at) * wide;
      let row = ends.findIndex((end) => x >= end);
      if (row < 0) row = ends.length;
      ends[row] = x + 24;
      b.style.setProperty("--row", row);
    }
    this.strip.parentElement.style.setProperty("--rows", Math.max(0, ends.length - 1));
  }

  /** Lets the strip follow the hand: the colours stay, their borders move. */
  paint() {
    const all = this.edges();
    const strip = this.strip;
    const parts = [];
    all.forEach((b, i) => {
      const c = b.querySelector("span").style.backgroundColor;
      const from = i ? Number(b.dataset.at) * 100 : 0;
      const to = i + 1 < all.length ? Number(all[i + 1].dataset.at) * 100 : 100;
      parts.push(`${c} ${from}%`, `${c} ${to}%`);
      const name = this.el.querySelector(`[data-band-name="${i}"]`);
      if (name) {
        name.style.left = `${from}%`;
        name.style.width = `${to - from}%`;
      }
    });
    strip.style.background = `linear-gradient(to right,${parts.join(",")})`;
    if (this.all.last) this.shares(this.all.last);
  }

  async key(e) {
    const handle = e.target.closest("[data-edge]");
    if (!handle) return;
    const index = Number(handle.dataset.edge);
    const step = { ArrowLeft: -0.01, ArrowDown: -0.01, ArrowRight: 0.01, ArrowUp: 0.01 }[e.key];
    if (step) {
      e.preventDefault();
      const [low, high] = this.room(handle);
      const at = Math.max(low, Math.min(high, Number(handle.dataset.at) + step * (e.shiftKey ? 5 : 1)));
      this.show(handle, at);
      this.live.tryEdits([this.change(index, at)]);
      clearTimeout(this.resting);
      this.resting = setTimeout(async () => {
        await this.keep(index, at);
        this.live.drop();
      }, 300);
    } else if (e.key === "Delete" || e.key === "Backspace") {
      e.preventDefault();
      edit([this.op("ramp.remove", { index })]);
    } else if (e.key === "Insert" || e.key === "+") {
      e.preventDefault();
      edit([this.op("ramp.add")]);
    }
  }

  /** Draws how the tones in view are spread, and each band's share of them. */
  tones(m) {
    const canvas = this.el.querySelector(`[data-tones="${CSS.escape(m.node)}"]`);
    if (!canvas) return;
    const g = canvas.getContext("2d"), n = 128, each = m.bins.length / n;
    const bars = Array.from({ length: n }, (_, i) => m.bins.slice(i * each, (i + 1) * each).reduce((a, b) => a + b, 0));
    const top = Math.max(1, ...bars.slice(1, -1)) * 1.1;
    g.clearRect(0, 0, canvas.width, canvas.height);
    g.fillStyle = getComputedStyle(canvas).color;
    bars.forEach((v, i) => {
      const h = Math.min(1, v / top) * canvas.height;
      g.fillRect((i * canvas.width) / n, canvas.height - h, canvas.width / n - 1, h);
    });
    this.shares(m);
  }

  shares(m) {
    if (m.node !== this.el.dataset.ramp) return;
    const at = this.edges().map((b) => Number(b.dataset.at));
    for (const el of this.el.querySelectorAll("[data-share]")) {
      const i = Number(el.dataset.share);
      const from = i ? at[i] : 0, to = i + 1 < at.length ? at[i + 1] : 1;
      let sum = 0;
      m.bins.forEach((v, b) => {
        const lo = b / m.bins.length, hi = (b + 1) / m.bins.length;
        sum += v * Math.max(0, Math.min(hi, to) - Math.max(lo, from)) * m.bins.length;
      });
      el.textContent = m.total ? `${Math.round((100 * sum) / m.total)} %` : "";
    }
  }
}
