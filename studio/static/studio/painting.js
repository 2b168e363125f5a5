// Pixels of a packet onto a canvas: grey, colour or one channel of it, or normals lit from a direction.

// matt plaster with a little sheen, a shade for each of 1024 cosines
const SHADES = Uint32Array.from({ length: 1024 }, (_, step) => {
  const cosine = step / 1023;
  const shade = 0.13 + 0.74 * cosine + 0.1 * cosine ** 24;
  const [red, green, blue] = [1, 0.985, 0.955].map((tint) => Math.min(255, Math.round(255 * shade * tint)));
  return 0xff000000 | (blue << 16) | (green << 8) | red;
});
const held = new WeakMap(); // the pixels of each canvas, painted over again while the light moves
const CHANNELS = { red: 0, green: 1, blue: 2 };

/** Paints pixels on a canvas, which takes their size. Normals (uint16) are lit from `towards`, a unit vector. */
export function paintPixels(canvas, pixels, { channel, towards }) {
  const [rows, columns] = pixels.shape;
  if (canvas.width !== columns || canvas.height !== rows) [canvas.width, canvas.height] = [columns, rows];
  const image = held.get(canvas)?.width === columns && held.get(canvas).height === rows ? held.get(canvas) : new ImageData(columns, rows);
  held.set(canvas, image);
  const out = new Uint32Array(image.data.buffer);
  if (pixels instanceof Uint16Array) light(pixels, out, towards);
  else if (pixels.shape.length === 3) colour(pixels, out, CHANNELS[channel]);
  else for (let i = 0; i < out.length; i++) out[i] = 0xff000000 | (pixels[i] * 0x010101);
  canvas.getContext("2d").putImageData(image, 0, 0);
}

function light(normals, out, [x, y, z]) {
  const scale = (2 / 65535) * 1023;
  const offset = -(x + y + z) * 1023;
  for (let i = 0, n = 0; i < out.length; i++, n += 3) {
    const cosine = (normals[n] * x + normals[n + 1] * y + normals[n + 2] * z) * scale + offset;
    out[i] = SHADES[cosine <= 0 ? 0 : cosine >= 1023 ? 1023 : cosine | 0];
  }
}

function colour(pixels, out, alone) {
  for (let i = 0, n = 0; i < out.length; i++, n += 3) {
    out[i] =
      alone === undefined
        ? 0xff000000 | (pixels[n + 2] << 16) | (pixels[n + 1] << 8) | pixels[n]
        : 0xff000000 | (pixels[n + alone] * 0x010101);
  }
}
