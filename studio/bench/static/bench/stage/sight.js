// Which part of the stage is looked at: how near, about which place of the relief, and whether it fills the screen.

import { bench, look, setLook } from "../look.js";
import { clamp } from "../../studio/svg.js";

const stage = document.getElementById("stage");
const flat = document.getElementById("flat");
const NEAREST = 400;
const STEP = 1.25;

/** How near, and the place in the middle, as parts of the relief. */
export const sight = { zoom: 1, x: 0.5, y: 0.5 };
const changed = [];

/** Names what is called when another part is looked at. */
export const onSight = (callback) => changed.push(callback);

function set(zoom, x, y) {
  sight.zoom = clamp(zoom, 1, NEAREST);
  const [across, down] = sight.zoom === 1 ? [0.5, 0.5] : [clamp(x, 0, 1), clamp(y, 0, 1)];
  Object.assign(sight, { x: across, y: down });
  stage.toggleAttribute("data-near", sight.zoom > 1);
  flat.dataset.zoom = sight.zoom.toFixed(2);
  for (const callback of changed) callback();
}

/** Goes nearer (a factor above 1) or back, about a place of the relief. */
export function zoom(factor, x = sight.x, y = sight.y) {
  const next = clamp(sight.zoom * factor, 1, NEAREST);
  const stays = 1 - sight.zoom / next; // the place under the pointer stays under it
  set(next, sight.x + (x - sight.x) * stays, sight.y + (y - sight.y) * stays);
}

/** Moves the part that is looked at, by parts of the relief. */
export const pan = (across, down) => set(sight.zoom, sight.x + across, sight.y + down);

/** Shows all of the relief again. */
export const showAll = () => set(1, 0.5, 0.5);

/** The stage over the whole screen, or back among the rest. */
export function fill(on = !look.full) {
  setLook({ full: on });
  if (on) document.documentElement.requestFullscreen?.().catch(() => {});
  else if (document.fullscreenElement) document.exitFullscreen();
}

document.addEventListener(
  "fullscreenchange",
  () => !document.fullscreenElement && look.full && setLook({ full: false }),
);
document.addEventListener("click", ({ target }) => {
  const factor = target.closest("[data-zoom]")?.dataset.zoom;
  if (factor === "all") showAll();
  else if (factor) zoom(STEP ** Number(factor));
  if (target.closest("[data-fill]")) fill();
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && look.full && !document.querySelector("dialog[open]")) fill(false);
});
bench.addEventListener("look", ({ detail }) => "full" in detail && bench.toggleAttribute("data-full", look.full));
bench.toggleAttribute("data-full", look.full);
