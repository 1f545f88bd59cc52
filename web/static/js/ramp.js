// The ramp on the bench: its band edges are dragged, or moved with keys.
import { edit, where } from "./studio.js";

export class Ramp {
  constructor(live) {
    this.live = live;
    this.last = null;
    this.chosen = 0;
    this.attach();
  }

  get el() {
    return document.getElementById("ramp");
  }

  /** Takes hold of a ramp that has just come onto the bench. */
  attach() {
    const el = this.el;
    if (!el) return;
    if (el.dataset.ramp !== this.node) {
      this.node = el.dataset.ramp;
      this.chosen = 1;
    }
    if (this.last) this.tones(this.last);
    this.pick(Math.min(this.chosen, this.edges().length - 1));
    if (el === this.held) return;
    this.held = el;
    el.addEventListener("pointerdown", (e) => this.down(e));
    el.addEventListener("focusin", (e) => e.target.matches("[data-edge]") && this.pick(Number(e.target.dataset.edge)));
    el.addEventListener("keydown", (e) => this.key(e));
    el.addEventListener("dblclick", (e) => {
      if (!e.target.closest(".ramp-box")) return;
      const at = this.place(e);
      edit([{ op: "ramp.add", ...where(), node: this.node, value: at }]);
      this.chosen = this.edges().filter((b) => Number(b.dataset.at) <= at).length;
    });
  }

  edges() {
    return [...this.el.querySelectorAll("[data-edge]")];
  }

  place(e) {
    const r = document.getElementById("ramp-strip").getBoundingClientRect();
    return Math.max(0, Math.min(1, (e.clientX - r.left) / r.width));
  }

  pick(index) {
    this.chosen = Math.max(0, index);
    for (const b of this.edges()) b.setAttribute("aria-pressed", Number(b.dataset.edge) === this.chosen);
    for (const s of this.el.querySelectorAll("[data-stop]")) s.hidden = Number(s.dataset.stop) !== this.chosen;
  }

  down(e) {
    const handle = e.target.closest("[data-edge]");
    if (!handle || e.button) return;
    const index = Number(handle.dataset.edge);
    this.pick(index);
    const start = e.clientX, from = Number(handle.dataset.at);
    const width = document.getElementById("ramp-strip").getBoundingClientRect().width;
    const [low, high] = this.room(index);
    let at = from, moved = false;
    handle.setPointerCapture(e.pointerId);
    const move = (ev) => {
      const next = Math.max(low, Math.min(high, from + (ev.clientX - start) / width));
      if (next === at) return;
      at = next;
      moved = true;
      this.show(handle, at);
      this.live.tryEdits([this.change(index, at)]);
    };
    const end = async (ev) => {
      handle.removeEventListener("pointermove", move);
      handle.removeEventListener("pointerup", end);
      handle.removeEventListener("pointercancel", end);
      if (ev.type === "pointerup" && moved) await this.keep(index, at);
      else this.show(handle, from);
      this.live.drop();
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", end);
    handle.addEventListener("pointercancel", end);
  }

  /** Between which tones an edge may move: its neighbours'. */
  room(index) {
    const at = this.edges().map((b) => Number(b.dataset.at));
    return [index > 0 ? at[index - 1] + 0.002 : 0, index + 1 < at.length ? at[index + 1] - 0.002 : 1];
  }

  change(index, at) {
    return { op: "ramp.stop", ...where(), node: this.node, index, value: { at: Math.round(at * 1e5) / 1e5 } };
  }

  async keep(index, at) {
    return edit([this.change(index, at)]);
  }

  show(handle, at) {
    handle.dataset.at = at;
    if (handle.dataset.edge !== "0") handle.style.left = `${at * 100}%`;
    handle.setAttribute("aria-valuenow", at.toFixed(3));
    const field = this.el.querySelector(`[data-stop="${handle.dataset.edge}"] [aria-label="Band edge"]`);
    if (field) field.value = String(Math.round(at * 1000) / 1000);
    this.paint();
  }

  /** Lets the strip follow the hand: the colours stay, their borders move. */
  paint() {
    const all = this.edges();
    const strip = document.getElementById("ramp-strip");
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
    if (this.last) this.shares(this.last);
  }

  async key(e) {
    const handle = e.target.closest("[data-edge]");
    if (!handle) return;
    const index = Number(handle.dataset.edge);
    const step = { ArrowLeft: -0.01, ArrowDown: -0.01, ArrowRight: 0.01, ArrowUp: 0.01 }[e.key];
    if (step) {
      e.preventDefault();
      const [low, high] = this.room(index);
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
      edit([{ op: "ramp.remove", ...where(), node: this.node, index }]);
    } else if (e.key === "Insert" || e.key === "+") {
      e.preventDefault();
      edit([{ op: "ramp.add", ...where(), node: this.node }]);
    }
  }

  /** Draws how the tones in view are spread, and each band's share of them. */
  tones(m) {
    this.last = m;
    const canvas = document.querySelector(`[data-tones="${CSS.escape(m.node)}"]`);
    if (!canvas) return;
    const g = canvas.getContext("2d"), n = m.bins.length;
    const top = Math.max(1, ...m.bins.slice(1, -1)) * 1.1;
    g.clearRect(0, 0, canvas.width, canvas.height);
    g.fillStyle = getComputedStyle(canvas).color;
    m.bins.forEach((v, i) => {
      const h = Math.min(1, v / top) * canvas.height;
      g.fillRect((i * canvas.width) / n, canvas.height - h, canvas.width / n - 1, h);
    });
    this.shares(m);
  }

  shares(m) {
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
