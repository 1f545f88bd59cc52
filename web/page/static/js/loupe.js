// The magnifier: pixels of the picture as they are, or four times as large, about the pointer, or
// about the picture's middle when there is none over it.
import { say } from "./studio.js";

const SIZE = 168;

export class Loupe {
  constructor(picture) {
    this.source = picture.canvas;
    this.easel = picture.easel;
    this.button = document.getElementById("magnify");
    this.glass = document.getElementById("loupe");
    this.glass.width = this.glass.height = SIZE;
    this.times = 0; // 0 for off
    this.at = null;
    this.button.addEventListener("click", () => this.next());
    this.easel.addEventListener("pointermove", (e) => {
      this.at = { x: e.clientX, y: e.clientY };
      this.show();
    });
    this.easel.addEventListener("pointerleave", () => {
      this.at = null;
      this.show();
    });
  }

  /** Off, as they are, four times as large, off again. */
  next() {
    this.times = { 0: 1, 1: 4, 4: 0 }[this.times];
    this.button.setAttribute("aria-pressed", String(this.times > 0));
    document.getElementById("magnify-times").textContent = this.times ? `${this.times}:1` : "";
    if (this.times) say(`Pixels ${this.times}:1 under the pointer.`);
    this.show();
  }

  show() {
    this.glass.hidden = !this.times;
    if (!this.times) return;
    const r = this.source.getBoundingClientRect(), room = this.easel.getBoundingClientRect();
    const at = this.at ?? { x: r.x + r.width / 2, y: r.y + r.height / 2 };
    const n = SIZE / this.times;
    const x = Math.round(((at.x - r.x) / r.width) * this.source.width - n / 2), y = Math.round(((at.y - r.y) / r.height) * this.source.height - n / 2);
    const ctx = this.glass.getContext("2d");
    ctx.imageSmoothingEnabled = false;
    ctx.clearRect(0, 0, SIZE, SIZE);
    ctx.drawImage(this.source, x, y, n, n, 0, 0, SIZE, SIZE);
    // Beside the pointer, on the side where there is room.
    const px = at.x - room.x, py = at.y - room.y;
    const left = px + 20 + SIZE < room.width ? px + 20 : px - 20 - SIZE;
    this.glass.style.left = `${Math.max(2, left)}px`;
    this.glass.style.top = `${Math.max(2, Math.min(room.height - SIZE - 4, py - SIZE / 2))}px`;
  }
}
