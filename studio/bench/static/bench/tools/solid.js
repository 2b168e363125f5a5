// Tools on the surface in space: parts are picked for regions, the shift is dragged, the base form is raised.

import { commit, tryOut } from "../controls/controls.js";
import { bench, page } from "../look.js";

const NEAR = 4; // px that a click may move
const FALLOFF = 0.22; // of the surface's size, around a place that is raised
const canvas = document.getElementById("solid");
const hint = document.getElementById("solid-hint");
const HINTS = {
  pick: "click a part to make a region of it, or to add it to the open region",
  crease: "click near an edge of the base to keep it sharp, again to release it",
  shift: "drag the relief over the surface",
  raise: "drag up or down; the surroundings follow softly",
};

let tool = ""; // what is in the hand
let surface = null;

/** Names the surface that the tools work on. */
export function workOn(drawn) {
  surface = drawn;
}

/** Marks the tool that is in the hand; it is put down where its button has gone. */
export function showSolidTool() {
  if (tool && !document.querySelector(`[data-on-surface="${tool}"]`)) tool = "";
  for (const button of document.querySelectorAll("[data-on-surface]"))
    button.setAttribute("aria-pressed", String(button.dataset.onSurface === tool));
  hint.textContent = HINTS[tool] ?? "";
  hint.hidden = !tool || canvas.hidden;
  canvas.dataset.hold = tool;
}

document.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-on-surface]");
  if (!button) return;
  tool = tool === button.dataset.onSurface ? "" : button.dataset.onSurface;
  showSolidTool();
});
document.addEventListener("click", ({ target }) => {
  if (!target.closest("[data-keep-camera]") || !surface) return;
  const values = Object.fromEntries(
    surface.standsAt().map((side, axis) => [`surface.tessellation.camera_${"xyz"[axis]}`, Number(side.toPrecision(6))]),
  );
  values["surface.tessellation.wide"] = canvas.clientWidth;
  htmx.ajax("POST", page().change, { source: bench, swap: "none", values });
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape" || !tool) return;
  tool = "";
  showSolidTool();
});

const post = (values) =>
  htmx.ajax("POST", page().surface, { source: bench, swap: "none", values: { ...values, action: values.action } });

const box = (name) => document.querySelector(`#controls [name="surface.${name}"]`);

/** A part was clicked: it goes into the last region that is there, or out of it; without any it becomes one. */
function pick(part) {
  const regions = document.querySelectorAll("[data-region]");
  const held = [...regions].find((region) => region.contains(document.activeElement)) ?? null;
  if (held) post({ action: "toggle-part", number: held.dataset.region, part });
  else post({ action: "add-region", part });
}

function pickEdge([x, y, z]) {
  post({ action: "pick-edge", x, y, z });
}

function start(event) {
  if (!tool || !surface || event.button !== 0) return;
  const begun = surface.under(event);
  if (!begun) return;
  const from = [event.clientX, event.clientY];
  if (tool === "pick" || tool === "crease") {
    const held = tool;
    const end = (last) => {
      if (Math.hypot(last.clientX - from[0], last.clientY - from[1]) >= NEAR) return;
      if (held === "pick") pick(begun.part);
      else pickEdge(begun.place);
    };
    canvas.addEventListener("pointerup", end, { once: true });
    return;
  }
  event.preventDefault();
  event.stopImmediatePropagation();
  surface.controls.enabled = false;
  canvas.setPointerCapture(event.pointerId);
  const [move, put] = tool === "shift" ? shifting(begun) : raising(begun, from);
  let last = null;
  const follow = (moved) => {
    last = move(moved) ?? last;
    if (last) tryOut(last);
  };
  const end = () => {
    canvas.removeEventListener("pointermove", follow);
    surface.controls.enabled = true;
    if (last) put(last);
  };
  canvas.addEventListener("pointermove", follow);
  canvas.addEventListener("pointerup", end, { once: true });
}
canvas.addEventListener("pointerdown", start, { capture: true });

/** What lay under the pointer goes where the pointer goes. */
function shifting(begun) {
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
  const put = (values) => htmx.ajax("POST", page().change, { source: bench, swap: "none", values });
  return [move, put];
}

function raising(begun, from) {
  const name = "form.handles";
  const before = JSON.parse(box(name)?.value ?? "[]");
  const [x, y, z] = begun.place.map((side) => Number(side.toFixed(3)));
  const falloff = Number((FALLOFF * Math.max(...surface.told().size)).toPrecision(3));
  const move = (event) => {
    const raised = Number(((from[1] - event.clientY) * surface.pixelAt(begun.far)).toPrecision(4));
    return { [`surface.${name}`]: JSON.stringify([...before, { x, y, z, raised, falloff }]) };
  };
  const put = (values) => {
    const input = box(name);
    input.value = values[`surface.${name}`];
    commit(input);
  };
  return [move, put];
}
