// Proofs: one is compared with the piece as it stands, by a wipe over the stage, inside a rectangle, by how far both are
// apart, and in words; up to three more lie beside it.

import { APART, bench, look, page, setLook, ofRelief } from "../look.js";
import { draggable, nudged } from "../../studio/drag.js";
import { clamp, svg } from "../../studio/svg.js";
import { compared, onFramed } from "../stage/stage.js";

const overlay = document.getElementById("wipe");
const differences = document.getElementById("differences");
const compareWith = () => document.getElementById("compare-with");
const canvas = document.getElementById("flat");
const legend = document.getElementById("apart");
const BESIDE = 3; // proofs beside the piece, four pictures in all
const LEAST = 0.04; // of the stage, a side of the rectangle

const edge = svg("line", { class: "wipe-edge" });
const grip = svg("rect", { class: "wipe-grip", width: 12, height: 44, x: -6, y: -22, rx: 2 });
const now = Object.assign(svg("text", { class: "wipe-name", x: -14, "text-anchor": "end" }), { textContent: "now" });
const then = svg("text", { class: "wipe-name", x: 14 });
const handle = svg(
  "g",
  { tabindex: 0, role: "slider", "aria-label": "Wipe", "aria-valuemin": 0, "aria-valuemax": 100, "aria-valuenow": 50 },
  edge,
  grip,
  now,
  then,
);
const outline = svg("rect", {
  class: "window-edge",
  tabindex: 0,
  role: "button",
  "aria-label": "Rectangle that shows the proof; arrows move it, with Shift they size it",
});
const inside = svg("text", { class: "wipe-name", y: -12 });
const corners = [0, 1, 2, 3].map((corner) =>
  svg("rect", { class: "wipe-grip", width: 12, height: 12, x: -6, y: -6, rx: 2, "data-corner": corner }),
);
const rectangle = svg("g", {}, outline, inside, ...corners);
overlay.append(handle, rectangle);

const moveTo = (part) => setLook({ wipe: clamp(part, 0, 1) });
const at = (event) => {
  const box = canvas.getBoundingClientRect();
  return [clamp((event.clientX - box.left) / box.width, 0, 1), clamp((event.clientY - box.top) / box.height, 0, 1)];
};
draggable(handle, { move: (event) => moveTo(at(event)[0]) });
handle.addEventListener("keydown", (event) => {
  const [across] = nudged(event, 0.01) ?? [];
  if (across !== undefined) moveTo(look.wipe + across);
});

/** Sets the rectangle between two corners, whichever is which. */
function span([x, y], [otherX, otherY]) {
  const [left, right] = [Math.min(x, otherX), Math.max(x, otherX)];
  const [top, bottom] = [Math.min(y, otherY), Math.max(y, otherY)];
  setLook({ rectangle: [left, top, Math.max(right, left + LEAST), Math.max(bottom, top + LEAST)] });
}

function shift(across, down) {
  const [left, top, right, bottom] = look.rectangle;
  const [x, y] = [clamp(across, -left, 1 - right), clamp(down, -top, 1 - bottom)];
  setLook({ rectangle: [left + x, top + y, right + x, bottom + y] });
}

let held = null;
draggable(outline, {
  start: (event) => (held = at(event)),
  move: (event) => {
    const here = at(event);
    shift(here[0] - held[0], here[1] - held[1]);
    held = here;
  },
});
corners.forEach((element, corner) => {
  let fixed = null;
  draggable(element, {
    start: () => (fixed = [look.rectangle[corner % 2 ? 0 : 2], look.rectangle[corner < 2 ? 3 : 1]]),
    move: (event) => span(fixed, at(event)),
  });
});
outline.addEventListener("keydown", (event) => {
  const sizing = event.shiftKey;
  const by = nudged(
    {
      key: event.key,
      shiftKey: false,
      preventDefault: () => event.preventDefault(),
      stopPropagation: () => event.stopPropagation(),
    },
    0.02,
  );
  if (!by) return;
  const [left, top, right, bottom] = look.rectangle;
  if (sizing) span([left, top], [clamp(right + by[0], left + LEAST, 1), clamp(bottom - by[1], top + LEAST, 1)]);
  else shift(by[0], -by[1]);
});

// drawn anew from wherever the stage is pressed
let corner = null;
canvas.addEventListener(
  "pointerdown",
  (event) => (corner = compared() && look.how === "rectangle" && event.button === 0 ? at(event) : null),
);
canvas.addEventListener("pointermove", (event) => corner && event.buttons && span(corner, at(event)));

function place() {
  overlay.toggleAttribute("hidden", !compared() || canvas.hidden);
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  handle.toggleAttribute("hidden", look.how !== "wipe");
  rectangle.toggleAttribute("hidden", look.how !== "rectangle");
  const down = 0.3 * height; // clear of the section line and of what lies along the edges
  handle.setAttribute("transform", `translate(${look.wipe * width} ${down})`);
  handle.setAttribute("aria-valuenow", Math.round(100 * look.wipe));
  edge.setAttribute("y1", -down);
  edge.setAttribute("y2", height - down);
  const [left, top, right, bottom] = look.rectangle;
  for (const [name, value] of [
    ["x", left * width],
    ["y", top * height],
    ["width", (right - left) * width],
    ["height", (bottom - top) * height],
  ])
    outline.setAttribute(name, value);
  inside.setAttribute("transform", `translate(${left * width + 2} ${top * height})`);
  for (const [number, element] of corners.entries()) {
    const [x, y] = [number % 2 ? right : left, number < 2 ? top : bottom];
    element.setAttribute("transform", `translate(${x * width} ${y * height})`);
  }
}
onFramed(place);

const row = (number) => document.querySelector(`[data-proof="${number}"]`);
const named = (number) => row(number)?.querySelector(".proof-name").value ?? "";

/** What lies beside the piece: the proofs that were chosen and are still there, by number and name. */
export const besideNow = () => look.beside.filter(row).map((number) => ({ number, label: named(number) }));

/** Says how a packet is to be read that shows how far the piece and a proof are apart. */
export function showLegend({ most }) {
  legend.hidden = most === undefined;
  const farthest = Number((most ?? 0).toPrecision(3));
  if (!farthest) legend.textContent = `no ${look.how} differ`;
  else if (look.how === "heights") legend.textContent = `ochre: farther out now, blue: less far; up to ${farthest} mm`;
  else legend.textContent = `the darker, the farther normals are turned; up to ${farthest}°`;
}

/** Shows which proofs are compared with, and what lies between. One that was removed is compared with no longer. */
function showProofs() {
  if (look.against !== null && !row(look.against)) return setLook({ against: null, other: null });
  if (look.other !== null && (!row(look.other) || look.other === look.against)) return setLook({ other: null });
  for (const button of document.querySelectorAll("[data-compare]")) {
    button.setAttribute("aria-pressed", String(Number(button.dataset.compare) === look.against));
  }
  for (const button of document.querySelectorAll("[data-beside]")) {
    const on = look.beside.includes(Number(button.dataset.beside));
    button.setAttribute("aria-pressed", String(on));
    button.disabled = !on && besideNow().length === BESIDE;
  }
  differences.hidden = look.against === null;
  if (look.against === null) return;
  then.textContent = inside.textContent = named(look.against);
  now.textContent = look.other === null ? "now" : named(look.other);
  showOthers();
  const asked = new URLSearchParams({
    number: look.against,
    base: page().revision,
    ...ofRelief(),
    ...(look.other === null ? {} : { other: look.other }),
  });
  htmx.ajax("GET", `${differences.dataset.from}?${asked}`, { target: differences, swap: "innerHTML" });
}

/** What a proof can be compared with: the piece as it stands, or another proof. */
function showOthers() {
  const kept = [...document.querySelectorAll("[data-proof]")]
    .map((element) => Number(element.dataset.proof))
    .filter((number) => number !== look.against);
  const option = (value, text) => Object.assign(document.createElement("option"), { value, textContent: text });
  compareWith().replaceChildren(
    option("", "with the piece now"),
    ...kept.map((number) => option(number, `with “${named(number)}”`)),
  );
  compareWith().value = look.other ?? "";
}

document.addEventListener(
  "input",
  ({ target }) => target === compareWith() && setLook({ other: target.value ? Number(target.value) : null }),
);
document.addEventListener("click", ({ target }) => {
  const { compare, beside } = target.closest("button")?.dataset ?? {};
  if (compare)
    setLook({
      against: Number(compare) === look.against ? null : Number(compare),
      beside: [],
      how: APART.includes(look.how) ? "wipe" : look.how,
    });
  if (beside) {
    const number = Number(beside);
    const others = besideNow().map((proof) => proof.number);
    setLook({
      against: null,
      beside: others.includes(number) ? others.filter((other) => other !== number) : [...others, number],
    });
  }
  if (target.closest("[data-compare-end]")) setLook({ against: null, other: null, beside: [] });
});
document.addEventListener("keydown", (event) => {
  const comparing = look.against !== null || look.beside.length;
  if (
    event.key === "Escape" &&
    comparing &&
    !look.full &&
    !bench.hasAttribute("data-in-hand") &&
    !document.querySelector("dialog[open]")
  ) {
    setLook({ against: null, other: null, beside: [] });
  }
});
bench.addEventListener(
  "look",
  ({ detail }) => ["against", "other", "beside"].some((name) => name in detail) && showProofs(),
);
document.addEventListener("htmx:afterSettle", ({ detail }) => {
  if (look.against !== null && row(look.against) && !compareWith().options.length) showOthers(); // the list came anew
  if (detail.target.id !== "proofs") return;
  const lost = look.beside.filter((number) => !row(number));
  if (lost.length) setLook({ beside: look.beside.filter(row) });
  else showProofs();
});
document.addEventListener("revision", () => look.against !== null && showProofs());
