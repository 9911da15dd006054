/**
 * Shaders of everything drawn. One colour function: bands by arithmetic, then the look-up table; colours are display
 * values throughout, no tone mapping. One material serves all passes, chosen by `pass`:
 * 0 opaque or blended, 1 peeling (discards what earlier layers and opaque things cover), 2 picking.
 */
import { MOST_LEVELS } from '../core/colour/scale'

const colouring = /* glsl */ `
precision highp float;
precision highp sampler2D;
uniform sampler2D table;
uniform vec2 range;
uniform float bands;
uniform bool isLog;
uniform int nLevels;
uniform float levels[${MOST_LEVELS}];
// beyond the range and not a number: opacity -1 is held, 0 is not drawn
uniform vec4 low;
uniform vec4 high;
uniform vec4 blank;
uniform int fade;
uniform float reference;
uniform bool isColoured;
uniform vec3 plain;
uniform float opacity;
uniform int pass;
uniform float pickId;
uniform sampler2D peeled;
uniform sampler2D solid;
uniform bool isFirst;

out vec4 outColour;

// what a value hides, shows through and where its colour is: as in core/colour/scale.ts
float shareOf(float value) {
  if (!(range.y > range.x)) return 0.5;
  if (!isLog) return clamp((value - range.x) / (range.y - range.x), 0.0, 1.0);
  float from = range.x + reference;
  float at = value + reference;
  return at > 0.0 ? clamp(log(at / from) / log((range.y + reference) / from), 0.0, 1.0) : 0.0;
}

vec4 colourOf(float value) {
  if (!isColoured) return vec4(plain, 1.0);
  if (isnan(value) || isinf(value)) return blank;
  float slack = 2e-6 * max(range.y - range.x, max(abs(range.x + reference), abs(range.y + reference)));
  if (low.a >= 0.0 && value < range.x - slack) return low;
  if (high.a >= 0.0 && value > range.y + slack) return high;
  float t = shareOf(value);
  if (nLevels > 1) {
    int i = 0;
    while (i < nLevels - 2 && value >= levels[i + 1]) i++;
    t = (float(i) + 0.5) / float(nLevels - 1);
  } else if (bands > 0.5) t = (min(floor(t * bands), bands - 1.0) + 0.5) / bands;
  float through = fade == 1 ? t : fade == 2 ? 1.0 - t : fade == 3 ? abs(2.0 * t - 1.0) : 1.0;
  // between texel centres by arithmetic: filtering would blend bands
  float at = t * 255.0;
  float i = min(floor(at), 254.0);
  vec3 colour = mix(texelFetch(table, ivec2(int(i), 0), 0).rgb, texelFetch(table, ivec2(int(i) + 1, 0), 0).rgb, at - i);
  // what is all but gone is not there for picks either
  return vec4(colour, through < 0.004 ? 0.0 : through);
}

void finish(vec4 own, float value) {
  if (own.a == 0.0) discard;
  vec3 colour = own.rgb;
  if (pass == 2) {
    outColour = vec4(pickId, value + reference, gl_FragCoord.z, 1.0);
    return;
  }
  if (pass == 1) {
    ivec2 at = ivec2(gl_FragCoord.xy);
    if (gl_FragCoord.z >= texelFetch(solid, at, 0).r) discard;
    if (!isFirst && gl_FragCoord.z <= texelFetch(peeled, at, 0).r) discard;
    outColour = vec4(colour, 1.0) * opacity * own.a;
    return;
  }
  outColour = vec4(colour, 1.0);
}
`

export const surfaceVertex = /* glsl */ `
in float value;
in vec3 moved;
in vec2 texel;
out vec2 vTexel;
uniform float motion;
out float vValue;
out vec3 vView;
out vec3 vNormal;
uniform float pull;
void main() {
  vValue = value;
  vTexel = texel;
  vec4 view = modelViewMatrix * vec4(position + motion * moved, 1.0);
  vView = view.xyz;
  vNormal = normalMatrix * normal;
  gl_Position = projectionMatrix * view;
  // where surfaces coincide the later step wins
  gl_Position.z -= pull * gl_Position.w;
}
`

export const surfaceFragment = /* glsl */ `
${colouring}
in float vValue;
in vec3 vView;
in vec3 vNormal;
uniform bool isLit;
uniform bool isSmooth;
uniform bool hasTexture;
uniform sampler2D flow;
in vec2 vTexel;
void main() {
  vec4 colour = colourOf(vValue);
  // darker and lighter by as much, so that the mean colour is that of the value
  if (hasTexture && pass != 2) colour.rgb *= 0.62 + 0.76 * texture(flow, vTexel).r;
  if (isLit) {
    vec3 n = isSmooth ? normalize(vNormal) : normalize(cross(dFdx(vView), dFdy(vView)));
    // lightness only, from the viewer: hue keeps its meaning
    colour.rgb *= 0.62 + 0.38 * abs(n.z);
  }
  finish(colour, vValue);
}
`

export const lineVertex = /* glsl */ `
in vec3 start;
in vec3 end;
in vec2 ends;
in vec3 movedStart;
in vec3 movedEnd;
uniform float motion;
out float vValue;
out vec2 vAt;
uniform vec2 viewport;
uniform float width;
uniform float thickness;
uniform float pull;
uniform bool isDot;
// pixels of a rim beside the line
uniform float halo;
flat out float vRim;
// of a line in perspective only what lies before the viewer
vec4 before(vec4 from, vec4 to) {
  if (projectionMatrix[3][3] != 0.0) return from;
  float near = projectionMatrix[3][2] / (projectionMatrix[2][2] - 1.0);
  if (from.z <= -near || to.z > -near) return from;
  return mix(to, from, (-near - to.z) / (from.z - to.z));
}
void main() {
  vec4 from = modelViewMatrix * vec4(start + motion * movedStart, 1.0);
  vec4 to = modelViewMatrix * vec4(end + motion * movedEnd, 1.0);
  vec4 a = projectionMatrix * before(from, to);
  vec4 b = projectionMatrix * before(to, from);
  // a width in the unit of the model grows with it
  float own = position.x < 0.5 ? a.w : b.w;
  float pixels = thickness > 0.0 ? max(thickness * projectionMatrix[0][0] / own * viewport.x * 0.5, 1.0) : width;
  vRim = (pixels + 2.0 * halo) / pixels;
  pixels += 2.0 * halo;
  vec2 along = (b.xy / b.w - a.xy / a.w) * viewport;
  float size = length(along);
  along = size > 1e-6 ? along / size : vec2(1.0, 0.0);
  vec2 across = vec2(-along.y, along.x);
  vec4 clip = position.x < 0.5 ? a : b;
  vValue = position.x < 0.5 ? ends.x : ends.y;
  vAt = vec2(2.0 * position.x - 1.0, position.y);
  // a quarter width beyond each end closes the gaps at bends; a dot is as long as it is wide
  vec2 shift = across * position.y * pixels * 0.5 + along * (position.x - 0.5) * pixels * (isDot ? 1.0 : 0.5);
  clip.xy += 2.0 * shift / viewport * clip.w;
  // half of the width nearer: of a line on a surface that is seen aslant one side would lie below it
  float nearer = pixels / viewport.y / projectionMatrix[1][1] * abs(projectionMatrix[2][2]);
  clip.z -= pull * clip.w + (projectionMatrix[3][3] != 0.0 ? nearer : 0.0);
  gl_Position = clip;
}
`

export const lineFragment = /* glsl */ `
${colouring}
in float vValue;
in vec2 vAt;
flat in float vRim;
uniform bool isDot;
uniform bool isTube;
// behind its own line and before the surface that it lies on
const float RIM_DEPTH = 1.2e-4;
void main() {
  if (isDot && dot(vAt, vAt) > 1.0) discard;
  float across = abs(vAt.y) * vRim;
  gl_FragDepth = gl_FragCoord.z;
  if (vRim > 1.0 && across > 1.0) {
    // only what is opaque has a rim
    if (pass != 0) discard;
    gl_FragDepth += RIM_DEPTH;
    // darker than the line, so that many beside each other keep their colours
    outColour = vec4(mix(colourOf(vValue).rgb, vec3(0.09, 0.13, 0.14), 0.72), 1.0);
    return;
  }
  // as surfaces are lit: lightness only, from the viewer
  float light = isTube ? 0.5 + 0.5 * sqrt(max(0.0, 1.0 - across * across)) : 1.0;
  vec4 colour = colourOf(vValue);
  finish(vec4(light * colour.rgb, colour.a), vValue);
}
`

/** Bands beside the points of lines, as wide on the screen or in the model as is said. */
export const ribbonVertex = /* glsl */ `
in float value;
in vec3 side;
in vec3 moved;
out vec2 vTexel;
out float vValue;
out vec3 vView;
out vec3 vNormal;
uniform float pull;
uniform float motion;
uniform vec2 viewport;
uniform float width;
uniform float thickness;
void main() {
  vValue = value;
  vTexel = vec2(0.0);
  vNormal = vec3(0.0);
  vec4 line = projectionMatrix * modelViewMatrix * vec4(position + motion * moved, 1.0);
  float across = thickness > 0.0 ? thickness : width * line.w / (projectionMatrix[0][0] * viewport.x * 0.5);
  vec4 view = modelViewMatrix * vec4(position + motion * moved + 0.5 * across * side, 1.0);
  vView = view.xyz;
  gl_Position = projectionMatrix * view;
  gl_Position.z -= pull * gl_Position.w;
}
`

/** An arrow along x from 0 to 1, turned to each vector and made as long as it says. */
export const arrowVertex = /* glsl */ `
in float value;
in vec3 start;
in vec3 along;
in vec3 moved;
out vec2 vTexel;
out float vValue;
out vec3 vView;
out vec3 vNormal;
uniform float pull;
uniform float motion;
uniform float longest;
uniform float largest;
uniform int lengthBy;
void main() {
  vValue = value;
  vTexel = vec2(0.0);
  float size = length(along);
  float share = largest > 0.0 ? size / largest : 0.0;
  // over three decades; what is smaller is not drawn
  if (lengthBy == 1) share = size > 0.0 ? 1.0 : 0.0;
  if (lengthBy == 2) share = share > 0.001 ? 1.0 + log(share) / log(1000.0) : 0.0;
  if (!(size > 0.0) || isinf(size)) share = 0.0;
  vec3 x = size > 0.0 ? along / size : vec3(1.0, 0.0, 0.0);
  vec3 y = normalize(abs(x.z) < 0.9 ? cross(vec3(0.0, 0.0, 1.0), x) : cross(vec3(1.0, 0.0, 0.0), x));
  vec3 z = cross(x, y);
  vec3 at = start + motion * moved + longest * share * (x * position.x + y * position.y + z * position.z);
  vec4 view = modelViewMatrix * vec4(at, 1.0);
  vView = view.xyz;
  vNormal = normalMatrix * (x * normal.x + y * normal.y + z * normal.z);
  gl_Position = projectionMatrix * view;
  gl_Position.z -= pull * gl_Position.w;
}
`

export const screenVertex = /* glsl */ `
void main() {
  gl_Position = vec4(position.xy, 0.0, 1.0);
}
`

/** One layer as it is; the blend function puts it under what is there. */
export const layerFragment = /* glsl */ `
precision highp float;
uniform sampler2D layer;
// lower left of the picture in what it is put into, in pixels
uniform vec2 offset;
out vec4 outColour;
void main() {
  outColour = texelFetch(layer, ivec2(gl_FragCoord.xy - offset), 0);
}
`

/**
 * Translucent layers over the opaque picture, over the ground. The opaque picture may be darkened where what is near it hides it from the
 * light around: McGuire, Mara and Luebke, “Scalable ambient obscurance” (2012), with the means of several pictures instead of a blur.
 */
export const composeFragment = /* glsl */ `
precision highp float;
uniform vec2 offset;
uniform sampler2D solid;
uniform sampler2D layers;
uniform vec4 ground;
uniform sampler2D depth;
// of what hides, in the unit of the model; 0 for none
uniform float radius;
// pixels that it is at most
uniform float reach;
uniform mat4 projection;
uniform mat4 inverse_;
// of this picture among those that one is the mean of, and of its lower left in the whole
uniform float turn;
uniform vec2 corner;
out vec4 outColour;
const int NEAR = 14;
vec3 viewAt(ivec2 at) {
  ivec2 size = textureSize(depth, 0);
  at = clamp(at, ivec2(0), size - 1);
  vec4 p = inverse_ * vec4(2.0 * (vec2(at) + 0.5) / vec2(size) - 1.0, 2.0 * texelFetch(depth, at, 0).r - 1.0, 1.0);
  return p.xyz / p.w;
}
float lightAt(ivec2 at) {
  if (texelFetch(depth, at, 0).r >= 1.0) return 1.0;
  vec3 p = viewAt(at);
  vec3 left = p - viewAt(at - ivec2(1, 0));
  vec3 right = viewAt(at + ivec2(1, 0)) - p;
  vec3 below = p - viewAt(at - ivec2(0, 1));
  vec3 above = viewAt(at + ivec2(0, 1)) - p;
  // across an edge the smaller step stays on the surface
  vec3 n = normalize(cross(abs(left.z) < abs(right.z) ? left : right, abs(below.z) < abs(above.z) ? below : above));
  float w = projection[3][3] != 0.0 ? 1.0 : -p.z;
  float pixels = min(radius * projection[0][0] / w * float(textureSize(depth, 0).x) * 0.5, reach);
  vec2 place = gl_FragCoord.xy - offset + corner;
  float angle = 6.2832 * fract(52.9829 * fract(dot(place, vec2(0.06711, 0.005837))) + turn);
  float sum = 0.0;
  for (int i = 0; i < NEAR; i++) {
    float share = (float(i) + 0.5) / float(NEAR);
    vec2 step_ = share * pixels * vec2(cos(angle + 2.4 * float(i)), sin(angle + 2.4 * float(i)));
    vec3 v = viewAt(at + ivec2(round(step_))) - p;
    float vv = dot(v, v) / (radius * radius);
    float within_ = max(1.0 - vv, 0.0);
    sum += within_ * within_ * max((dot(v, n) / radius - 0.02) / (0.01 + vv), 0.0);
  }
  return clamp(1.0 - 1.8 * sum / float(NEAR), 0.25, 1.0);
}
void main() {
  ivec2 at = ivec2(gl_FragCoord.xy - offset);
  vec4 base = texelFetch(solid, at, 0);
  if (radius > 0.0) base.rgb *= lightAt(at);
  vec4 over = texelFetch(layers, at, 0);
  vec4 below = base + (1.0 - base.a) * vec4(ground.rgb * ground.a, ground.a);
  outColour = over + (1.0 - over.a) * below;
}
`
