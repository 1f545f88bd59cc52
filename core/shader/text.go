package shader

// heading is what every fragment shader begins with.
const heading = `// From the vertex shader.
in vec3 vPos;    // in the world
in vec3 vNormal;
in vec3 vRest;   // in the model's own space at rest, its diagonal as 1
in vec2 vUV;
out vec4 pixel;

// Where it is seen from: the place of the eye, and what is right, up and back there.
uniform vec3 eyePlace, eyeRight, eyeUp, eyeBack;
uniform bool flatView;   // without perspective
uniform vec2 depths;     // how far the stage's nearest and farthest corners lie
uniform vec2 resolution; // of the page, in pixels
uniform vec3 time;       // seconds, frame, phase of the loop
uniform float stageSize; // the length that is 1: the stage's diagonal
uniform float modelSize; // the model's, in the world
uniform mat3 toWorld;    // turns the model's directions to the world's
uniform vec3 boxLow, boxSize; // of the part, in the world
uniform vec3 restMiddle; // of the model, as rest has it
uniform int part;
uniform vec3 partColour, partPlace;
uniform float partSeed;
`

// ending is what every fragment shader ends with.
const ending = `void main() {
  Point p;
  p.pos = vPos;
  p.rest = vRest;
  p.box = (vPos - boxLow) / max(boxSize, vec3(1e-20));
  vec3 px = dFdx(vPos), py = dFdy(vPos);
  p.eye = flatView ? eyeBack : normalize(eyePlace - vPos);
  p.flatNormal = unit(cross(px, py));
  if (dot(p.flatNormal, p.eye) < 0.0) p.flatNormal = -p.flatNormal;
  p.normal = unit(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
  p.uv = vUV;
  p.page = gl_FragCoord.xy / resolution.y;
  p.wide = max(length(px), length(py));
  vec3 n = unit(p.normal * toWorld);
  p.foot = p.wide / modelSize * sqrt(max(vec3(0.0), 1.0 - n * n));
  vec4 c = look(p);
  pixel = vec4(encoded(clamp(c.rgb, 0.0, 1.0)), 1.0) * clamp(c.a, 0.0, 1.0);
}
`

// vertexText is the vertex shader.
const vertexText = `#version 300 es
precision highp float;

in vec3 position; // in the world
in vec3 normal;
in vec3 rest;     // in the model's own space at rest, its diagonal as 1
in vec2 uv;
BAKED_IN
out vec3 vPos, vNormal, vRest;
out vec2 vUV;
BAKED_OUT
uniform mat4 toPage;   // from the world to the page
uniform float outline; // how far the surface is pushed out, for an outline of back faces; 0 for none
in vec3 push;          // which way

void main() {
  vPos = position + push * outline;
  vNormal = normal;
  vRest = rest;
  vUV = uv;
BAKED_SET
  gl_Position = toPage * vec4(vPos, 1.0);
}
`
