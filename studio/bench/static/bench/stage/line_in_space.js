// The line A to A′ on the surface in space: its ends are dragged over it. Where it cuts the surface is drawn by that.

import { bench, look } from "../look.js";
import { makeEnds, placeEnd } from "./ends.js";

const overlay = document.getElementById("solid-line");
const HIDDEN_PAST = 0.02; // of the stage: an end farther out lies beyond it
let surface = null;
let told = null; // where the ends lie, and the front that they are parts of

const ends = makeEnds((name) => `Section end ${name} on the surface`, partsUnder);
overlay.append(...ends);

bench.addEventListener("look", ({ detail }) => "overlay" in detail && surface && lay(told));

/** Names the surface that it lies on. */
export function layOn(drawn) {
  surface = drawn;
  surface.onDrawn(place);
}

/** Takes over where the line cuts the surface; nothing while no surface is shown. */
export function lay(packet) {
  told = packet;
  const shown = told && !look.overlay; // over a mapping that is looked at it would be in the way
  overlay.toggleAttribute("hidden", !shown);
  surface?.layLine(shown ? told.arrays.placed : new Float32Array());
}

function place() {
  if (!told || overlay.hasAttribute("hidden")) return;
  ends.forEach((handle, end) => {
    const { at, out } = surface.seen(told.ends[end]);
    handle.toggleAttribute("data-beyond", out > HIDDEN_PAST);
    placeEnd(handle, end, at);
  });
}

/** The parts of the surface's front that lie under a pointer. */
function partsUnder(event) {
  const found = surface.under(event);
  if (!found) return null;
  const [left, top, width, height] = told.front;
  return [(found.place[0] - left) / width, (top - found.place[1]) / height];
}
