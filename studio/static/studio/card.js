// Lights normals with WebGL, by the same formulas as the loops of painting.js, each pixel by itself: while the light moves
// nothing but the light is sent to the card. Where there is no WebGL the loops paint.

import { REFLECTS } from "./daylight.js";
import { DESATURATION, FROM, REFLECTED, ROOM } from "./tone.js";

const MOST = 2; // lights
const TEXTURES = 12; // that are kept on the card
const LEAST = 128 * 128; // pixels; fewer are painted before a card is asked
const VERTEX = `#version 300 es
void main() {
  gl_Position = vec4(vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0, 0.0, 1.0);
}`;
const FRAGMENT = `precision highp float;
precision highp usampler2D;
precision highp sampler2DArray;
uniform usampler2D normals;
uniform sampler2D colours, sky;
uniform sampler2DArray horizons;
uniform float soft;
uniform vec2 skyCode; // scale and none
uniform vec3 albedo, upright, rise, around;
uniform vec3 towards[${MOST}], sun[${MOST}], halfWay[${MOST}];
uniform vec3 turn[${MOST}]; // the two directions beside a light that horizons are known in, and the share of the second
uniform vec2 shine[${MOST}]; // alpha squared, and what the density is multiplied by
out vec4 shown;

vec3 decode(vec3 value) {
  return mix(value / 12.92, pow((value + 0.055) / 1.055, vec3(2.4)), step(0.04045, value));
}

// the Khronos PBR Neutral Tone Mapper, as in tone.js
vec3 develop(vec3 light) {
  float least = min(light.r, min(light.g, light.b));
  vec3 left = light - (least < ${2 * REFLECTED} ? least - least * least / ${4 * REFLECTED} : ${REFLECTED});
  float peak = max(left.r, max(left.g, left.b));
  if (peak > ${FROM}) {
    float pressed = 1.0 - ${ROOM * ROOM} / (peak + ${ROOM - FROM});
    float white = 1.0 - 1.0 / (${DESATURATION} * (peak - pressed) + 1.0);
    left = mix(left * (pressed / peak), vec3(pressed), white);
  }
  return mix(left * 12.92, 1.055 * pow(max(left, 0.0), vec3(1.0 / 2.4)) - 0.055, step(0.0031308, left));
}

float seen(float rise, vec3 turn, vec2 place) {
  float one = texture(horizons, vec3(place, turn.x)).r;
  float other = texture(horizons, vec3(place, turn.y)).r;
  return clamp(1.0 - (mix(one, other, turn.z) - rise + soft / 2.0) / soft, 0.0, 1.0);
}

void main() {
  ivec2 size = textureSize(normals, 0);
  ivec2 at = ivec2(gl_FragCoord.x, float(size.y) - gl_FragCoord.y); // the first row is the topmost
  vec2 place = (vec2(at) + 0.5) / vec2(size);
  vec3 normal = vec3(texelFetch(normals, at, 0).rgb) * (2.0 / 65535.0) - 1.0;
#ifdef SHADED
  vec3 coded = texelFetch(sky, at, 0).rgb;
  vec3 from = vec3((coded.xy * 255.0 - skyCode.y) / skyCode.x, coded.z);
  float open = clamp(dot(normal, from), 0.0, 1.0);
  vec3 matt = (upright + rise) * open; // what lies below the horizon is the relief itself
#else
  vec3 matt = upright + rise * normal.z;
#endif
  vec3 bright = matt * ${REFLECTS};
  for (int i = 0; i < LIGHTS; i++) {
    vec3 lit = sun[i] * max(dot(normal, towards[i]), 0.0);
#ifdef SHADED
    lit *= seen(towards[i].z, turn[i], place);
#endif
    float cosine = clamp(dot(normal, halfWay[i]), 0.0, 1.0);
    float spread = cosine * cosine * (shine[i].x - 1.0) + 1.0;
    matt += lit;
    bright += lit * shine[i].y / (spread * spread);
  }
#ifdef COLOURED
  vec3 own = decode(texelFetch(colours, at, 0).rgb) * ${1 - REFLECTS};
#else
  vec3 own = albedo * ${1 - REFLECTS};
#endif
#ifdef SHADED
  matt += around * (1.0 - open) * open * own / (1.0 - (1.0 - open) * own);
#endif
  shown = vec4(develop(matt * own + bright), 1.0);
}`;

let card; // what is drawn with, once it was asked for; null where there is none

function begin() {
  const canvas = document.createElement("canvas");
  const gl = canvas.getContext("webgl2", { alpha: false, antialias: false, depth: false });
  if (!gl || gl.isContextLost()) return null;
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
  const widest = gl.getParameter(gl.MAX_TEXTURE_SIZE);
  return { canvas, gl, kept: new WeakMap(), sent: [], programs: new Map(), widest };
}

/** Takes the program for what is drawn, and gives the places of its values; null where it does not compile. */
function take({ gl, programs }, lights, coloured, shaded) {
  const wanted = ["", `LIGHTS ${lights}`, coloured && "COLOURED", shaded && "SHADED"];
  const asked = wanted.filter((each) => each !== false).join("\n#define ");
  if (!programs.has(asked)) programs.set(asked, compile(gl, `#version 300 es${asked}\n${FRAGMENT}`));
  const made = programs.get(asked);
  if (made) gl.useProgram(made.program);
  return made?.place;
}

function compile(gl, fragment) {
  const program = gl.createProgram();
  for (const [kind, source] of [
    [gl.VERTEX_SHADER, VERTEX],
    [gl.FRAGMENT_SHADER, fragment],
  ]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) return null;
  gl.useProgram(program);
  const places = new Map();
  const place = (name) => {
    if (!places.has(name)) places.set(name, gl.getUniformLocation(program, name));
    return places.get(name);
  };
  ["normals", "colours", "sky", "horizons"].forEach((name, unit) => {
    gl.uniform1i(place(name), unit);
  });
  return { program, place };
}

/** The two directions beside a light that horizons are known in, and the share of the second. */
function turnOf([x, y], ways) {
  const at = (Math.atan2(y, x) / (2 * Math.PI)) * ways - 0.5;
  const first = Math.floor(at);
  return [(first + ways) % ways, (first + 1 + ways) % ways, at - first];
}

/** Binds an array as a texture, which is sent to the card once; what was sent long ago is forgotten there. */
function bind({ gl, kept, sent }, unit, pixels, kind, send) {
  gl.activeTexture(gl.TEXTURE0 + unit);
  const known = kept.get(pixels);
  const texture = known && gl.isTexture(known) ? known : gl.createTexture();
  gl.bindTexture(kind, texture);
  if (texture === known) return;
  kept.set(pixels, texture);
  sent.push(texture);
  if (sent.length > TEXTURES) gl.deleteTexture(sent.shift());
  const filter = kind === gl.TEXTURE_2D ? gl.NEAREST : gl.LINEAR;
  for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(kind, side, filter);
  for (const side of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(kind, side, gl.CLAMP_TO_EDGE);
  send();
}

/**
 * Normals (uint16) under some lights, drawn on a canvas of their size; null where there is no card that can.
 * `low` is what the sky gives to a surface that stands upright and how that rises, by channel; `around` what falls on even
 * ground; `lights` each `{ towards, halfWay, sun, shine }`. Colours and shadows as in painting.js.
 */
export function lightOnCard(pixels, { albedo, low, around, lights }, colours, shadows) {
  const [rows, columns] = pixels.shape;
  if (lights.length > MOST || rows * columns < LEAST || typeof document === "undefined") return null;
  if (card === undefined || card?.gl.isContextLost()) card = begin(); // a card that was reset has forgotten everything
  if (!card || Math.max(rows, columns) > card.widest) return null;
  const { canvas, gl } = card;
  const place = take(card, lights.length, Boolean(colours), Boolean(shadows));
  if (!place) return null;
  if (canvas.width !== columns || canvas.height !== rows) [canvas.width, canvas.height] = [columns, rows];
  gl.viewport(0, 0, columns, rows);
  const flat = gl.TEXTURE_2D;
  const size = [columns, rows, 0];
  bind(card, 0, pixels, flat, () =>
    gl.texImage2D(flat, 0, gl.RGB16UI, ...size, gl.RGB_INTEGER, gl.UNSIGNED_SHORT, pixels),
  );
  if (colours)
    bind(card, 1, colours, flat, () => gl.texImage2D(flat, 0, gl.RGB8, ...size, gl.RGB, gl.UNSIGNED_BYTE, colours));
  const values = { albedo, around, upright: low.map(([upright]) => upright), rise: low.map(([, rise]) => rise) };
  for (const name of ["towards", "halfWay", "sun"]) values[name] = lights.flatMap((each) => each[name]);
  if (shadows) {
    const { sky, skyCode, horizons, soft } = shadows;
    const [ways, high, wide] = horizons.shape;
    bind(card, 2, sky, flat, () => gl.texImage2D(flat, 0, gl.RGB8, ...size, gl.RGB, gl.UNSIGNED_BYTE, sky));
    bind(card, 3, horizons, gl.TEXTURE_2D_ARRAY, () =>
      gl.texImage3D(gl.TEXTURE_2D_ARRAY, 0, gl.R8, wide, high, ways, 0, gl.RED, gl.UNSIGNED_BYTE, horizons),
    );
    gl.uniform1f(place("soft"), soft);
    gl.uniform2f(place("skyCode"), skyCode.scale, skyCode.none);
    values.turn = lights.flatMap((each) => turnOf(each.towards, ways));
  }
  for (const [name, value] of Object.entries(values)) if (value.length) gl.uniform3fv(place(name), value);
  if (lights.length)
    gl.uniform2fv(
      place("shine"),
      lights.flatMap((each) => each.shine),
    );
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  return gl.isContextLost() ? null : canvas;
}
