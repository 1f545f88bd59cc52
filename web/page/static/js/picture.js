// The picture: draws frames, and tells the server what the hand does on it.
// What a movement means is worked out by the server.
import { drag } from "./drag.js";
import { act, say, state } from "./studio.js";

export class Picture {
  constructor(live, view) {
    this.live = live;
    this.canvas = document.getElementById("picture");
    this.ctx = this.canvas.getContext("2d", { alpha: true });
    this.easel = document.getElementById("easel");
    this.ballCanvas = document.getElementById("ball");
    this.current = "turn";
    this.frames = 0;
    this.state = ""; // what the rim says while it plays
    this.fixed = document.getElementById("size");
    const asked = new URLSearchParams(location.search).get("size");
    if (asked && /^\d+x\d+$/.test(asked)) {
      if (![...this.fixed.options].some((o) => o.value === asked)) this.fixed.add(new Option(asked.replace("x", " × "), asked));
      this.fixed.value = asked;
    }
    let waiting = 0;
    const sized = () => {
      clearTimeout(waiting);
      waiting = setTimeout(view, 60);
    };
    new ResizeObserver(sized).observe(this.easel);
    this.fixed.addEventListener("change", view);
    this.way = "highlight"; // what the light tool moves
    this.told = view;
    for (const b of document.querySelectorAll("[data-tool]")) b.addEventListener("click", () => this.tool(b.dataset.tool));
    for (const b of document.querySelectorAll("[data-way]")) b.addEventListener("click", () => this.ways(b.dataset.way));
    this.hands(this.canvas, () => this.current);
    this.hands(this.ballCanvas, () => "ball");
    this.keys();
    this.canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    const greys = ["#767676", "#2b2c2e", "#b9babc", "#ededee"];
    document.getElementById("surround").addEventListener("click", () => {
      const at = (greys.indexOf(localStorage.getItem("surround")) + 1) % greys.length;
      localStorage.setItem("surround", greys[at]);
      this.easel.style.background = greys[at];
    });
    this.easel.style.background = localStorage.getItem("surround") || greys[0];
    this.showLight();
    if (this.canvas.style.backgroundImage) this.lay(); // the picture that is kept takes the place of the one to come
  }

  /** Size to render, in pixels of the screen. */
  size() {
    if (this.fixed.value) {
      const [w, h] = this.fixed.value.split("x").map(Number);
      return { w, h };
    }
    const r = this.easel.getBoundingClientRect(), k = window.devicePixelRatio || 1;
    return { w: Math.max(16, Math.round(r.width * k)), h: Math.max(16, Math.round(r.height * k)) };
  }

  aspect() {
    const s = this.size();
    return s.w / s.h;
  }

  /** Gives the picture its place on the easel, no larger than it is. */
  lay() {
    const s = this.size(), k = window.devicePixelRatio || 1, r = this.easel.getBoundingClientRect();
    const fit = Math.min(1, r.width / (s.w / k), r.height / (s.h / k));
    this.canvas.style.width = `${(s.w / k) * fit}px`;
    this.canvas.style.height = `${(s.h / k) * fit}px`;
    return { s, fit };
  }

  /** Draws a frame; a smaller one, as while the hand moves, fills the same place, smoothly. */
  frame(f) {
    const c = this.canvas;
    if (c.width !== f.W || c.height !== f.H) {
      c.width = f.W;
      c.height = f.H;
    }
    if (f.w > 0) this.ctx.putImageData(new ImageData(f.pixels, f.w, f.h), f.x, f.y);
    if (f.w > 0) c.style.background = ""; // what was kept from before shows no longer
    this.frames++;
    const { s, fit } = this.lay();
    document.getElementById("rim-state").textContent = this.state ? this.state : f.done && f.part === 100 ? `settled, ${f.passes} positions` : f.passes > 1 ? `${f.passes} positions` : "first pass";
    const percent = fit < 0.995 ? ` · ${Math.round(fit * 100)} %` : "";
    document.getElementById("rim-view").textContent = `${document.getElementById("view-says")?.textContent ?? "plain colours"} · ${s.w} × ${s.h}${percent}`;
    this.shown = { seq: f.seq, version: f.version, passes: f.passes, done: f.done, part: f.part, at: performance.now() };
    if (this.placed?.length) this.showLamps();
    this.onframe?.(this.shown);
  }

  ball(size, pixels) {
    this.ballCanvas.getContext("2d").putImageData(new ImageData(pixels, size, size), 0, 0);
  }

  /** Shows which look stands on which side, or that there is one alone. */
  split(names) {
    const el = document.getElementById("split");
    el.hidden = !names;
    if (!names) return;
    document.getElementById("split-left").textContent = names[0];
    document.getElementById("split-right").textContent = names[1];
  }

  showLight() {
    const name = document.querySelector(`[data-light-name="${CSS.escape(state.light)}"]`)?.textContent ?? "no light";
    const el = document.getElementById("ball-name");
    if (el.textContent !== name) el.textContent = name;
  }

  tool(name) {
    if (name === "light" && this.current === "light") {
      const all = ["highlight", "shadow", "itself"];
      return this.ways(all[(all.indexOf(this.way) + 1) % all.length]);
    }
    this.current = name;
    for (const b of document.querySelectorAll("[data-tool]")) b.setAttribute("aria-pressed", b.dataset.tool === name);
    this.canvas.dataset.tool = name;
    document.getElementById("ways").hidden = name !== "light";
    this.doing("");
    this.holds = false;
    document.getElementById("asked").hidden = true;
    this.showLamps();
    this.told();
  }

  /** Chooses what the light tool moves: the highlight, the shadow's edge, the light. */
  ways(way) {
    this.way = way;
    for (const b of document.querySelectorAll("[data-way]")) b.setAttribute("aria-pressed", b.dataset.way === way);
  }

  /** Says on the picture what a tool is doing. */
  doing(text) {
    const el = document.getElementById("doing");
    el.textContent = text;
    el.hidden = !text;
  }

  /** Takes the places of the lights that stand in the picture. */
  lamps(list) {
    this.placed = list;
    this.showLamps();
  }

  showLamps() {
    const box = document.getElementById("lamps");
    const list = this.current === "light" ? (this.placed ?? []) : [];
    const r = this.canvas.getBoundingClientRect(), o = this.easel.getBoundingClientRect();
    const old = new Map([...box.children].map((el) => [el.dataset.lamp, el]));
    for (const l of list) {
      let el = old.get(l.id);
      old.delete(l.id);
      if (!el) {
        el = document.createElement("button");
        el.dataset.lamp = l.id;
        el.append(document.createElement("i"), document.createElement("span"));
        box.append(el);
        this.hands(el, () => "lamp");
      }
      el.lastChild.textContent = l.name;
      el.title = l.seen ? `${l.name}: drag to move it` : `${l.name} stands outside the picture, on this side: drag to move it`;
      el.classList.toggle("is-out", !l.seen);
      el.classList.toggle("is-right", l.x * r.height > r.width * 0.8);
      el.setAttribute("aria-pressed", l.id === state.light);
      el.firstChild.style.background = l.color;
      const inset = l.seen ? 0 : 11; // so that a mark on the rim is seen whole
      el.style.left = `${r.left - o.left + Math.max(inset, Math.min(r.width - inset, l.x * r.height))}px`;
      el.style.top = `${r.top - o.top + Math.max(inset, Math.min(r.height - inset, l.y * r.height))}px`;
    }
    for (const el of old.values()) el.remove();
  }

  /** Shows where keys point in the picture. */
  mark() {
    const c = this.canvas.getBoundingClientRect(), o = document.getElementById("view").getBoundingClientRect(), el = document.getElementById("asked");
    el.hidden = false;
    el.style.left = `${c.left - o.left + this.at[0] * c.height}px`;
    el.style.top = `${c.top - o.top + this.at[1] * c.height}px`;
  }

  /** The colour of the picture under an event, as hex; null beside it. */
  colorAt(e) {
    const r = this.canvas.getBoundingClientRect();
    const x = Math.floor(((e.clientX - r.left) / r.width) * this.canvas.width), y = Math.floor(((e.clientY - r.top) / r.height) * this.canvas.height);
    if (x < 0 || y < 0 || x >= this.canvas.width || y >= this.canvas.height) return null;
    const [red, green, blue, alpha] = this.ctx.getImageData(x, y, 1, 1).data;
    return alpha ? `#${[red, green, blue].map((v) => v.toString(16).padStart(2, "0")).join("").toUpperCase()}` : null;
  }

  /** Follows the hand on an element with the tool that which() names. */
  hands(el, which) {
    const at = (e, tool) => {
      const r = (tool === "ball" ? el : this.canvas).getBoundingClientRect();
      if (tool === "ball") return [((e.clientX - r.left) / r.width) * 2.1 - 1.05, ((e.clientY - r.top) / r.height) * 2.1 - 1.05];
      return [(e.clientX - r.left) / r.height, (e.clientY - r.top) / r.height];
    };
    el.addEventListener("pointerdown", (e) => {
      if (e.button > 1) return;
      const tool = e.button === 1 ? "pan" : which();
      if (tool === "pick") return this.picks(e);
      if (tool === "lamp") act.takeLight(el.dataset.lamp);
      const [x0, y0] = at(e, tool);
      const straight = tool === "ball" || (tool === "light" && this.way === "highlight");
      let last = [x0, y0], moved = straight;
      el.focus({ preventScroll: true });
      e.preventDefault();
      const asks = tool === "ask" || tool === "edge";
      const tell = (final, phase = "move") => {
        if (asks) this.live.ask({ t: "point", tool, phase: final ? "up" : phase, x: last[0], y: last[1] });
        else this.live.send({ t: "hand", tool: tool === "lamp" ? "light" : tool, mode: tool === "lamp" ? "itself" : this.way, light: state.light, x0, y0, x: last[0], y: last[1], final });
      };
      if (asks) tell(false, "down");
      else if (straight) tell(false);
      drag(e, el, {
        slow: true,
        move: (ev) => {
          last = at(ev, tool);
          moved = true;
          tell(false);
        },
        end: (ev, kept) => {
          if (kept && moved) last = at(ev, tool);
          if (!kept || (!moved && !asks)) this.live.drop();
          else tell(true);
          if (tool === "edge") setTimeout(() => this.current === "edge" && this.doing(""), 2500);
        },
      });
    });
  }

  /** Gives the colour under the pointer to what is being coloured. */
  picks(e) {
    const hex = this.colorAt(e);
    if (hex) act.picked(hex);
    else say("There is no colour here to pick: the backdrop is transparent.", true);
  }

  wheel(e) {
    e.preventDefault();
    this.nudge("zoom", 0, Math.sign(e.deltaY) * 0.04);
  }

  /** Moves by steps, as keys and the wheel do; stored when they rest. */
  nudge(tool, dx, dy) {
    const n = (this.nudged ??= { tool, x: 0, y: 0, timer: 0 });
    if (n.tool !== tool) {
      clearTimeout(n.timer);
      this.live.send({ t: "hand", tool: n.tool, mode: "", light: state.light, x0: 0, y0: 0, x: n.x, y: n.y, final: true });
      n.tool = tool;
      n.x = n.y = 0;
    }
    n.x += dx;
    n.y += dy;
    const tell = (final) => this.live.send({ t: "hand", tool: n.tool, mode: "", light: state.light, x0: 0, y0: 0, x: n.x, y: n.y, final });
    tell(false);
    clearTimeout(n.timer);
    n.timer = setTimeout(() => {
      tell(true);
      this.nudged = null;
    }, 350);
  }

  keys() {
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    const on = (el, tool) =>
      el.addEventListener("keydown", (e) => {
        const d = arrows[e.key];
        if (!d || e.ctrlKey || e.altKey || e.metaKey) return;
        e.preventDefault();
        const step = e.shiftKey ? 0.12 : 0.03;
        this.nudge(tool(), d[0] * step, d[1] * step);
      });
    // What a tool asks of a place in the picture can be asked by keys too: arrows move a
    // mark over it, Enter presses there, and again for what is held.
    this.canvas.addEventListener("keydown", (e) => {
      if (!["ask", "edge", "pick"].includes(this.current) || e.ctrlKey || e.altKey || e.metaKey) return;
      const d = arrows[e.key];
      if (!d && e.key !== "Enter") return;
      e.preventDefault();
      e.stopPropagation();
      const r = this.canvas.getBoundingClientRect();
      this.at ??= [r.width / r.height / 2, 0.5];
      if (d) {
        const step = (e.shiftKey ? 20 : 2) / r.height;
        this.at = [Math.max(0, Math.min(r.width / r.height, this.at[0] + d[0] * step)), Math.max(0, Math.min(1, this.at[1] + d[1] * step))];
      }
      this.mark();
      const tell = (phase) => this.live.ask({ t: "point", tool: this.current, phase, x: this.at[0], y: this.at[1] });
      if (this.current === "edge" && d && this.holds) tell("move");
      if (e.key !== "Enter") return;
      if (this.current === "pick") return this.picks({ clientX: r.left + this.at[0] * r.height, clientY: r.top + this.at[1] * r.height });
      tell(this.holds ? "up" : "down");
      this.holds = this.current === "edge" && !this.holds;
    });
    on(this.canvas, () => (["turn", "pan", "zoom", "light"].includes(this.current) ? this.current : "turn"));
    on(this.ballCanvas, () => "light");
  }
}
