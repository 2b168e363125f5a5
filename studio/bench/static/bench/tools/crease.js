// Picks edges of the base that stay sharp when it is subdivided.

import { postSurface } from "./space.js";

export const kind = "crease";
export const hint = "click near an edge of the base to keep it sharp, again to release it";
export const inSpace = true;

export function click({ place: [x, y, z] }) {
  postSurface({ action: "pick-edge", x, y, z });
}
