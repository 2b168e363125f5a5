// Pixels of a packet onto a canvas: grey, colour or one channel of it, or normals lit from some directions.

const LAST = 1023; // shades are looked up by cosine, in tables of this many steps and one
const CHANNELS = { red: 0, green: 1, blue: 2, alpha: 3 };
const held = new WeakMap(); // the pixels of each canvas, painted over again while the light moves

export const NEUTRAL = [1, 0.985, 0.955];
/** One light as the bench begins with: matt plaster with a little sheen. */
export const lightFrom = (towards) => ({
  lights: [{ towards, strength: 1, tint: NEUTRAL }],
  ambient: 0.17,
  material: { albedo: 0.78, roughness: 0.6 },
});

/**
 * Paints pixels on a canvas, which takes their size. Normals (uint16) are lit; `colours` (uint8, of the same size) are
 * what they are made of, where they are not plain; `shadows` what of the sky and of each light they see, 0 to 255.
 */
export function paintPixels(
  canvas,
  pixels,
  { channel, towards, lit = towards && lightFrom(towards), colours, shadows } = {},
) {
  const [rows, columns] = pixels.shape;
  if (canvas.width !== columns || canvas.height !== rows) [canvas.width, canvas.height] = [columns, rows];
  const image =
    held.get(canvas)?.width === columns && held.get(canvas).height === rows
      ? held.get(canvas)
      : new ImageData(columns, rows);
  held.set(canvas, image);
  const out = new Uint32Array(image.data.buffer);
  if (pixels instanceof Uint16Array) {
    const fits = colours?.length === pixels.length;
    const shaded = shadows?.sky.length === out.length;
    if (lit.lights.length === 1 && !fits && !shaded) lightOnce(pixels, out, lit);
    else lightAll(pixels, out, lit, fits ? colours : null, shaded ? shadows : null);
  } else if (pixels.shape.length === 3) colour(pixels, out, CHANNELS[channel], pixels.shape[2]);
  else for (let i = 0; i < out.length; i++) out[i] = 0xff000000 | (pixels[i] * 0x010101);
  canvas.getContext("2d").putImageData(image, 0, 0);
}

/** What a light does to a material: the matt part by the cosine to the light, the shine by that to half way. */
function tables({ albedo, roughness }, strength) {
  const sharpness = 2 / roughness ** 3;
  const shine = 0.04 + 0.35 * (1 - roughness) ** 2 + (albedo < 0.1 ? 0.5 : 0);
  const matt = Float32Array.from({ length: LAST + 1 }, (_, step) => albedo * strength * (step / LAST));
  const bright = Float32Array.from({ length: LAST + 1 }, (_, step) => shine * strength * (step / LAST) ** sharpness);
  return { matt, bright };
}

/** The direction half way between the light and the eye, which looks from straight above. */
function halfWay([x, y, z]) {
  const length = Math.hypot(x, y, z + 1);
  return [x / length, y / length, (z + 1) / length];
}

const WHITE = [1, 1, 1];
const packed = (red, green, blue) =>
  0xff000000 | (Math.min(255, blue) << 16) | (Math.min(255, green) << 8) | Math.min(255, red);

function lightOnce(normals, out, { lights: [{ towards, strength, tint }], ambient, material }) {
  const { matt, bright } = tables(material, strength);
  const base = ambient * material.albedo;
  const shades = Uint32Array.from({ length: LAST + 1 }, (_, step) =>
    packed(...tint.map((part) => Math.round((255 * part * step) / LAST))),
  );
  const [lx, ly, lz, lo] = scaled(towards);
  const [hx, hy, hz, ho] = scaled(halfWay(towards));
  for (let i = 0, n = 0; i < out.length; i++, n += 3) {
    const [x, y, z] = [normals[n], normals[n + 1], normals[n + 2]];
    const facing = x * lx + y * ly + z * lz + lo;
    const shining = x * hx + y * hy + z * hz + ho;
    const shade =
      (base +
        (facing > 0
          ? matt[facing > LAST ? LAST : facing | 0] + bright[shining > LAST ? LAST : shining > 0 ? shining | 0 : 0]
          : 0)) *
      LAST;
    out[i] = shades[shade > LAST ? LAST : shade | 0];
  }
}

/** A direction so that its product with coded normals is a step of the tables. */
function scaled([x, y, z]) {
  const scale = (2 / 65535) * LAST;
  return [x * scale, y * scale, z * scale, -(x + y + z) * LAST];
}

/** Two lights, or one on colours: sums what each does, light after light, so that each pass is a plain loop. */
function lightAll(normals, out, { lights, ambient, material }, colours, shadows) {
  const count = out.length;
  const matts = lights.map(() => new Float32Array(count));
  const shines = lights.map(() => new Float32Array(count));
  lights.forEach(({ towards, strength }, number) => {
    const { matt, bright } = tables(material, strength);
    const [lx, ly, lz, lo] = scaled(towards);
    const [hx, hy, hz, ho] = scaled(halfWay(towards));
    const [dull, shine] = [matts[number], shines[number]];
    const open = shadows?.suns[number];
    for (let i = 0, n = 0; i < count; i++, n += 3) {
      const facing = normals[n] * lx + normals[n + 1] * ly + normals[n + 2] * lz + lo;
      if (facing <= 0) continue;
      const shining = normals[n] * hx + normals[n + 1] * hy + normals[n + 2] * hz + ho;
      const seen = open ? open[i] / 255 : 1;
      dull[i] = seen * matt[facing > LAST ? LAST : facing | 0];
      shine[i] = seen * bright[shining > LAST ? LAST : shining > 0 ? shining | 0 : 0];
    }
  });
  const whole = ambient * material.albedo * 255;
  const [first, second] = [lights[0].tint, lights[1]?.tint ?? [0, 0, 0]].map((tint) => tint.map((part) => part * 255));
  const [matt, shine] = [matts[0], shines[0]];
  const [otherMatt, otherShine] = [matts[1] ?? matt, shines[1] ?? shine];
  for (let i = 0, n = 0; i < count; i++, n += 3) {
    // a colour of 200 is as light as the plain grey
    const base = shadows ? (whole * shadows.sky[i]) / 255 : whole;
    const [red, green, blue] = colours ? [colours[n] / 200, colours[n + 1] / 200, colours[n + 2] / 200] : WHITE;
    out[i] = packed(
      (base + matt[i] * first[0] + otherMatt[i] * second[0]) * red + shine[i] * first[0] + otherShine[i] * second[0],
      (base + matt[i] * first[1] + otherMatt[i] * second[1]) * green + shine[i] * first[1] + otherShine[i] * second[1],
      (base + matt[i] * first[2] + otherMatt[i] * second[2]) * blue + shine[i] * first[2] + otherShine[i] * second[2],
    );
  }
}

function colour(pixels, out, alone, stride) {
  for (let i = 0, n = 0; i < out.length; i++, n += stride) {
    out[i] =
      alone === undefined || alone >= stride
        ? 0xff000000 | (pixels[n + 2] << 16) | (pixels[n + 1] << 8) | pixels[n]
        : 0xff000000 | (pixels[n + alone] * 0x010101);
  }
}
