// Raises the base form softly around a place.

import { commit } from "../controls/controls.js";

const HANDLES = "surface.form.handles";
const FALLOFF = 0.22; // of the surface's size, around a place that is raised

export const kind = "raise";
export const hint = "drag up or down; the surroundings follow softly";
export const inSpace = true;

const box = () => document.querySelector(`#controls [name="${HANDLES}"]`);

export function drag(begun, surface, from) {
  const before = JSON.parse(box()?.value ?? "[]");
  const [x, y, z] = begun.place.map((side) => Number(side.toFixed(3)));
  const falloff = Number((FALLOFF * Math.max(...surface.told().size)).toPrecision(3));
  const move = (event) => {
    const raised = Number(((from.clientY - event.clientY) * surface.pixelAt(begun.far)).toPrecision(4));
    return { [HANDLES]: JSON.stringify([...before, { x, y, z, raised, falloff }]) };
  };
  const keep = (values) => {
    const input = box();
    input.value = values[HANDLES];
    commit(input);
  };
  return { move, keep };
}
