// Pixels of a packet onto a canvas: grey, colour or one channel of it, or normals lit from some directions.

import { lightOnCard } from "./card.js";
import { AMBIENT, CLAY, GROUND, REFLECTS, SKY, SKYLIGHT, SUN, SUNLIGHT } from "./daylight.js";
import { develop, LINEAR } from "./tone.js";

const LAST = 1023; // shades are looked up by cosine, in tables of this many steps and one
const UPRIGHT = 2 / 65535; // times a coded part of a normal, less 1, is that part
const CHANNELS = { red: 0, green: 1, blue: 2, alpha: 3 };
const held = new WeakMap(); // the pixels of each canvas, painted over again while the light moves

export const NEUTRAL = [1, 1, 1];

/** One light as the bench begins with, on matt clay with a little sheen. */
export const lightFrom = (towards) => ({
  lights: [{ towards, strength: 1, tint: NEUTRAL }],
  ambient: AMBIENT,
  material: { albedo: CLAY, roughness: 0.6 },
});

/**
 * Paints pixels on a canvas, which takes their size. Normals (uint16) are lit; `colours` (uint8, of the same size) are
 * what they are made of, where they are not plain; `shadows` what `shadowsFrom` gives for their size.
 */
export function paintPixels(
  canvas,
  pixels,
  { channel, towards, lit = towards && lightFrom(towards), colours, shadows } = {},
) {
  const [rows, columns] = pixels.shape;
  if (canvas.width !== columns || canvas.height !== rows) [canvas.width, canvas.height] = [columns, rows];
  if (pixels instanceof Uint16Array) {
    const fits = colours?.length === pixels.length ? colours : null;
    const shaded = shadows?.sky.length === pixels.length ? shadows : null;
    paintNormals(canvas, pixels, lit, fits, shaded);
    return;
  }
  fill(canvas, (out) => {
    if (pixels.shape.length === 3) colour(pixels, out, CHANNELS[channel], pixels.shape[2]);
    else for (let i = 0; i < out.length; i++) out[i] = 0xff000000 | (pixels[i] * 0x010101);
  });
}

/** Normals under some lights: under one alone by a loop, which is quick too, else on a card if there is one that can. */
function paintNormals(canvas, normals, lit, colours, shadows) {
  const plain = lit.lights.length === 1 && !colours && !shadows;
  const drawn = plain ? null : lightOnCard(normals, whatFalls(lit), colours, shadows);
  if (drawn) canvas.getContext("2d").drawImage(drawn, 0, 0);
  else if (plain) fill(canvas, (out) => lightOnce(normals, out, lit));
  else fill(canvas, (out) => lightAll(normals, out, lit, colours, shadows));
}

/** Fills a canvas with pixels that are worked out, each one number. */
function fill(canvas, work) {
  const { width, height } = canvas;
  const kept = held.get(canvas);
  const image = kept?.width === width && kept.height === height ? kept : new ImageData(width, height);
  held.set(canvas, image);
  work(new Uint32Array(image.data.buffer));
  canvas.getContext("2d").putImageData(image, 0, 0);
}

const ENTERS = 1 - REFLECTS; // the rest is shine
const linear = (value) => LINEAR[Math.round(255 * value)];

/** A light as it is in linear light: red, green and blue of a white surface that faces it. */
const sunlight = ({ strength, tint }) =>
  tint.map((part, channel) => (linear(part) * SUN[channel] * SUNLIGHT * strength) / Math.PI);

/** What the sky and the ground give to a white surface: of each channel what is left when it stands upright, and the rise. */
const skylight = (ambient) =>
  SKY.map((sky, channel) => {
    const whole = (ambient * SKYLIGHT) / Math.PI;
    return [(whole * (sky + GROUND[channel])) / 2, (whole * (sky - GROUND[channel])) / 2];
  });

/**
 * What falls on even ground. In a hollow that sees a share of the sky it is spread over as much more surface, and its places
 * give it on to each other again and again (Stewart & Langer 1997, Toward accurate recovery of shape from shading under
 * diffuse lighting).
 */
function around(lights, ambient) {
  const low = skylight(ambient).map(([upright, rise]) => upright + rise);
  const suns = lights.map((each) => sunlight(each).map((part) => part * Math.max(each.towards[2], 0)));
  return low.map((part, channel) => suns.reduce((sum, sun) => sum + sun[channel], part));
}

/**
 * What a surface that faces the light gives back as shine, by the cosine to half way between light and eye: GGX (Walter et
 * al. 2007) with Schlick's Fresnel of a dielectric. Light and eye are far away, so that the angle between them is one for
 * the whole picture, and what hides and shadows facets is taken for one value too (Lazarov's fit, Karis 2013). Gives the
 * square of alpha, and what the density is multiplied by.
 */
function glossOf(towards, roughness) {
  const alpha = Math.max(roughness, 0.05) ** 2;
  const toHalf = halfWay(towards)[2];
  const fresnel = 0.04 + 0.96 * (1 - toHalf) ** 5;
  const hidden = 1 / (4 * Math.max(toHalf, 0.1) ** 2 * (Math.max(roughness, 0.05) + 0.5));
  return [alpha * alpha, fresnel * hidden * alpha * alpha]; // pi of the density and of the matt part cancel out
}

/** The same in a table, by the steps of that cosine. */
function shineOf(towards, roughness) {
  const [square, times] = glossOf(towards, roughness);
  return Float32Array.from({ length: LAST + 1 }, (_, step) => {
    const cosine = step / LAST;
    const spread = cosine * cosine * (square - 1) + 1;
    return times / (spread * spread);
  });
}

/** What falls on a picture, as a card needs it. */
const whatFalls = ({ lights, ambient, material }) => ({
  albedo: material.albedo,
  low: skylight(ambient),
  around: around(lights, ambient),
  lights: lights.map((each) => ({
    towards: each.towards,
    halfWay: halfWay(each.towards),
    sun: sunlight(each),
    shine: glossOf(each.towards, material.roughness),
  })),
});

/** The direction half way between the light and the eye, which looks from straight above. */
function halfWay([x, y, z]) {
  const length = Math.hypot(x, y, z + 1);
  return [x / length, y / length, (z + 1) / length];
}

/** A direction so that its product with coded normals is a step of the tables. */
function scaled([x, y, z]) {
  const scale = (2 / 65535) * LAST;
  return [x * scale, y * scale, z * scale, -(x + y + z) * LAST];
}

/** What one light needs in the loops: its way and the way half to the eye as rows of a product, colour and shine. */
const prepared = (each, material) => ({
  colour: sunlight(each),
  way: scaled(each.towards),
  half: scaled(halfWay(each.towards)),
  shine: shineOf(each.towards, material.roughness),
});

/** One light on one material: the light of a stage that nothing was changed at, as quick as can be. */
function lightOnce(normals, out, { lights, ambient, material }) {
  const { colour, way, half, shine } = prepared(lights[0], material);
  const [wx, wy, wz, wo] = way;
  const [hx, hy, hz, ho] = half;
  const [red, green, blue] = material.albedo.map((part) => part * ENTERS);
  const [redSun, greenSun, blueSun] = colour;
  const [redSky, greenSky, blueSky] = skylight(ambient);
  const [redLow, redRise] = redSky.map((part) => part * (red + REFLECTS));
  const [greenLow, greenRise] = greenSky.map((part) => part * (green + REFLECTS));
  const [blueLow, blueRise] = blueSky.map((part) => part * (blue + REFLECTS));
  for (let i = 0, n = 0; i < out.length; i++, n += 3) {
    const x = normals[n];
    const y = normals[n + 1];
    const z = normals[n + 2];
    const up = z * UPRIGHT - 1;
    const cosine = x * wx + y * wy + z * wz + wo;
    const facing = cosine > 0 ? cosine / LAST : 0;
    const shining = x * hx + y * hy + z * hz + ho;
    const bright = shine[shining > LAST ? LAST : shining > 0 ? shining | 0 : 0];
    out[i] = develop(
      redLow + redRise * up + redSun * facing * (red + bright),
      greenLow + greenRise * up + greenSun * facing * (green + bright),
      blueLow + blueRise * up + blueSun * facing * (blue + bright),
    );
  }
}

/** Several lights, colours or shadows: what each light does is added up, light after light, in plain loops. */
function lightAll(normals, out, { lights, ambient, material }, colours, shadows) {
  const count = out.length;
  const [matt, bright] = [new Float32Array(3 * count), new Float32Array(3 * count)];
  const open = shadows && new Float32Array(count);
  const [[redLow, redRise], [greenLow, greenRise], [blueLow, blueRise]] = skylight(ambient);
  for (let i = 0, n = 0; i < count; i++, n += 3) {
    // with shadows the sky alone gives light: what lies below the horizon is the relief itself
    const up = shadows ? 1 : normals[n + 2] * UPRIGHT - 1;
    const seen = shadows ? seenOfSky(normals, shadows, n) : 1;
    if (open) open[i] = seen;
    matt[n] = (redLow + redRise * up) * seen;
    matt[n + 1] = (greenLow + greenRise * up) * seen;
    matt[n + 2] = (blueLow + blueRise * up) * seen;
    bright[n] = matt[n] * REFLECTS;
    bright[n + 1] = matt[n + 1] * REFLECTS;
    bright[n + 2] = matt[n + 2] * REFLECTS;
  }
  for (const each of lights) {
    const { colour, way, half, shine } = prepared(each, material);
    const sees = shadows?.sun(each.towards);
    const [wx, wy, wz, wo] = way;
    const [hx, hy, hz, ho] = half;
    const [red, green, blue] = colour;
    for (let i = 0, n = 0; i < count; i++, n += 3) {
      const facing = normals[n] * wx + normals[n + 1] * wy + normals[n + 2] * wz + wo;
      if (facing <= 0) continue;
      const lit = (facing / LAST) * (sees ? sees[i] / 255 : 1);
      const shining = normals[n] * hx + normals[n + 1] * hy + normals[n + 2] * hz + ho;
      const back = lit * shine[Math.min(LAST, Math.max(0, shining)) | 0];
      matt[n] += red * lit;
      matt[n + 1] += green * lit;
      matt[n + 2] += blue * lit;
      bright[n] += red * back;
      bright[n + 1] += green * back;
      bright[n + 2] += blue * back;
    }
  }
  let [red, green, blue] = material.albedo.map((part) => part * ENTERS);
  const [redAround, greenAround, blueAround] = around(lights, ambient);
  for (let i = 0, n = 0; i < count; i++, n += 3) {
    if (colours) {
      red = LINEAR[colours[n]] * ENTERS;
      green = LINEAR[colours[n + 1]] * ENTERS;
      blue = LINEAR[colours[n + 2]] * ENTERS;
    }
    const hidden = open ? 1 - open[i] : 0;
    if (hidden) {
      const spread = hidden * (1 - hidden);
      matt[n] += (redAround * spread * red) / (1 - hidden * red);
      matt[n + 1] += (greenAround * spread * green) / (1 - hidden * green);
      matt[n + 2] += (blueAround * spread * blue) / (1 - hidden * blue);
    }
    out[i] = develop(
      matt[n] * red + bright[n],
      matt[n + 1] * green + bright[n + 1],
      matt[n + 2] * blue + bright[n + 2],
    );
  }
}

/** The share of the light of an even sky that a texel gets, whose parts begin at a place. */
function seenOfSky(normals, { sky, skyCode: { scale, none } }, at) {
  const aside = (normals[at] * UPRIGHT - 1) * (sky[at] - none) + (normals[at + 1] * UPRIGHT - 1) * (sky[at + 1] - none);
  const seen = aside / scale + ((normals[at + 2] * UPRIGHT - 1) * sky[at + 2]) / 255;
  return Math.min(Math.max(seen, 0), 1);
}

function colour(pixels, out, alone, stride) {
  for (let i = 0, n = 0; i < out.length; i++, n += stride) {
    out[i] =
      alone === undefined || alone >= stride
        ? 0xff000000 | (pixels[n + 2] << 16) | (pixels[n + 1] << 8) | pixels[n]
        : 0xff000000 | (pixels[n + alone] * 0x010101);
  }
}
