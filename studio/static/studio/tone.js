// From light to what is shown: one tone curve for the stage, swatches and stills. The Khronos PBR Neutral Tone Mapper
// (Khronos Group 2024): a material in white light keeps its base colour, and only highlights are compressed.

export const REFLECTED = 0.04; // of the light from straight above, by a dielectric: it is taken off again
export const FROM = 0.8 - REFLECTED; // compressed from here on
export const ROOM = 1 - FROM;
export const DESATURATION = 0.15;
const STEPS = 4095; // of linear light, as fine as the darkest shades of 8 bits

const encoded = (value) => (value <= 0.0031308 ? value * 12.92 : 1.055 * value ** (1 / 2.4) - 0.055);
const shifted = (bits) =>
  Uint32Array.from({ length: STEPS + 1 }, (_, step) => Math.round(255 * encoded(step / STEPS)) << bits);
const [RED, GREEN, BLUE] = [shifted(0), shifted(8), shifted(16)]; // as they stand in a pixel of a canvas

/** Linear light of each of the 256 values of sRGB. */
export const LINEAR = Float32Array.from({ length: 256 }, (_, level) => {
  const value = level / 255;
  return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
});

/** Linear light as a pixel of a canvas, in one number. */
export function develop(red, green, blue) {
  const least = Math.min(red, green, blue);
  const off = least < 2 * REFLECTED ? least - (least * least) / (4 * REFLECTED) : REFLECTED;
  let r = red - off;
  let g = green - off;
  let b = blue - off;
  const peak = Math.max(r, g, b);
  if (peak > FROM) {
    const pressed = 1 - (ROOM * ROOM) / (peak + ROOM - FROM);
    const white = 1 - 1 / (DESATURATION * (peak - pressed) + 1);
    const scale = (pressed / peak) * (1 - white);
    r = r * scale + pressed * white;
    g = g * scale + pressed * white;
    b = b * scale + pressed * white;
  }
  return 0xff000000 | BLUE[(b * STEPS + 0.5) | 0] | GREEN[(g * STEPS + 0.5) | 0] | RED[(r * STEPS + 0.5) | 0];
}
