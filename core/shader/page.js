// Draws a stage with the shaders of its looks. It asks nobody for anything.
(() => {
  const canvas = document.querySelector("canvas");
  const gl = canvas.getContext("webgl2", { antialias: true, premultipliedAlpha: true, preserveDrawingBuffer: true });
  if (!gl) {
    canvas.replaceWith(Object.assign(document.createElement("p"), { className: "bad", textContent: "This browser cannot show it: it has no WebGL 2." }));
    return;
  }
  function bytes(s) {
    const text = atob(s), out = new Uint8Array(text.length);
    for (let i = 0; i < out.length; i++) out[i] = text.charCodeAt(i);
    return out.buffer;
  }
  const errors = [];

  function shader(kind, text) {
    const s = gl.createShader(kind);
    gl.shaderSource(s, text);
    gl.compileShader(s);
    if (!gl.getShaderParameter(s, gl.COMPILE_STATUS)) errors.push(gl.getShaderInfoLog(s));
    return s;
  }

  const outlineText = `#version 300 es
precision highp float;
uniform vec3 ink;
out vec4 pixel;
void main() { pixel = vec4(ink, 1.0); }`;

  function link(vertex, fragment) {
    const p = gl.createProgram();
    gl.attachShader(p, shader(gl.VERTEX_SHADER, vertex));
    gl.attachShader(p, shader(gl.FRAGMENT_SHADER, fragment));
    gl.linkProgram(p);
    if (!gl.getProgramParameter(p, gl.LINK_STATUS)) errors.push(gl.getProgramInfoLog(p));
    const at = new Map();
    return { p, at: (n) => { if (!at.has(n)) at.set(n, gl.getUniformLocation(p, n)); return at.get(n); } };
  }

  const programs = DATA.programs.map((d) => ({ ...d, ...link(d.vertex, d.fragment), shell: DATA.outline > 0 && d.outlined ? link(d.vertex, outlineText) : null, values: Object.fromEntries(d.uniforms.map((u) => [u.name, u.value.slice()])), pictures: d.textures.map(picture) }));

  /** Makes a texture of a picture; a middle grey until it is read, or where there is none. */
  function picture(t) {
    const tex = gl.createTexture();
    const wrap = { repeat: gl.REPEAT, mirror: gl.MIRRORED_REPEAT, clamp: gl.CLAMP_TO_EDGE }[t.wrap] ?? gl.REPEAT;
    const format = t.data ? gl.RGBA8 : gl.SRGB8_ALPHA8;
    gl.bindTexture(gl.TEXTURE_2D, tex);
    gl.texImage2D(gl.TEXTURE_2D, 0, format, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array([128, 128, 128, 255]));
    const ready = !t.url ? null : new Promise((done) => {
      const img = new Image();
      img.onload = () => {
        gl.bindTexture(gl.TEXTURE_2D, tex);
        gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, true);
        gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
        gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
        gl.texImage2D(gl.TEXTURE_2D, 0, format, gl.RGBA, gl.UNSIGNED_BYTE, img);
        gl.generateMipmap(gl.TEXTURE_2D);
        gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, wrap);
        gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, wrap);
        gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, t.nearest ? gl.NEAREST_MIPMAP_LINEAR : gl.LINEAR_MIPMAP_LINEAR);
        gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, t.nearest ? gl.NEAREST : gl.LINEAR);
        draw();
        done();
      };
      img.src = t.url;
    });
    return { name: t.name, tex, ready };
  }

  // One set of attribute numbers for all programs, so that a part is laid out once.
  const parts = DATA.parts.map((d) => {
    const prog = programs[d.program];
    const buffers = new Map(); // of attributes, once for all programs
    const buffer = (name, kind, data) => {
      if (!buffers.has(name)) {
        buffers.set(name, gl.createBuffer());
        gl.bindBuffer(kind, buffers.get(name));
        gl.bufferData(kind, bytes(data), gl.STATIC_DRAW);
      }
      gl.bindBuffer(kind, buffers.get(name));
    };
    const layout = (prog) => {
      const vao = gl.createVertexArray();
      gl.bindVertexArray(vao);
      const put = (name, data, size, type, normalized) => {
        const at = gl.getAttribLocation(prog.p, name);
        if (at < 0) return;
        if (!data) {
          gl.vertexAttrib4f(at, 0, 0, 0, 1);
          return;
        }
        buffer(name, gl.ARRAY_BUFFER, data);
        gl.enableVertexAttribArray(at);
        gl.vertexAttribPointer(at, size, type, normalized, size === 3 && type === gl.SHORT ? 8 : 0, 0);
      };
      put("position", d.position, 3, gl.FLOAT, false);
      put("normal", d.normal, 3, gl.SHORT, true);
      put("push", d.push, 3, gl.SHORT, true);
      put("rest", d.rest, 3, gl.FLOAT, false);
      put("uv", d.uv, 2, gl.FLOAT, false);
      d.baked.forEach((b, k) => put(`baked${k}`, b, 3, gl.FLOAT, false));
      buffer("index", gl.ELEMENT_ARRAY_BUFFER, d.index);
      gl.bindVertexArray(null);
      return vao;
    };
    return { ...d, vao: layout(prog), shellVao: prog.shell && layout(prog.shell), count: d.count };
  });

  const start = structuredClone(DATA.camera);
  let camera = structuredClone(start);

  const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const unit = (a) => { const l = Math.hypot(...a); return a.map((v) => v / l); };

  /** Where the camera stands, and what is right, up and back there. */
  function eye() {
    const az = (camera.azimuth * Math.PI) / 180, el = (camera.elevation * Math.PI) / 180;
    const back = [Math.sin(az) * Math.cos(el), Math.sin(el), Math.cos(az) * Math.cos(el)];
    const right = unit(cross([0, 1, 0], back)), up = cross(back, right);
    return { back, right, up, place: camera.target.map((t, k) => t + back[k] * camera.distance) };
  }

  /** The map from the world to the page, column by column. */
  function toPage(e, w, h) {
    const f = 1 / Math.tan((camera.angle * Math.PI) / 360), aspect = w / h;
    const corners = [];
    for (const x of [0, 1]) for (const y of [0, 1]) for (const z of [0, 1]) corners.push(dot([DATA.box[x][0], DATA.box[y][1], DATA.box[z][2]].map((v, k) => e.place[k] - v), e.back));
    const deepest = Math.max(...corners, camera.distance) + DATA.size * 0.1, nearest = Math.max(Math.min(...corners) - DATA.size * 0.1, camera.distance * 1e-3);
    const rows = [e.right, e.up, e.back].map((v) => [...v, -dot(v, e.place)]);
    const out = new Float32Array(16);
    for (let c = 0; c < 4; c++) {
      const s = camera.ortho ? f / camera.distance : f;
      out[4 * c] = (rows[0][c] * s) / aspect;
      out[4 * c + 1] = rows[1][c] * s;
      if (camera.ortho) {
        out[4 * c + 2] = (rows[2][c] * -2) / (deepest - nearest) + (c === 3 ? -(deepest + nearest) / (deepest - nearest) : 0);
        out[4 * c + 3] = c === 3 ? 1 : 0;
      } else {
        out[4 * c + 2] = (rows[2][c] * -(deepest + nearest)) / (deepest - nearest) + (c === 3 ? (-2 * deepest * nearest) / (deepest - nearest) : 0);
        out[4 * c + 3] = -rows[2][c];
      }
    }
    return { matrix: out, depths: [Math.min(...corners), Math.max(...corners)] };
  }

  function set(prog, part, e, page, w, h) {
    gl.useProgram(prog.p);
    const u = prog.at;
    gl.uniformMatrix4fv(u("toPage"), false, page.matrix);
    gl.uniform3fv(u("eyePlace"), e.place);
    gl.uniform3fv(u("eyeRight"), e.right);
    gl.uniform3fv(u("eyeUp"), e.up);
    gl.uniform3fv(u("eyeBack"), e.back);
    gl.uniform1i(u("flatView"), camera.ortho ? 1 : 0);
    gl.uniform2fv(u("depths"), page.depths);
    gl.uniform2f(u("resolution"), w, h);
    gl.uniform3fv(u("time"), DATA.time);
    gl.uniform1f(u("stageSize"), DATA.size);
    gl.uniform1f(u("modelSize"), part.modelSize);
    gl.uniformMatrix3fv(u("toWorld"), false, part.toWorld);
    gl.uniform3fv(u("boxLow"), part.low);
    gl.uniform3fv(u("boxSize"), part.wide);
    gl.uniform3fv(u("restMiddle"), part.middle);
    gl.uniform1i(u("part"), part.number);
    gl.uniform3fv(u("partColour"), part.light);
    gl.uniform3fv(u("partPlace"), part.place);
    gl.uniform1f(u("partSeed"), part.seed);
    DATA.lamps.forEach((l, k) => {
      const at = (n) => u(`lamps[${k}].${n}`);
      gl.uniform1i(at("kind"), l.kind);
      gl.uniform3fv(at("direction"), l.direction);
      gl.uniform3fv(at("place"), l.place);
      gl.uniform3fv(at("colour"), l.colour);
      gl.uniform1f(at("strength"), l.strength);
      gl.uniform1f(at("size"), l.size);
      gl.uniform1i(at("fades"), l.fades ? 1 : 0);
      gl.uniform1f(at("fullAt"), l.fullAt);
      gl.uniform3fv(at("low"), l.low);
      gl.uniform3fv(at("high"), l.high);
      gl.uniform1i(u(`lampParts[${k}]`), l.parts);
    });
  }

  function render(w, h) {
    gl.viewport(0, 0, w, h);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
    gl.enable(gl.DEPTH_TEST);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    const e = eye(), page = toPage(e, w, h);
    for (const part of parts) {
      const prog = programs[part.program];
      gl.disable(gl.CULL_FACE);
      set(prog, part, e, page, w, h);
      gl.uniform1f(prog.at("outline"), 0);
      for (const u of prog.uniforms) u.type === "float" ? gl.uniform1f(prog.at(u.name), prog.values[u.name][0]) : gl.uniform3fv(prog.at(u.name), prog.values[u.name]);
      prog.pictures.forEach((t, k) => {
        gl.activeTexture(gl.TEXTURE0 + k);
        gl.bindTexture(gl.TEXTURE_2D, t.tex);
        gl.uniform1i(prog.at(t.name), k);
      });
      gl.bindVertexArray(part.vao);
      gl.drawElements(gl.TRIANGLES, part.count, gl.UNSIGNED_INT, 0);
      if (!prog.shell) continue;
      gl.enable(gl.CULL_FACE);
      gl.cullFace(gl.FRONT);
      gl.useProgram(prog.shell.p);
      gl.uniformMatrix4fv(prog.shell.at("toPage"), false, page.matrix);
      gl.uniform1f(prog.shell.at("outline"), DATA.outline);
      gl.uniform3fv(prog.shell.at("ink"), DATA.ink);
      gl.bindVertexArray(part.shellVao);
      gl.drawElements(gl.TRIANGLES, part.count, gl.UNSIGNED_INT, 0);
    }
    gl.bindVertexArray(null);
  }

  let waiting = 0;
  function draw() {
    cancelAnimationFrame(waiting);
    waiting = requestAnimationFrame(() => {
      const w = Math.round(canvas.clientWidth * devicePixelRatio), h = Math.round(canvas.clientHeight * devicePixelRatio);
      if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
      render(w, h);
    });
  }

  // --- the hands ---

  let held = null;
  canvas.addEventListener("pointerdown", (e) => { held = [e.clientX, e.clientY]; canvas.setPointerCapture(e.pointerId); });
  canvas.addEventListener("pointerup", () => (held = null));
  canvas.addEventListener("pointermove", (e) => {
    if (!held) return;
    turn((held[0] - e.clientX) * 0.35, (e.clientY - held[1]) * 0.35);
    held = [e.clientX, e.clientY];
  });
  canvas.addEventListener("wheel", (e) => { e.preventDefault(); nearer(Math.exp(e.deltaY * 0.001)); }, { passive: false });
  canvas.addEventListener("keydown", (e) => {
    const hand = { ArrowLeft: () => turn(-5, 0), ArrowRight: () => turn(5, 0), ArrowUp: () => turn(0, 5), ArrowDown: () => turn(0, -5), "+": () => nearer(0.9), "=": () => nearer(0.9), "-": () => nearer(1 / 0.9), 0: () => { camera = structuredClone(start); draw(); } }[e.key];
    if (hand) { e.preventDefault(); hand(); }
  });
  function turn(a, b) {
    camera.azimuth += a;
    camera.elevation = Math.max(-89, Math.min(89, camera.elevation + b));
    draw();
  }
  function nearer(k) {
    camera.distance = Math.max(start.distance / 20, Math.min(start.distance * 10, camera.distance * k));
    draw();
  }
  addEventListener("resize", draw);

  const hands = document.getElementById("hands");
  const linear = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
  const coded = (v) => (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055);
  const hex = (c) => "#" + c.map((v) => Math.round(Math.max(0, Math.min(1, coded(v))) * 255).toString(16).padStart(2, "0")).join("");
  function field(label, input, change) {
    const el = Object.assign(document.createElement("label"), { textContent: label });
    input.setAttribute("aria-label", label);
    input.addEventListener("input", () => { change(input); draw(); });
    el.append(input);
    hands.append(el);
  }
  const head = (text) => hands.append(Object.assign(document.createElement("h2"), { textContent: text }));
  for (const prog of programs) {
    if (prog.uniforms.length) head(prog.name);
    for (const u of prog.uniforms) {
      const v = prog.values[u.name];
      if (u.type === "vec3") field(u.label, Object.assign(document.createElement("input"), { type: "color", value: hex(v) }), (i) => { for (let k = 0; k < 3; k++) v[k] = linear(parseInt(i.value.slice(1 + 2 * k, 3 + 2 * k), 16) / 255); });
      else field(u.label, Object.assign(document.createElement("input"), { type: "range", min: u.min, max: u.max > u.min ? u.max : 1, step: "any", value: v[0] }), (i) => (v[0] = Number(i.value)));
    }
  }
  const suns = DATA.lamps.filter((l) => l.kind === 0);
  if (suns.length) head("Lights");
  for (const l of suns) {
    let az = (Math.atan2(l.direction[0], l.direction[2]) * 180) / Math.PI, el = (Math.asin(l.direction[1]) * 180) / Math.PI;
    const aim = () => {
      const a = (az * Math.PI) / 180, b = (el * Math.PI) / 180;
      l.direction = [Math.sin(a) * Math.cos(b), Math.sin(b), Math.cos(a) * Math.cos(b)];
    };
    field(`${l.name}, round`, Object.assign(document.createElement("input"), { type: "range", min: -180, max: 180, step: "any", value: az }), (i) => { az = Number(i.value); aim(); });
    field(`${l.name}, height`, Object.assign(document.createElement("input"), { type: "range", min: -90, max: 90, step: "any", value: el }), (i) => { el = Number(i.value); aim(); });
  }

  /** For whoever wants the picture itself: its pixels at a size, row by row from the foot, without smoothing. */
  async function pixels(w, h) {
    await Promise.all(programs.flatMap((p) => p.pictures.map((t) => t.ready)));
    const frame = gl.createFramebuffer(), color = gl.createRenderbuffer(), depth = gl.createRenderbuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    gl.bindRenderbuffer(gl.RENDERBUFFER, color);
    gl.renderbufferStorage(gl.RENDERBUFFER, gl.RGBA8, w, h);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.RENDERBUFFER, color);
    gl.bindRenderbuffer(gl.RENDERBUFFER, depth);
    gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, w, h);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, depth);
    render(w, h);
    const out = new Uint8Array(4 * w * h);
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, out);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    gl.deleteFramebuffer(frame);
    gl.deleteRenderbuffer(color);
    gl.deleteRenderbuffer(depth);
    return out;
  }
  window.shown = { errors, pixels, camera: () => camera };
  draw();
})();
