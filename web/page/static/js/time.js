// The strip of time: playing, scrubbing, marks; and the curves of moves that are drawn by hand.
import { drag } from "./drag.js";
import { edit, say } from "./studio.js";

const $ = (id) => document.getElementById(id);

/** The curve through points, in a box of 1000 × 100 that shows heights from -0.25 to 1.25: as core/move has it. */
function path(p) {
  const step = (i) => (p[i + 1][1] - p[i][1]) / (p[i + 1][0] - p[i][0]);
  const slope = (i) => {
    if (i === 0 || i === p.length - 1) return 0;
    const a = step(i - 1), b = step(i);
    return a * b <= 0 ? 0 : (2 * a * b) / (a + b);
  };
  const X = (x) => (1000 * x).toFixed(1), Y = (y) => (100 - (100 * (y + 0.25)) / 1.5).toFixed(1);
  let out = `M${X(p[0][0])} ${Y(p[0][1])}`;
  for (let i = 0; i + 1 < p.length; i++) {
    const h = (p[i + 1][0] - p[i][0]) / 3;
    out += `C${X(p[i][0] + h)} ${Y(p[i][1] + slope(i) * h)} ${X(p[i + 1][0] - h)} ${Y(p[i + 1][1] - slope(i + 1) * h)} ${X(p[i + 1][0])} ${Y(p[i + 1][1])}`;
  }
  return out;
}

export class Time {
  constructor(live, picture) {
    this.live = live;
    this.picture = picture;
    this.plays = false;
    this.at = null; // what is shown while it plays or is scrubbed; null for what is stored
    document.addEventListener("click", (e) => {
      const d = e.target.closest("[data-time-do],[data-goto]")?.dataset;
      if (d?.timeDo) this[d.timeDo]();
      else if (d?.goto) this.go(Math.min(Number(d.goto) * this.length, this.start(this.frames - 1)));
    });
    document.addEventListener("change", (e) => {
      if (!e.target.matches("[data-add-move]") || !e.target.value) return;
      edit([{ op: "move.add", value: e.target.value }]);
      e.target.value = "";
    });
    document.addEventListener("pointerdown", (e) => this.press(e));
    for (const [type, down] of [["pointerdown", true], ["pointerup", false], ["pointercancel", false]]) addEventListener(type, () => (this.down = down), true);
    document.addEventListener("keydown", (e) => this.key(e));
    document.addEventListener("dblclick", (e) => {
      const dot = e.target.closest(".curve [data-k]");
      if (dot) this.take(dot.closest(".curve"), Number(dot.dataset.k));
    });
    this.attach();
  }

  get row() {
    return document.querySelector("[data-time]");
  }
  num(name) {
    return Number(this.row?.dataset[name] ?? 0);
  }
  get frames() {
    return this.num("frames") || 1;
  }
  get length() {
    return this.num("length") || 4;
  }
  start(frame) {
    return frame / (this.num("rate") || 12);
  }
  /** The frame that is shown. */
  get frame() {
    return Math.min(this.frames - 1, Math.floor((this.at ?? this.num("at")) * this.num("rate") + 1e-6));
  }

  /** Shows the strip as it is; after it came anew, too. */
  attach() {
    for (const el of document.querySelectorAll(".curve")) this.curve(el);
    const row = this.row;
    if (!row) return;
    const at = this.at ?? this.num("at"), n = this.frames, length = this.length;
    const s = $("scrubber");
    s.style.setProperty("--at", this.frame / n);
    s.style.setProperty("--first", Math.min(1, this.num("first") / length));
    s.style.setProperty("--last", Math.min(1, (this.num("last") || length) / length));
    s.setAttribute("aria-valuenow", this.frame);
    s.setAttribute("aria-valuetext", `frame ${this.frame + 1} of ${n}, ${at.toFixed(2)} seconds`);
    $("moment").textContent = `${at.toFixed(2)} s · ${this.frame + 1} / ${n}`;
    $("play").setAttribute("aria-pressed", this.plays);
  }

  play() {
    if (!this.row) return say("Nothing moves yet: add a move on the stage panel, or read the Time node.", true);
    this.set(!this.plays);
    if (this.plays) this.live.drop(); // what was tried last is stored by now
    this.live.ask({ t: "play", on: this.plays });
  }

  set(on) {
    this.plays = on;
    if (!on) this.picture.state = "";
    this.attach();
  }

  stop() {
    if (this.plays) this.play();
    this.go(this.num("first"));
  }
  back() {
    this.step(-1);
  }
  forth() {
    this.step(1);
  }
  begin() {
    this.go(this.num("first"));
  }
  end() {
    this.go(this.start(this.last() - 1));
  }
  loop() {
    $("loop")?.click();
  }
  /** The frame after the last that is played. */
  last() {
    return Math.max(1, Math.min(this.frames, Math.ceil((this.num("last") || this.length) * this.num("rate") - 1e-6)));
  }
  mark(which) {
    edit([{ op: "time.set", key: which, value: which === "first" ? this.start(this.frame) : this.start(this.frame + 1) }]);
  }

  /** Shows the list of moves. */
  moves() {
    document.querySelector('[data-tab="stage"]').click();
    const look = (n) => {
      const panel = $("stage"), list = $("moves");
      if (list) panel.scrollTop += list.getBoundingClientRect().top - panel.getBoundingClientRect().top;
      else if (n) setTimeout(() => look(n - 1), 50);
    };
    look(60);
  }

  step(by) {
    if (!this.row) return;
    if (this.plays) this.play();
    this.scrub((this.frame + by + this.frames) % this.frames, false);
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.scrub(this.frame, true), 250);
  }

  go(at) {
    clearTimeout(this.resting);
    if (this.plays) this.play();
    this.at = null;
    if (this.row) this.row.dataset.at = at; // until the strip comes anew
    this.attach();
    edit([{ op: "time.set", key: "at", value: at }]);
  }

  /** Shows a frame; it is stored when the hand rests. */
  scrub(frame, final) {
    this.at = this.start(frame);
    this.attach();
    this.live.send({ t: "hand", tool: "time", x: (frame + 0.5) / this.frames, final });
  }

  /** What the studio says of playing. */
  told(m) {
    if (m.on && !this.plays) return; // it was under way as the hand stopped it
    if (!m.on) return this.plays && this.set(false);
    this.at = m.at;
    const drawn = m.settled < m.of ? (m.there < m.of ? `${m.there} of ${m.of} frames drawn` : `${m.settled} of ${m.of} settled`) : "all frames settled";
    this.picture.state = `${m.rate} a second · ${drawn}`;
    $("rim-state").textContent = this.picture.state;
    this.attach();
  }

  /** The document has changed: what it says of time holds again. */
  stored() {
    if (!this.plays) this.at = null;
    else this.rested();
  }

  /** While it plays, what was tried and is stored by now is let go of, so that frames are drawn ahead again. */
  rested() {
    clearTimeout(this.letting);
    if (!this.plays || !this.live.tried) return;
    if (this.down || performance.now() - this.live.tried < 300) this.letting = setTimeout(() => this.rested(), 150);
    else this.live.drop();
  }

  press(e) {
    if (e.button) return;
    const s = e.target.closest("#scrubber");
    if (s) {
      e.preventDefault();
      s.focus({ preventScroll: true });
      const r = s.getBoundingClientRect(), part = (ev) => Math.max(0, Math.min(1, (ev.clientX - r.left) / r.width));
      const which = e.target.closest("[data-mark]")?.dataset.mark;
      if (this.plays && !which) this.play();
      let last = e;
      const show = (ev) => {
        last = ev;
        if (!which) return this.scrub(Math.min(this.frames - 1, Math.floor(part(ev) * this.frames)), false);
        s.style.setProperty(`--${which}`, Math.round(part(ev) * this.frames) / this.frames);
      };
      if (!which) show(e);
      drag(e, s, {
        slow: true,
        move: show,
        end: (ev, kept) => {
          if (!kept) {
            this.at = null;
            if (!which) this.live.drop();
            return this.attach();
          }
          if (!which) return this.scrub(this.frame, true);
          const frame = Math.round(part(last) * this.frames);
          edit([{ op: "time.set", key: which, value: which === "last" && frame >= this.frames ? 0 : this.start(frame) }]);
        },
      });
      return;
    }
    const c = e.target.closest(".curve");
    if (c) this.pull(e, c);
  }

  key(e) {
    if (e.ctrlKey || e.altKey || e.metaKey) return;
    if (e.target.id === "scrubber") {
      const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[e.key];
      if (by) this.step(by * (e.shiftKey ? 10 : 1));
      else if (e.key === "Home") this.begin();
      else if (e.key === "End") this.end();
      else return;
      e.preventDefault();
      e.stopPropagation();
    } else if (e.target.matches?.(".curve, .curve *")) this.curveKey(e);
  }

  // --- curves ---

  points(el) {
    return (el.kept ??= JSON.parse(el.dataset.points).map((p) => [p.x, p.y]));
  }

  /** Draws a curve's points; its course is drawn by the studio. */
  curve(el) {
    if (el.dataset.points !== el.from) {
      el.from = el.dataset.points;
      el.kept = null;
    }
    const list = this.points(el), focus = el.contains(document.activeElement) ? document.activeElement.dataset.k : undefined;
    const line = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    line.setAttribute("viewBox", "0 0 1000 100");
    line.setAttribute("preserveAspectRatio", "none");
    line.innerHTML = `<g class="course"><path d="${path(list)}"/></g>`;
    el.replaceChildren(
      line,
      ...list.map(([x, y], k) => {
        const dot = document.createElement("button");
        dot.type = "button";
        dot.dataset.k = k;
        dot.style.left = `${100 * x}%`;
        dot.style.bottom = `${100 * ((y + 0.25) / 1.5)}%`;
        dot.setAttribute("aria-label", `point ${k + 1}: ${x.toFixed(2)}, ${y.toFixed(2)}`);
        return dot;
      }),
    );
    if (focus !== undefined) el.querySelector(`[data-k="${focus}"]`)?.focus();
  }

  /** Keeps a curve; it is drawn with it at once. */
  keepCurve(el, final) {
    this.curve(el);
    const change = { op: "move.set", id: el.dataset.curve, key: "curve", value: this.points(el).map(([x, y]) => [Math.round(x * 1000) / 1000, Math.round(y * 1000) / 1000]) };
    if (final) edit([change]);
    else this.live.tryEdits([change]);
  }

  /** Moves point k to a place, between its neighbours; the ends stay at the ends. */
  place(el, k, x, y) {
    const list = this.points(el), gap = 0.01;
    x = k === 0 ? 0 : k === list.length - 1 ? 1 : Math.max(list[k - 1][0] + gap, Math.min(list[k + 1][0] - gap, x));
    list[k] = [x, Math.max(-0.25, Math.min(1.25, y))];
  }

  pull(e, el) {
    e.preventDefault();
    const r = el.getBoundingClientRect(), list = this.points(el);
    const at = (ev) => [(ev.clientX - r.left) / r.width, 1.25 - (1.5 * (ev.clientY - r.top)) / r.height];
    const before = JSON.stringify(list);
    let k = Number(e.target.closest("[data-k]")?.dataset.k ?? -1);
    if (k < 0) {
      if (list.length >= 24) return say("A curve has at most 24 points.", true);
      const [x, y] = at(e);
      k = Math.max(1, list.findIndex((p) => p[0] > x));
      list.splice(k, 0, [x, y]);
      this.place(el, k, x, y);
      this.keepCurve(el, false);
    }
    el.querySelector(`[data-k="${k}"]`)?.focus();
    drag(e, el, {
      slow: true,
      move: (ev) => {
        this.place(el, k, ...at(ev));
        this.keepCurve(el, false);
      },
      end: (_, kept) => {
        if (!kept) {
          el.kept = JSON.parse(before);
          this.live.drop();
          return this.curve(el);
        }
        if (JSON.stringify(this.points(el)) !== before) this.keepCurve(el, true);
      },
    });
  }

  take(el, k) {
    const list = this.points(el);
    if (k === 0 || k === list.length - 1) return;
    list.splice(k, 1);
    this.keepCurve(el, true);
  }

  curveKey(e) {
    const el = e.target.closest(".curve"), k = Number(e.target.dataset.k ?? -1), list = this.points(el);
    const d = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    if (d && k >= 0) {
      const step = e.shiftKey ? 0.1 : 0.02;
      this.place(el, k, list[k][0] + d[0] * step, list[k][1] + d[1] * step);
      this.keepCurve(el, false);
      clearTimeout(el.resting);
      el.resting = setTimeout(() => this.keepCurve(el, true), 350);
    } else if (e.key === "Delete" && k >= 0) this.take(el, k);
    else if (e.key === "Insert" && list.length < 24) {
      const i = Math.max(0, Math.min(list.length - 2, k));
      list.splice(i + 1, 0, [(list[i][0] + list[i + 1][0]) / 2, (list[i][1] + list[i + 1][1]) / 2]);
      this.keepCurve(el, true);
    } else return;
    e.preventDefault();
    e.stopPropagation();
  }
}
