// The surface in space: asked for when it is looked at, and drawn by WebGL where the browser has that.

import { bench, currentView, look, ofRelief } from "../look.js";
import { fetchPacket } from "../../studio/packet.js";
import { layOn } from "./line_in_space.js";
import { workOn } from "../tools/space.js";

const SHARP = 2048; // texels on the long side of what lies on it

/** What is drawn over the surface from figures that the server sends with it. */
export const FIGURED = ["stretch", "edges", "overlap"];

/** The surface once it was shown, and why there can be none. */
export const space = { surface: null, problem: null };

const solid = document.getElementById("solid");
let shown = ""; // what the surface was made of

/** What all questions about the surface are asked with: the state that a packet shows, and what is tried on it. */
const sharedBy = (packet, changes) => ({
  base: packet.revision,
  ...ofRelief(),
  ...(look.card === "in" ? { card: 1 } : {}),
  ...changes,
});

/** The section of the surface itself, where the line A to A′ lies on its front. */
export const cutAlong = (packet, changes, signal) =>
  fetchPacket(bench.dataset.cut, { ...sharedBy(packet, changes), section: look.line.join(",") }, signal);

/** Shows the surface of the state that a packet shows. */
export async function showSurface(packet, changes, signal) {
  if (!(await begin())) return;
  const shared = sharedBy(packet, changes);
  const mapped = look.mapped || currentView() === "ways";
  const figured = FIGURED.includes(look.overlay) ? { [look.overlay]: 1 } : {};
  const detail = currentView() === "surface" && look.displaced ? look.detail : "geometry";
  const more = { ...(mapped ? { mapped: 1 } : {}), ...figured, ...(detail === "geometry" ? {} : { detail }) };
  const mesh = (displaced) =>
    fetchPacket(bench.dataset.mesh, { ...shared, ...more, displaced: displaced ? 1 : 0 }, signal);
  const map = (view, more = {}) =>
    fetchPacket(bench.dataset.preview, { ...shared, view, longest: SHARP, ...more }, signal);
  const pixels = async (view, wanted) => wanted && (await map(view)).arrays.pixels;
  /** The maps that lie on each region: those of the relief that it carries, by its key. `viewOf` names a relief's, or none. */
  const ofReliefs = async (viewOf, wanted, { region_reliefs: keys }) => {
    const carried = wanted ? [...new Set(keys)].filter((key) => key && viewOf(key)) : [];
    const found = await Promise.all(carried.map((relief) => map(viewOf(relief), { relief })));
    return Object.fromEntries(carried.map((key, number) => [key, found[number].arrays.pixels]));
  };
  /** The view that shows a relief's map of a role in its material; of two the one that is made. */
  const inRole =
    (role, { region_maps: named }) =>
    (relief) =>
      Object.entries(named[relief] ?? {}).findLast(([, other]) => other === role)?.[0];
  const coloured = look.material.kind === "colour";
  const wanted = JSON.stringify([currentView(), shared, look.displaced, look.mapped, coloured, figured, detail]);
  if (wanted === shown) return; // only the section line was moved
  if (currentView() === "ways") {
    const [flatMesh, displaced, normals, bump, colourPixels] = await Promise.all([
      mesh(false),
      mesh(true),
      pixels("tangent", true),
      map("bump"),
      pixels("colour", coloured),
    ]);
    space.surface.showWays({
      flat: flatMesh,
      displaced,
      normals,
      bump: bump.arrays.pixels,
      bumpSpan: bump.bump_span,
      colourPixels,
    });
  } else {
    const made = await mesh(look.displaced);
    if (made.arrays.residual) space.surface.showCompleted(made);
    else
      space.surface.show(
        made,
        ...(await Promise.all([
          ofReliefs(() => "tangent", look.mapped, made),
          ofReliefs(() => "colour", coloured, made),
          ofReliefs(inRole("roughness", made), coloured, made),
          ofReliefs(inRole("metalness", made), coloured, made),
        ])),
      );
  }
  shown = wanted;
}

/** Makes the surface, unless it is there or there can be none; whether there is one. */
async function begin() {
  if (space.surface || space.problem) return Boolean(space.surface);
  try {
    solid.hidden = false;
    const { surfaceOn } = await import("./surface.js");
    space.surface = surfaceOn(solid);
    workOn(space.surface);
    layOn(space.surface);
    return true;
  } catch {
    space.problem = "This browser has no WebGL, so the surface cannot be turned here. The lit relief is shown instead.";
    return false;
  }
}
