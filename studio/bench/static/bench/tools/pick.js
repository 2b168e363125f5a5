// Picks parts of the surface for regions.

import { postSurface } from "./space.js";

export const kind = "pick";
export const hint = "click a part to make a region of it, or to add it to the open region";
export const inSpace = true;

/** The part that was clicked goes into the region whose controls are in use, or out of it; without one it becomes one. */
export function click({ part }) {
  const regions = [...document.querySelectorAll("[data-region]")];
  const held = regions.find((region) => region.contains(document.activeElement));
  if (held) postSurface({ action: "toggle-part", number: held.dataset.region, part });
  else postSurface({ action: "add-region", part });
}
