// The light dome: the sun on it is dragged; its rim is light from the horizon.

import { PLAINLY, bench, look, setLook } from "../look.js";
import { draggable, nudged } from "../../studio/drag.js";

const dome = document.getElementById("dome");
const sun = document.getElementById("dome-sun");
const ray = document.getElementById("dome-ray");
const RADIUS = 46;
const LOWEST = 0.985; // light from the horizon itself would leave all of a flat surface black
const RAKING = [-0.955, 0.2];

let beforeRaking = null;

function place(x, y) {
  const far = Math.hypot(x, y);
  const kept = far > LOWEST ? LOWEST / far : 1;
  setLook({ light: [x * kept, y * kept] });
}

function show() {
  const [x, y] = look.light;
  for (const [name, value] of [
    ["cx", x],
    ["cy", -y],
  ])
    sun.setAttribute(name, value * RADIUS);
  for (const [name, value] of [
    ["x1", x],
    ["y1", -y],
  ])
    ray.setAttribute(name, value * RADIUS);
  const turn = Math.round((Math.atan2(y, x) * 180) / Math.PI + 360) % 360;
  const height = Math.round((Math.acos(Math.min(1, Math.hypot(x, y))) * 180) / Math.PI);
  dome.setAttribute("aria-valuenow", turn);
  dome.setAttribute("aria-valuetext", `from ${turn}°, ${height}° high`);
}

document.addEventListener("click", ({ target }) => target.closest("[data-raking]") && toggleRaking());

draggable(dome, {
  start: (event) => {
    if (look.lamp.sweep) setLook({ lamp: { ...look.lamp, sweep: false } });
    follow(event);
  },
  move: (event) => follow(event),
});

function follow(event) {
  const box = dome.getBoundingClientRect();
  const scale = (box.width / 100) * RADIUS;
  place((event.clientX - box.left - box.width / 2) / scale, -(event.clientY - box.top - box.height / 2) / scale);
}

dome.addEventListener("keydown", (event) => {
  const by = nudged(event, 0.02);
  if (by) place(look.light[0] + by[0], look.light[1] + by[1]);
});

/** Low light from the side, and back to the light before. */
export function toggleRaking() {
  const raking = look.light.every((part, axis) => Math.abs(part - RAKING[axis]) < 1e-6);
  if (raking) setLook({ light: beforeRaking ?? PLAINLY.light });
  else {
    beforeRaking = look.light;
    setLook({ light: RAKING });
  }
}

bench.addEventListener("look", ({ detail }) => "light" in detail && show());
show();
