// The line to the server: frames and card pictures come in as binary messages,
// everything else as JSON. It comes back by itself when it breaks.

const FRAME = 1, CARDS = 2, BALL = 3, TRIED = 4, STRIP = 5;

export class Live {
  /**
   * @param {string} base address of the project
   * @param {Object<string, Function>} on what to call: stored, problem, tones, frame, cards, tried, strip, ball, lost, again
   */
  constructor(base, on) {
    this.base = base;
    this.on = on;
    this.seq = 0;
    this.wait = 250;
    this.times = 0; // how often it was open
    this.tried = 0; // when something was tried last that was not dropped
    this.open();
  }

  open() {
    const ws = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${this.base}/live`);
    ws.binaryType = "arraybuffer";
    ws.onopen = () => {
      this.wait = 250;
      this.ws = ws;
      this.on.lost(false);
      this.on.again(this.times++ > 0);
    };
    ws.onmessage = (e) => (typeof e.data === "string" ? this.text(JSON.parse(e.data)) : this.binary(e.data));
    ws.onclose = () => {
      if (!this.ws) this.admitted();
      this.ws = null;
      if (document.visibilityState !== "hidden" || this.wait < 4000) this.on.lost(true);
      setTimeout(() => this.open(), this.wait);
      this.wait = Math.min(4000, this.wait * 1.6);
    };
  }

  /** Goes to the door where the session has ended. */
  async admitted() {
    const res = await fetch(`${this.base}/panel/hint`, { headers: { Accept: "application/json" } }).catch(() => null);
    if (res?.status === 401) location.href = "/sign-in";
    if (res?.status === 404) this.on.gone();
  }

  /** Asks for something that changes nothing in the picture. */
  ask(m) {
    if (this.ws?.readyState === WebSocket.OPEN) this.ws.send(JSON.stringify(m));
  }

  send(m) {
    m.seq = ++this.seq;
    if (this.ws?.readyState === WebSocket.OPEN) this.ws.send(JSON.stringify(m));
    return m.seq;
  }

  /** What the page looks at: size, look, node, peek. */
  view(v) {
    this.send({ t: "view", ...v });
  }

  /** Draws edits without storing them. */
  tryEdits(edits) {
    this.tried = performance.now();
    return this.send({ t: "try", edits });
  }

  /** Forgets what was only tried. */
  drop() {
    this.tried = 0;
    this.send({ t: "drop" });
  }

  text(m) {
    this.on[m.t]?.(m);
  }

  binary(buf) {
    const v = new DataView(buf);
    switch (v.getUint8(0)) {
      case FRAME: {
        const n = (i) => v.getUint16(12 + 2 * i, true);
        this.on.frame({
          passes: v.getUint8(1), done: v.getUint8(2) === 1, part: v.getUint8(3), seq: v.getUint32(4, true), version: v.getUint32(8, true),
          W: n(0), H: n(1), x: n(2), y: n(3), w: n(4), h: n(5), pixels: new Uint8ClampedArray(buf, 24),
        });
        break;
      }
      case CARDS:
      case TRIED:
      case STRIP: {
        const list = [];
        let at = 3;
        for (let i = v.getUint16(1, true); i > 0; i--) {
          const len = v.getUint8(at);
          const name = new TextDecoder().decode(new Uint8Array(buf, at + 1, len));
          at += 1 + len;
          const w = v.getUint16(at, true), h = v.getUint16(at + 2, true);
          const min = v.getFloat32(at + 4, true), max = v.getFloat32(at + 8, true);
          list.push({ name, w, h, min, max, pixels: new Uint8ClampedArray(buf.slice(at + 12, at + 12 + 4 * w * h)) });
          at += 12 + 4 * w * h;
        }
        this.on[{ [CARDS]: "cards", [TRIED]: "tried", [STRIP]: "strip" }[v.getUint8(0)]](list);
        break;
      }
      case BALL:
        this.on.ball(v.getUint16(1, true), new Uint8ClampedArray(buf, 3));
    }
  }
}
