// The line A to A′ on the surface in space: its ends are dragged over it. Where it cuts the surface is drawn by that.

import { draggable, nudged } from "../drag.js";
import { bench, look, setLook } from "../look.js";
import { svg } from "../svg.js";

const overlay = document.getElementById("solid-line");
const HIDDEN_PAST = 0.02; // of the stage: an end farther out lies beyond it
let surface = null;
let told = null; // where the ends lie, and the front that they are parts of

const ends = ["A", "A′"].map((name) =>
  svg(
    "g",
    { tabindex: 0, role: "slider", "aria-label": `Section end ${name} on the surface`, "aria-valuemin": 0 },
    svg("circle", { r: 12 }),
    Object.assign(svg("text", {}), { textContent: name }),
  ),
);
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
    handle.setAttribute("transform", `translate(${at.join(" ")})`);
    const [across, down] = look.line.slice(end * 2, end * 2 + 2).map((part) => Math.round(100 * part));
    handle.setAttribute("aria-valuemax", 100);
    handle.setAttribute("aria-valuenow", across);
    handle.setAttribute("aria-valuetext", `${across} % across, ${down} % down`);
  });
}

function move(end, parts) {
  const line = [...look.line];
  parts.forEach((part, side) => {
    line[end * 2 + side] = Math.min(Math.max(part, 0), 1);
  });
  setLook({ line });
}

ends.forEach((handle, end) => {
  draggable(handle, {
    move(event) {
      const found = surface.under(event);
      if (!found) return;
      const [left, top, width, height] = told.front;
      move(end, [(found.place[0] - left) / width, (top - found.place[1]) / height]);
    },
  });
  handle.addEventListener("keydown", (event) => {
    const by = nudged(event, 0.01);
    if (by) move(end, [look.line[end * 2] + by[0], look.line[end * 2 + 1] - by[1]]);
  });
});
