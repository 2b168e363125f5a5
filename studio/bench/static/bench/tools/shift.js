// Drags the relief over the surface: what lay under the pointer goes where the pointer goes.

import { post } from "./hand.js";

export const kind = "shift";
export const hint = "drag the relief over the surface";
export const inSpace = true;

export function drag(begun, surface) {
  const round = (value) => Number(value.toFixed(4));
  const move = (event) => {
    const now = surface.under(event);
    if (!now) return null;
    const [across, down] = surface.told().shift;
    return {
      "surface.mapping.shift_across": round(across + now.uv[0] - begun.uv[0]),
      "surface.mapping.shift_down": round(down - (now.uv[1] - begun.uv[1])),
    };
  };
  return { move, keep: post };
}
