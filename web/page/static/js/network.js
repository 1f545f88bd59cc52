// The network: cards are chosen, wires pulled. Where cards stand is the server's.
import { drag } from "./drag.js";
import { act, edit, refresh, state, unsay, where } from "./studio.js";
import { actionFor } from "./actions.js";

/** A picture as a file that an img shows: a canvas for each card would be a layer of its own
 * to the browser, and two hundred layers cost a tenth of a second whenever one changes. */
function bitmap(pixels, w, h) {
  const head = new DataView(new ArrayBuffer(122)); // a BMP with a V4 header, in the order of our bytes
  const put = (at, v) => head.setUint32(at, v, true);
  head.setUint16(0, 0x424d);
  put(2, 122 + pixels.length);
  put(10, 122);
  put(14, 108);
  put(18, w);
  head.setInt32(22, -h, true); // the first row is the top one
  put(26, 1 | (32 << 16)); // planes, bits
  put(30, 3); // by masks
  put(34, pixels.length);
  [0xff, 0xff00, 0xff0000, 0xff000000, 0x73524742].forEach((v, i) => put(54 + 4 * i, v)); // red, green, blue, alpha, sRGB
  return new Blob([head, pixels], { type: "image/bmp" });
}

export class Network {
  constructor() {
    this.pictures = new Map(); // "node.port" → ImageData
    this.ranges = new Map(); // "node.port" → [least, greatest value]
    this.zoom = 1;
    for (const name of ["network", "list"]) {
      const panel = document.getElementById(name);
      panel.addEventListener("click", (e) => this.click(e));
      panel.addEventListener("dblclick", (e) => this.open(e));
      panel.addEventListener("keydown", (e) => this.key(e, panel));
      panel.addEventListener("contextmenu", (e) => {
        const card = e.target.closest("[data-card]");
        if (!card) return;
        e.preventDefault();
        act.choose(card.dataset.card);
        act.menu(card);
      });
    }
    this.panel = document.getElementById("network");
    this.panel.addEventListener("pointerdown", (e) => this.pull(e) || this.pan(e));
    this.panel.addEventListener("pointerover", (e) => this.chain(e.target.closest?.("[data-card]")?.dataset.card));
    this.panel.addEventListener("pointerleave", () => this.chain(null));
    this.panel.addEventListener("focusin", (e) => e.target.matches("[data-card]") && this.chain(e.target.dataset.card));
    this.panel.addEventListener("focusout", () => this.chain(null));
    this.panel.addEventListener("wheel", (e) => {
      if (!e.ctrlKey) return;
      e.preventDefault();
      this.zoomTo(this.zoom * (e.deltaY < 0 ? 1.1 : 1 / 1.1), e);
    }, { passive: false });
    // Scrolling does not bubble; the sheet may also be given more room.
    this.panel.addEventListener("scroll", () => this.sight(), { capture: true, passive: true });
    new ResizeObserver(() => this.sight()).observe(this.panel);
    this.panel.addEventListener("input", (e) => e.target.id === "find" && this.find(e.target.value));
    this.panel.addEventListener("keydown", (e) => {
      if (e.target.id !== "find" || e.key !== "Enter") return;
      const card = this.find(e.target.value);
      if (!card) return;
      act.choose(card.dataset.card);
      e.target.value = "";
      this.find("");
      card.focus();
    });
  }

  /** Takes up a panel that has just come. */
  attach(panel) {
    this.paint(panel);
    this.mark();
    const of = `${state.look}/${state.path}`;
    if (panel.id === "network" && this.of !== of) {
      // A network that is somewhat too large for the panel comes a little smaller.
      this.of = of;
      this.fit(0.8);
    } else this.zoomTo(this.zoom);
    this.sight();
    this.lit = undefined; // cards may stand elsewhere now than the pointer
  }

  /** Empties the cards that are far out of view: the browser composes a hundred and fifty
   * clipped boxes anew in every frame in which one of the network's changes. What is left of
   * such a card can be reached, named and scrolled to. */
  sight() {
    const scroll = document.getElementById("net-scroll"), z = this.zoom;
    if (!scroll) return;
    const room = 120; // pixels round the view, for the next stretch of scrolling
    const net = document.getElementById("net"), at = net.getBoundingClientRect(), seen = scroll.getBoundingClientRect();
    const x0 = (seen.left - at.left - room) / z, x1 = (seen.right - at.left + room) / z;
    const y0 = (seen.top - at.top - room) / z, y1 = (seen.bottom - at.top + room) / z;
    for (const box of net.querySelectorAll(".card-box")) {
      const x = parseInt(box.style.left), y = parseInt(box.style.top);
      const far = x > x1 || y > y1 || x + parseInt(box.style.width) < x0 || y + parseInt(box.style.height) < y0;
      if (box.classList.contains("is-far") !== far) box.classList.toggle("is-far", far);
    }
  }

  /** Forgets the pictures of a network that has been left. */
  forget() {
    for (const url of this.pictures.values()) URL.revokeObjectURL(url);
    this.pictures.clear();
    this.ranges.clear();
  }

  cards(list) {
    for (const c of list) {
      const old = this.pictures.get(c.name);
      this.pictures.set(c.name, URL.createObjectURL(bitmap(c.pixels, c.w, c.h)));
      this.ranges.set(c.name, [c.min, c.max]);
      for (const img of document.querySelectorAll(`img[data-picture="${CSS.escape(c.name)}"]`)) this.draw(img);
      for (const el of document.querySelectorAll(`[data-over="${CSS.escape(c.name)}"]`)) this.over(el);
      if (old) URL.revokeObjectURL(old);
    }
  }

  paint(root) {
    for (const img of root.querySelectorAll("img[data-picture]")) this.draw(img);
    for (const el of root.querySelectorAll("[data-over]")) this.over(el);
  }

  draw(img) {
    const url = this.pictures.get(img.dataset.picture);
    if (url && img.src !== url) img.src = url;
  }

  /** Marks a card whose values leave 0 to 1. */
  over(el) {
    const [least, most] = this.ranges.get(el.dataset.over) ?? [0, 0];
    const said = [least < -0.0005 ? `least ${this.round(least)}` : "", most > 1.0005 ? `up to ${this.round(most)}` : ""].filter(Boolean);
    if (el.textContent === said.join(", ")) return; // what is set is styled anew, be it the same
    el.hidden = !said.length;
    el.textContent = said.join(", ");
    el.title = "Values outside 0 to 1";
    const card = el.closest("[aria-label]");
    if (!card) return;
    // What is seen on the card is said with it, before what it reads.
    card.dataset.says ??= card.ariaLabel;
    const [own, ...reads] = card.dataset.says.split(";");
    card.ariaLabel = [said.length ? `${own}, ${said.join(", ")}` : own, ...reads].join(";");
  }

  round(v) {
    return Math.abs(v) >= 1000 ? v.toExponential(1) : String(Math.round(v * 100) / 100);
  }

  /** Shows which nodes are chosen beside the one. */
  mark() {
    unsay();
    for (const el of document.querySelectorAll("[data-card]")) {
      el.classList.toggle("is-selected", state.selected.has(el.dataset.card));
      const on = String(el.dataset.card === state.node);
      if (el.getAttribute("aria-pressed") !== on) el.setAttribute("aria-pressed", on);
    }
  }

  click(e) {
    if (this.dragged) return (this.dragged = false);
    const pick = e.target.closest("[data-pick]");
    if (pick) return;
    const card = e.target.closest("[data-card]");
    if (card && !e.target.closest(".fold")) {
      if (e.shiftKey || e.ctrlKey || e.metaKey) return act.toggle(card.dataset.card);
      state.selected.clear();
      return act.choose(card.dataset.card);
    }
    const wire = e.target.closest(".wire");
    if (wire) return act.search({ to: wire.dataset.wireTo });
    const port = e.target.closest("[data-in]");
    if (port && e.detail) return act.pick(port.dataset.in);
    const out = e.target.closest("[data-out]");
    if (out && e.detail) act.peek(out.dataset.out);
  }

  open(e) {
    const card = e.target.closest("[data-card]");
    if (!card || e.target.closest(".fold")) return;
    if (card.matches(".is-group")) act.enter(card.dataset.card);
    else if (card.matches("[data-section]")) act.run("into");
    else act.peek(card.dataset.card);
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
    const on = Boolean(node && document.getElementById(`box-${node}`));
    net.classList.toggle("has-chain", on);
    const up = on ? grow(node, "to", "from") : new Set();
    const down = on ? grow(node, "from", "to") : new Set();
    for (const box of net.querySelectorAll(".card-box")) {
      const id = box.id.slice(4);
      box.classList.toggle("in-chain", up.has(id) || down.has(id));
    }
    for (const w of wires) w.el.classList.toggle("in-chain", (up.has(w.to) && up.has(w.from)) || (down.has(w.from) && down.has(w.to)));
  }

  key(e, panel) {
    const card = e.target.closest("[data-card]");
    if (!card) return;
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    if (arrows[e.key] && !e.ctrlKey && !e.metaKey && !e.altKey) {
      e.preventDefault();
      this.next(panel, card, arrows[e.key])?.focus();
    } else if (e.key === " ") {
      e.preventDefault();
      act.choose(card.dataset.card);
    } else {
      // The keys of a card act on it, or on all that are chosen if it is one of them.
      const a = actionFor(e);
      if (!a) return;
      e.preventDefault();
      e.stopPropagation();
      const id = card.dataset.card;
      if (a.id !== "pick" && a.id !== "choose" && id !== state.node && !state.selected.has(id)) {
        state.selected.clear();
        act.choose(id, { quiet: true });
      }
      if (a.id === "choose") act.choose(id);
      else a.run();
    }
  }

  /** The nearest card in a direction. */
  next(panel, card, [dx, dy]) {
    const mid = (el) => {
      const r = el.getBoundingClientRect();
      return [r.left + r.width / 2, r.top + r.height / 2];
    };
    const [x, y] = mid(card);
    let best = null, least = Infinity;
    for (const el of panel.querySelectorAll("[data-card]")) {
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

  zoomTo(z, e) {
    const net = document.getElementById("net"), scroll = document.getElementById("net-scroll");
    if (!net || !scroll) return;
    const old = this.zoom;
    if (!e && z === old && Number(net.style.zoom) === z) return;
    this.zoom = Math.max(0.25, Math.min(2, z));
    const r = scroll.getBoundingClientRect();
    const at = e ? [e.clientX - r.left, e.clientY - r.top] : [0, 0];
    const x = scroll.scrollLeft + at[0], y = scroll.scrollTop + at[1];
    net.style.zoom = this.zoom;
    net.style.setProperty("--zoom", this.zoom);
    if (e) scroll.scrollTo((x * this.zoom) / old - at[0], (y * this.zoom) / old - at[1]);
    const is = document.getElementById("zoom-is");
    if (is) is.textContent = `${Math.round(this.zoom * 100)} %`;
    this.sight();
  }

  /** Fits the network into the panel, as far as the least zoom allows. */
  fit(least = 0.25) {
    const net = document.getElementById("net"), scroll = document.getElementById("net-scroll");
    const w = Number(net.dataset.w), h = Number(net.dataset.h);
    this.zoomTo(Math.max(least, Math.min(1, (scroll.clientWidth - 20) / w, (scroll.clientHeight - 20) / h)));
  }

  find(text) {
    const want = text.trim().toLowerCase();
    let first = null, best = 0; // the name counts for more than the kind
    for (const el of this.panel.querySelectorAll("[data-card]")) {
      const name = (el.querySelector("b") ?? el).textContent.toLowerCase();
      const hit = !want ? 0 : name === want ? 4 : name.startsWith(want) ? 3 : name.includes(want) ? 2 : el.textContent.toLowerCase().includes(want) ? 1 : 0;
      el.classList.toggle("is-found", hit > 0);
      if (hit > best) [first, best] = [el, hit];
    }
    first?.scrollIntoView({ block: "center", inline: "center" });
    return first;
  }

  /** Moves the view of the network by dragging its ground. */
  pan(e) {
    if (e.button > 1 || e.target.closest("button,input,[data-card],.wire,.net-head")) return;
    const scroll = document.getElementById("net-scroll");
    if (!scroll?.contains(e.target)) return;
    const x = scroll.scrollLeft + e.clientX, y = scroll.scrollTop + e.clientY;
    e.preventDefault(); // so that no text is selected
    drag(e, scroll, { move: (ev) => scroll.scrollTo(x - ev.clientX, y - ev.clientY), end() {} });
  }

  /** Pulls a wire from an output to an input, or into the open; or off an input. */
  pull(e) {
    const out = e.target.closest("[data-out]");
    const input = e.target.closest("[data-in].is-wired");
    if ((!out && !input) || e.button) return false;
    const net = document.getElementById("net"), line = document.getElementById("pull");
    const r = net.getBoundingClientRect(), z = this.zoom;
    let from = out?.dataset.out, taken = null;
    let start = out ?? input;
    if (input) {
      const wires = [...net.querySelectorAll(`[data-wire-to="${CSS.escape(input.dataset.in)}"]`)];
      if (!wires.length) return false;
      taken = { from: wires.at(-1).dataset.wireFrom, to: input.dataset.in };
      from = taken.from;
      start = net.querySelector(`[data-out="${CSS.escape(from)}"]`) ?? input;
    }
    const s = (start.getClientRects().length ? start : start.closest(".card-box")).getBoundingClientRect();
    const x0 = (s.left + s.width / 2 - r.left) / z, y0 = (s.bottom - r.top) / z;
    let far = false;
    e.preventDefault();
    drag(e, e.target.closest("button") ?? net, {
      move: (ev) => {
        far ||= Math.hypot(ev.clientX - e.clientX, ev.clientY - e.clientY) > 6;
        if (far) line.setAttribute("d", `M${x0} ${y0}L${(ev.clientX - r.left) / z} ${(ev.clientY - r.top) / z}`);
      },
      end: async (ev, kept) => {
        line.setAttribute("d", "");
        if (!far) return;
        this.dragged = true;
        setTimeout(() => (this.dragged = false), 0);
        if (!kept) return;
        const hit = document.elementFromPoint(ev.clientX, ev.clientY);
        const to = hit?.closest("[data-in]")?.dataset.in ?? hit?.closest("[data-card]:not([data-section])")?.dataset.card;
        const edits = [];
        if (taken && to !== taken.to) edits.push({ op: "unwire", ...where(), from: taken.from, to: taken.to });
        if (to && to !== taken?.to) edits.push({ op: "wire", ...where(), from, to });
        if (edits.length) {
          await edit(edits);
          refresh("network", "list", "bench");
        } else if (!to && !taken) act.search({ from });
      },
    });
    return true;
  }
}
