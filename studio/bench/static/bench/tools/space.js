// The surface in space that tools work on, and how a tool follows the pointer on it.

import { tryOut } from "../controls/controls.js";
import { bench, page } from "../look.js";

const NEAR = 4; // px that a click may move
export const canvas = document.getElementById("solid");

let surface = null;

/** Names the surface that the tools work on. */
export function workOn(drawn) {
  surface = drawn;
}

/** Changes shape, mapping or regions: `action` and what it takes. */
export const postSurface = (values) => htmx.ajax("POST", page().surface, { source: bench, swap: "none", values });

/**
 * Lets the tool in the hand work wherever the pointer goes down on the surface.
 *
 * `toolInHand` gives it, or null. It has `click(begun)`, or `drag(begun, surface, event)`, which gives what a move
 * tries out and what the end keeps. `begun` is what lay under the pointer: its part, its place and its UVs.
 */
export function letWork(toolInHand) {
  canvas.addEventListener("pointerdown", (event) => start(toolInHand(), event), { capture: true });
}

function start(tool, event) {
  if (!tool || !surface || event.button !== 0) return;
  const begun = surface.under(event);
  if (!begun) return;
  if (tool.click) {
    const end = (last) =>
      Math.hypot(last.clientX - event.clientX, last.clientY - event.clientY) < NEAR && tool.click(begun);
    canvas.addEventListener("pointerup", end, { once: true });
    return;
  }
  event.preventDefault();
  event.stopImmediatePropagation();
  surface.controls.enabled = false;
  canvas.setPointerCapture(event.pointerId);
  const { move, keep } = tool.drag(begun, surface, event);
  let last = null;
  const follow = (moved) => {
    last = move(moved) ?? last;
    if (last) tryOut(last);
  };
  const end = () => {
    canvas.removeEventListener("pointermove", follow);
    surface.controls.enabled = true;
    if (last) keep(last);
  };
  canvas.addEventListener("pointermove", follow);
  canvas.addEventListener("pointerup", end, { once: true });
}

document.addEventListener("click", ({ target }) => {
  if (!target.closest("[data-keep-camera]") || !surface) return;
  const values = Object.fromEntries(
    surface.standsAt().map((side, axis) => [`surface.tessellation.camera_${"xyz"[axis]}`, Number(side.toPrecision(6))]),
  );
  values["surface.tessellation.wide"] = canvas.clientWidth;
  htmx.ajax("POST", page().change, { source: bench, swap: "none", values });
});
