//// base:
// Where a look is evaluated.
struct Point {
  vec3 pos;    // in the world
  vec3 rest;   // in the model's own space at rest, its diagonal as 1
  vec3 box;    // 0 to 1 over the bounds of the part
  vec3 normal; // smooth, turned to the side that is seen
  vec3 flatNormal;
  vec3 eye;    // unit direction to the eye
  vec2 uv;
  vec2 page;   // in picture heights from the lower left corner
  vec3 foot;   // how far a pixel reaches along the axes of rest
  float wide;  // how wide a pixel is on the surface, in the world
};

float luminance(vec3 c) { return dot(c, vec3(0.2126, 0.7152, 0.0722)); }
vec3 unit(vec3 v) { float l = length(v); return l > 0.0 ? v / l : vec3(0.0); }

//// softstep:
// 0 below a, 1 above b, 3t² - 2t³ between; a hard step where b is not above a.
float softstep(float x, float a, float b) {
  if (b <= a) return x >= a ? 1.0 : 0.0;
  float t = clamp((x - a) / (b - a), 0.0, 1.0);
  return t * t * (3.0 - 2.0 * t);
}

//// across:
// Two directions at right angles to n and to each other.
void across(vec3 n, out vec3 a, out vec3 b) {
  float s = n.z < 0.0 ? -1.0 : 1.0, k = -1.0 / (s + n.z), m = n.x * n.y * k;
  a = vec3(1.0 + s * n.x * n.x * k, s * m, -s * n.x);
  b = vec3(m, s + n.y * n.y * k, -n.y);
}

//// srgb:
vec3 encoded(vec3 c) {
  vec3 a = abs(c);
  return sign(c) * mix(1.055 * pow(a, vec3(1.0 / 2.4)) - 0.055, 12.92 * a, lessThanEqual(a, vec3(0.0031308)));
}
vec3 decoded(vec3 c) {
  vec3 a = abs(c);
  return sign(c) * mix(pow((a + 0.055) / 1.055, vec3(2.4)), a / 12.92, lessThanEqual(a, vec3(0.04045)));
}

//// oklab:
// Ottosson 2020.
vec3 oklab(vec3 c) {
  vec3 l = mat3(0.4122214708, 0.2119034982, 0.0883024619, 0.5363325363, 0.6806995451, 0.2817188376, 0.0514459929, 0.1073969566, 0.6299787005) * c;
  l = sign(l) * pow(abs(l), vec3(1.0 / 3.0));
  return mat3(0.2104542553, 1.9779984951, 0.0259040371, 0.7936177850, -2.4285922050, 0.7827717662, -0.0040720468, 0.4505937099, -0.8086757660) * l;
}
vec3 fromOklab(vec3 v) {
  vec3 l = mat3(1.0, 1.0, 1.0, 0.3963377774, -0.1055613458, -0.0894841775, 0.2158037573, -0.0638541728, -1.2914855480) * v;
  return mat3(4.0767416621, -1.2684380046, -0.0041960863, -3.3077115913, 2.6097574011, -0.7034186147, 0.2309699292, -0.3413193965, 1.7076147010) * (l * l * l);
}

//// hsv: srgb
// Hue in turns, saturation and value of the encoded colour (Smith 1978).
vec3 hsv(vec3 c) {
  vec3 e = encoded(c);
  float hi = max(e.r, max(e.g, e.b)), d = hi - min(e.r, min(e.g, e.b));
  if (d <= 0.0 || hi == 0.0) return vec3(0.0, 0.0, hi);
  float h = hi == e.r ? (e.g - e.b) / d : hi == e.g ? 2.0 + (e.b - e.r) / d : 4.0 + (e.r - e.g) / d;
  return vec3(fract(h / 6.0), d / hi, hi);
}
vec3 fromHSV(vec3 v) {
  vec3 k = clamp(abs(mod(v.x * 6.0 + vec3(0.0, 4.0, 2.0), 6.0) - 3.0) - 1.0, 0.0, 1.0);
  return decoded(v.z * mix(vec3(1.0), k, v.y));
}

//// reach:
// How far a pixel reaches along each axis of a place.
vec3 reach(vec3 at) { vec3 x = dFdx(at), y = dFdy(at); return sqrt(x * x + y * y); }

//// seen:
// How much of a pattern is left whose cells a pixel covers by that much of their length.
float seen(float foot) { float t = clamp((0.5 - foot) * 4.0, 0.0, 1.0); return t * t * (3.0 - 2.0 * t); }

//// seed:
// Scatters the bits of a number (Wellons 2018).
uint scatter(uint h) {
  h ^= h >> 16u; h *= 0x7feb352du; h ^= h >> 15u; h *= 0x846ca68bu;
  return h ^ h >> 16u;
}
ivec3 seedOf(float v) {
  if (v == 0.0) return ivec3(0);
  uint h = scatter(floatBitsToUint(v));
  return ivec3(int(h & 1023u), int(h >> 10u & 1023u), int(h >> 20u & 1023u));
}
const ivec3 NEXT = ivec3(37, 113, 71); // from one seed to the next

//// noise: seed
// Gradient noise (Perlin 2002); its permutation, four numbers to a word.
const uint PERM[64] = uint[64](PERMUTATION);
int perm(int i) { i &= 255; return int(PERM[i >> 2] >> uint(8 * (i & 3)) & 255u); }
const vec3 EDGES[16] = vec3[16](vec3(1, 1, 0), vec3(-1, 1, 0), vec3(1, -1, 0), vec3(-1, -1, 0), vec3(1, 0, 1), vec3(-1, 0, 1), vec3(1, 0, -1), vec3(-1, 0, -1),
  vec3(0, 1, 1), vec3(0, -1, 1), vec3(0, 1, -1), vec3(0, -1, -1), vec3(1, 1, 0), vec3(0, -1, 1), vec3(-1, 1, 0), vec3(0, -1, -1));
const vec3 TURNED[16] = vec3[16](vec3(-1, 1, 0), vec3(-1, -1, 0), vec3(1, 1, 0), vec3(1, -1, 0), vec3(-1, 0, 1), vec3(-1, 0, -1), vec3(1, 0, 1), vec3(1, 0, -1),
  vec3(0, -1, 1), vec3(0, -1, -1), vec3(0, 1, 1), vec3(0, 1, -1), vec3(-1, 1, 0), vec3(0, -1, -1), vec3(-1, -1, 0), vec3(0, 1, -1));
float corner(ivec3 c, vec3 p, vec2 turn) {
  int h = perm(perm(perm(c.x) + c.y) + c.z);
  vec3 t = TURNED[h & 15];
  if ((h & 32) != 0) turn = vec2(turn.x * turn.x - turn.y * turn.y, 2.0 * turn.x * turn.y);
  return dot(EDGES[h & 15], p) * turn.x + dot(t, p) * ((h & 16) != 0 ? -turn.y : turn.y);
}
// From about -1 to 1. turn is cosine and sine of how far its directions have turned.
float noise(vec3 p, ivec3 s, vec2 turn) {
  vec3 f = floor(p);
  ivec3 i = ivec3(f) + s;
  p -= f;
  vec3 w = p * p * p * (p * (p * 6.0 - 15.0) + 10.0);
  vec4 lo = vec4(corner(i, p, turn), corner(i + ivec3(1, 0, 0), p - vec3(1, 0, 0), turn), corner(i + ivec3(0, 1, 0), p - vec3(0, 1, 0), turn), corner(i + ivec3(1, 1, 0), p - vec3(1, 1, 0), turn));
  vec4 hi = vec4(corner(i + ivec3(0, 0, 1), p - vec3(0, 0, 1), turn), corner(i + ivec3(1, 0, 1), p - vec3(1, 0, 1), turn), corner(i + ivec3(0, 1, 1), p - vec3(0, 1, 1), turn), corner(i + ivec3(1), p - vec3(1), turn));
  vec4 z = mix(lo, hi, w.z);
  vec2 y = mix(z.xy, z.zw, w.y);
  return mix(y.x, y.y, w.x);
}

//// fractal: noise seen
// Noise upon noise, 0 to 1, its mean ½. shape: 0 plain, 1 ridged, 2 billowed.
float fractal(vec3 p, ivec3 s, float foot, int octaves, int shape, float gain, float finer, float change) {
  float sum = 0.0, square = 0.0, all = 0.0, amount = 1.0;
  float a = 6.283185307 * fract(change);
  vec2 turn = change == 0.0 ? vec2(1.0, 0.0) : vec2(cos(a), sin(a));
  for (int o = 0; o < octaves; o++) {
    float n = noise(p, s, turn);
    float v = shape == 1 ? max(0.0, 1.0 - 2.401 * abs(n)) : shape == 2 ? min(1.0, 2.401 * abs(n)) : 0.5 + 0.5 * n;
    sum += (v - 0.5) * amount * (foot > 0.25 ? seen(foot) : 1.0);
    square += amount * amount;
    all += amount;
    amount *= gain; foot *= finer; p *= finer;
    p = vec3(dot(p, vec3(0.9106836025, -0.2440169359, 0.3333333333)), dot(p, vec3(0.3333333333, 0.9106836025, -0.2440169359)), dot(p, vec3(-0.2440169359, 0.3333333333, 0.9106836025))) + vec3(17.31, 5.77, 29.13);
  }
  float size = sqrt(square);
  if (shape != 0) size = 0.7 * size + 0.3 * all;
  return clamp(0.5 + sum / size, 0.0, 1.0);
}

//// cells: seed
struct Near { float first, second, border; vec3 centre; uint id; };
vec3 centreOf(ivec3 c, float jitter, out uint h) {
  h = scatter(uint(c.x) * 0x8da6b343u ^ uint(c.y) * 0xd8163841u ^ uint(c.z) * 0xcb1ab31fu);
  return 0.5 - 0.5 * jitter + (vec3(float(h & 1023u), float(h >> 10u & 1023u), float(h >> 20u & 1023u)) + 0.5) / 1024.0 * jitter;
}
// measure: 0 as the crow flies, 1 along the axes, 2 along the longest.
float apart(vec3 d, int measure) {
  d = abs(d);
  return measure == 1 ? d.x + d.y + d.z : measure == 2 ? max(d.x, max(d.y, d.z)) : length(d);
}
// The cell that a place lies in (Worley 1996), and how far its border is.
Near cellsAt(vec3 p, ivec3 s, float jitter, int measure) {
  vec3 f = floor(p);
  ivec3 i = ivec3(f) + s;
  p -= f;
  Near n = Near(1e9, 1e9, 1e9, vec3(0.0), 0u);
  ivec3 own = ivec3(0);
  uint h;
  for (int x = -2; x <= 2; x++) for (int y = -2; y <= 2; y++) for (int z = -2; z <= 2; z++) {
    ivec3 c = ivec3(x, y, z);
    vec3 d = vec3(c) + centreOf(i + c, jitter, h) - p;
    float l = apart(d, measure);
    if (l < n.first) { n.second = n.first; n.first = l; n.centre = d; n.id = h; own = c; } else if (l < n.second) n.second = l;
  }
  if (measure != 0) { n.border = (n.second - n.first) / 2.0; return n; }
  for (int x = -2; x <= 2; x++) for (int y = -2; y <= 2; y++) for (int z = -2; z <= 2; z++) {
    ivec3 c = own + ivec3(x, y, z);
    vec3 d = vec3(c) + centreOf(i + c, jitter, h) - p;
    if (c != own) n.border = min(n.border, (dot(d, d) - n.first * n.first) / (2.0 * length(d - n.centre)));
  }
  n.border = max(0.0, n.border);
  return n;
}
float toneOf(uint id, uint k) { return float(scatter(id + k * 0x9e3779b9u) >> 8u) / 16777216.0; }

//// profile:
// The integral of a wave from 0 to t: 0 round, 1 ramp, 2 tent, 3 pulse of a width.
float upTo(float t, int profile, float width) {
  float n = floor(t), f = t - n;
  if (profile == 1) return n / 2.0 + f * f / 2.0;
  if (profile == 2) return n / 2.0 + (f < 0.5 ? f * f : 2.0 * f - f * f - 0.5);
  if (profile == 3) { width = clamp(width, 0.0, 1.0); return n * width + min(f, width); }
  return t / 2.0 - sin(6.283185307 * f) / 12.56637061;
}
// Its mean over a stretch about t.
float waveMean(float t, float foot, int profile, float width) {
  t = fract(t);
  if (foot < 1e-3) {
    if (profile == 1) return t;
    if (profile == 2) return 1.0 - abs(2.0 * t - 1.0);
    if (profile == 3) return t < width ? 1.0 : 0.0;
    return 0.5 - 0.5 * cos(6.283185307 * t);
  }
  float h = min(foot, 1e4) / 2.0;
  return (upTo(t + h, profile, width) - upTo(t - h, profile, width)) / (2.0 * h);
}

//// safe:
// Divisions by nothing, and powers that are none, give 0.
float divide(float a, float b) { return b == 0.0 ? 0.0 : a / b; }
vec3 divide(vec3 a, vec3 b) { return vec3(divide(a.x, b.x), divide(a.y, b.y), divide(a.z, b.z)); }
float power(float a, float b) {
  if (a == 0.0) return b == 0.0 ? 1.0 : 0.0;
  if (a > 0.0) return pow(a, b);
  if (fract(b) != 0.0) return 0.0;
  return mod(b, 2.0) == 0.0 ? pow(-a, b) : -pow(-a, b);
}
vec3 power(vec3 a, vec3 b) { return vec3(power(a.x, b.x), power(a.y, b.y), power(a.z, b.z)); }
float modulo(float a, float b) { return b == 0.0 ? 0.0 : a - b * floor(a / b); }
vec3 modulo(vec3 a, vec3 b) { return vec3(modulo(a.x, b.x), modulo(a.y, b.y), modulo(a.z, b.z)); }

//// modes:
// Blend modes of the W3C recommendation Compositing and Blending Level 1, in linear light.
vec3 hardLight(vec3 b, vec3 s) { return mix(b + (2.0 * s - 1.0) - b * (2.0 * s - 1.0), b * 2.0 * s, lessThanEqual(s, vec3(0.5))); }
float luma(vec3 c) { return dot(c, vec3(0.3, 0.59, 0.11)); }
float sat(vec3 c) { return max(c.r, max(c.g, c.b)) - min(c.r, min(c.g, c.b)); }
vec3 setLuma(vec3 c, float l) {
  c += l - luma(c);
  l = luma(c);
  float lo = min(c.r, min(c.g, c.b)), hi = max(c.r, max(c.g, c.b));
  if (lo < 0.0 && l > lo) c = l + (c - l) * l / (l - lo);
  if (hi > 1.0 && hi > l) c = l + (c - l) * (1.0 - l) / (hi - l);
  return c;
}
vec3 setSat(vec3 c, float s) {
  float lo = min(c.r, min(c.g, c.b)), hi = max(c.r, max(c.g, c.b));
  return hi <= lo ? vec3(0.0) : (c - lo) * s / (hi - lo);
}
vec3 dodge(vec3 b, vec3 s) { return vec3(b.r <= 0.0 ? 0.0 : s.r >= 1.0 ? 1.0 : min(1.0, b.r / (1.0 - s.r)), b.g <= 0.0 ? 0.0 : s.g >= 1.0 ? 1.0 : min(1.0, b.g / (1.0 - s.g)), b.b <= 0.0 ? 0.0 : s.b >= 1.0 ? 1.0 : min(1.0, b.b / (1.0 - s.b))); }
vec3 burn(vec3 b, vec3 s) { return vec3(b.r >= 1.0 ? 1.0 : s.r <= 0.0 ? 0.0 : 1.0 - min(1.0, (1.0 - b.r) / s.r), b.g >= 1.0 ? 1.0 : s.g <= 0.0 ? 0.0 : 1.0 - min(1.0, (1.0 - b.g) / s.g), b.b >= 1.0 ? 1.0 : s.b <= 0.0 ? 0.0 : 1.0 - min(1.0, (1.0 - b.b) / s.b)); }
vec3 softLight(vec3 b, vec3 s) {
  vec3 d = mix(sqrt(max(b, 0.0)), ((16.0 * b - 12.0) * b + 4.0) * b, lessThanEqual(b, vec3(0.25)));
  return mix(b + (2.0 * s - 1.0) * (d - b), b - (1.0 - 2.0 * s) * b * (1.0 - b), lessThanEqual(s, vec3(0.5)));
}

//// lamp:
// What shines. kind: 0 sun, 1 point, 2 disc or rectangle, from its middle, 3 headlamp, 4 sky.
struct Lamp {
  int kind;
  vec3 direction; // of a sun: towards it; of what is flat: against the way it shines
  vec3 place;
  vec3 colour;
  float strength; // the tone on a surface that faces it
  float size;     // of a sun: sine of half its angle; of a point: radius
  bool fades;     // with the square of the distance
  float fullAt;
  vec3 low, high; // of a sky: its colours straight down and straight up
};
uniform Lamp lamps[LAMPS];
uniform int lampParts[LAMPS]; // which parts each lights, a bit for each
struct Fall { vec3 to; float strength, cap; };
Fall fall(Lamp l, vec3 pos, vec3 eye) {
  if (l.kind == 0) return Fall(l.direction, l.strength, l.size * l.size);
  if (l.kind == 3) return Fall(eye, l.strength, 0.0);
  vec3 d = l.place - pos;
  float d2 = max(max(dot(d, d), l.kind == 1 ? l.size * l.size : 0.0), 1e-30);
  float e = l.strength * (l.fades ? l.fullAt * l.fullAt / d2 : 1.0);
  if (l.kind == 2) { float ahead = dot(normalize(d), l.direction); e *= l.fades ? max(0.0, ahead) : (ahead > 0.0 ? 1.0 : 0.0); }
  return Fall(d * inversesqrt(d2), e, l.kind == 1 ? min(1.0, l.size * l.size / d2) : 0.0);
}
// The irradiance of a wide light, the part above the horizon (Snyder 1996).
float lambert(float c, float cap) {
  if (cap <= 0.0 || c > 0.0 && c * c >= cap) return max(0.0, c);
  if (c < 0.0 && c * c >= cap) return 0.0;
  float s2 = min(cap, 0.999999), s = sqrt(max(0.0, 1.0 - c * c)), x = sqrt(1.0 / s2 - 1.0);
  float y = clamp(-x * c / max(s, 1e-12), -1.0, 1.0), w = s * sqrt(1.0 - y * y);
  return max(0.0, ((c * acos(y) - x * w) * s2 + atan(w / x)) / 3.14159265 / s2);
}
// The direction within the cap about l that is nearest to the mirror direction r (Karis 2013).
vec3 bent(vec3 l, vec3 r, float cap) {
  if (cap <= 0.0) return l;
  float c = dot(r, l);
  if (c > 0.0 && 1.0 - c * c <= cap) return r;
  vec3 a = r - l * c;
  float s = dot(a, a);
  return s > 1e-12 ? l * sqrt(1.0 - min(1.0, cap)) + a * sqrt(cap / s) : l;
}
vec3 skyAt(Lamp l, float height) { return mix(l.low, l.high, height); }

//// fresnel:
// The unpolarised reflectance of a dielectric, exact (Born and Wolf 1.5.2).
float fresnel(float c, float ior) {
  float t = 1.0 - (1.0 - c * c) / (ior * ior);
  if (t < 0.0) return 1.0;
  t = sqrt(t);
  float s = (c - ior * t) / (c + ior * t), p = (ior * c - t) / (ior * c + t);
  return min(1.0, (s * s + p * p) / 2.0);
}

//// oklch: oklab
vec3 oklch(vec3 c) {
  vec3 l = oklab(c);
  float h = atan(l.z, l.y) / 6.283185307;
  return vec3(l.x, length(l.yz), h < 0.0 ? h + 1.0 : h);
}
vec3 fromOKLCH(vec3 v) { return fromOklab(vec3(v.x, v.y * cos(6.283185307 * v.z), v.y * sin(6.283185307 * v.z))); }

//// tangent:
// A normal turned as a map in tangent space says: along the texture coordinates, by how they change on the page.
vec3 mapped(vec3 n, vec3 pos, vec2 uv, vec3 by) {
  vec3 px = dFdx(pos), py = dFdy(pos);
  vec2 ux = dFdx(uv), uy = dFdy(uv);
  float d = ux.x * uy.y - ux.y * uy.x;
  vec3 along = (px * uy.y - py * ux.y) * (d < 0.0 ? -1.0 : 1.0);
  along = unit(along - n * dot(n, along));
  vec3 up = (py * ux.x - px * uy.x) * (d < 0.0 ? -1.0 : 1.0);
  vec3 side = cross(n, along);
  side *= dot(side, up) < 0.0 ? -1.0 : 1.0;
  vec3 t = unit(along * by.x + side * by.y + n * max(by.z, 1e-3));
  return t == vec3(0.0) ? n : t;
}

//// stamp:
// Where a stamp is met (Anjyo and Hiramitsu 2003): in its own half widths; far off where it cannot be seen.
vec2 stampAt(vec3 n, vec3 e, vec3 l, float size, vec2 move, vec2 turn, float parted, float stretch) {
  vec3 h = unit(l + e);
  if (dot(n, l) <= 0.0 || dot(n, e) <= 0.0 || size < 1e-4 || dot(h, n) <= 0.0) return vec2(1e9);
  vec3 right = unit(cross(eyeUp, n));
  if (right == vec3(0.0)) right = eyeRight;
  vec2 q = vec2(-dot(h, right), -dot(h, cross(n, right))) / size - move;
  q = vec2(q.x * turn.x + q.y * turn.y, q.y * turn.x - q.x * turn.y);
  if (q.x > parted / 2.0) q.x -= parted / 2.0; else if (q.x < -parted / 2.0) q.x += parted / 2.0; else if (parted > 0.0) return vec2(1e9);
  return vec2(q.x / stretch, q.y * stretch);
}
// How far a place lies within a shape: 0 round, 1 square, 2 window, 3 star, 4 ring, 5 bar.
float stampInside(int shape, vec2 q) {
  vec2 a = abs(q);
  float r = length(q);
  if (shape == 1) return 1.0 - max(a.x, a.y);
  if (shape == 2) return min(1.0 - max(a.x, a.y), min(a.x, a.y) - 0.09);
  if (shape == 3) {
    float t = abs(mod(atan(q.x, q.y) + 12.56637061, 1.256637061) - 0.6283185307);
    vec2 p = r * vec2(cos(t), sin(t)), d = vec2(0.8090169944 - 0.42, 0.5877852523);
    return (d.x * p.y - d.y * (p.x - 0.42)) / length(d);
  }
  if (shape == 4) return min(1.0 - r, r - 0.72);
  if (shape == 5) return min(1.0 - a.y, 0.22 - a.x);
  return 1.0 - r;
}

//// beside: across
// The point, half a pixel along the surface.
Point shiftedBy(Point p, vec3 d) {
  vec3 px = dFdx(p.pos), py = dFdy(p.pos);
  float a = dot(px, px), b = dot(px, py), c = dot(py, py), det = a * c - b * b;
  vec2 k = det > 0.0 ? vec2(dot(d, px) * c - dot(d, py) * b, dot(d, py) * a - dot(d, px) * b) / det : vec2(0.0);
  p.uv += dFdx(p.uv) * k.x + dFdy(p.uv) * k.y;
  p.normal = unit(p.normal + dFdx(p.normal) * k.x + dFdy(p.normal) * k.y);
  p.pos += d;
  p.rest += d * toWorld / modelSize;
  p.box += d / max(boxSize, vec3(1e-20));
  return p;
}
Point alongU(Point p) { vec3 a, b; across(p.normal, a, b); return shiftedBy(p, a * (p.wide / 2.0)); }
Point alongV(Point p) { vec3 a, b; across(p.normal, a, b); return shiftedBy(p, b * (p.wide / 2.0)); }
Point backU(Point p) { vec3 a, b; across(p.normal, a, b); return shiftedBy(p, a * (p.wide / -2.0)); }
Point backV(Point p) { vec3 a, b; across(p.normal, a, b); return shiftedBy(p, b * (p.wide / -2.0)); }
// The point with its place across an axis of the model as texture coordinates.
Point fromX(Point p) { p.uv = vec2(0.5 - (p.rest - restMiddle).z, 0.5 + (p.rest - restMiddle).y); return p; }
Point fromY(Point p) { p.uv = vec2(0.5 + (p.rest - restMiddle).x, 0.5 - (p.rest - restMiddle).z); return p; }
Point fromZ(Point p) { p.uv = vec2(0.5 + (p.rest - restMiddle).x, 0.5 + (p.rest - restMiddle).y); return p; }
