// Stills: the form is sent with where the camera and the light of the stage are; a rectangle that is dragged on a draft goes
// first; two stills are compared in a dialog that the server fills.

import { bench } from "./look.js";
import { sayView } from "./stage/kept_views.js";

const SMALLEST = 0.01; // of the width and height: less is a click

const dialog = document.getElementById("still-compare");
const compared = document.getElementById("compared-stills");
let dragged = null; // the draft, where the drag began, and the frame that is drawn

bench.addEventListener("htmx:configRequest", ({ detail: { elt, parameters } }) => {
  if (elt.id === "still-form") sayView(parameters);
});

// while a rectangle is dragged the list is not replaced under the hand
bench.addEventListener("htmx:beforeSwap", (event) => {
  if (dragged && event.detail.target.id === "still-list") event.preventDefault();
});

/** Where a pointer is on a draft, in parts of its width and height. */
function placeOn(draft, { clientX, clientY }) {
  const box = draft.getBoundingClientRect();
  const part = (value, size) => Math.min(Math.max(value / size, 0), 1);
  return [part(clientX - box.left, box.width), part(clientY - box.top, box.height)];
}

function rectangle([x, y], [other, below]) {
  return [Math.min(x, other), Math.min(y, below), Math.abs(x - other), Math.abs(y - below)];
}

bench.addEventListener("pointerdown", (event) => {
  const draft = event.target.closest?.(".draft");
  if (!draft || event.button) return;
  event.preventDefault();
  draft.setPointerCapture(event.pointerId);
  const frame = document.createElement("span");
  draft.append(frame);
  dragged = { draft, from: placeOn(draft, event), frame };
});

bench.addEventListener("pointermove", (event) => {
  if (!dragged) return;
  const parts = rectangle(dragged.from, placeOn(dragged.draft, event));
  ["left", "top", "width", "height"].forEach((side, number) => {
    dragged.frame.style[side] = `${100 * parts[number]}%`;
  });
});

/** Ends a drag: its rectangle goes first, after a mere click the whole picture; the answer brings the list up to date. */
function leave(event) {
  if (!dragged) return;
  const { draft, from, frame } = dragged;
  let parts = rectangle(from, placeOn(draft, event));
  dragged = null;
  frame.remove();
  if (event.type === "pointercancel" || Math.min(parts[2], parts[3]) < SMALLEST) parts = [0, 0, 1, 1];
  const values = { rectangle: parts.map((part) => part.toFixed(4)).join(",") };
  window.htmx.ajax("POST", draft.dataset.first, { target: "#still-list", swap: "outerHTML", values });
}
bench.addEventListener("pointerup", leave);
bench.addEventListener("pointercancel", leave);

document.addEventListener("click", ({ target }) => {
  if (target.closest("[data-opens='still-compare']")) dialog.showModal();
});
dialog.addEventListener("close", () => compared.replaceChildren());
dialog.addEventListener("input", () => {
  const pictures = compared.querySelector(".compared");
  if (!pictures) return;
  pictures.dataset.how = compared.querySelector("[name='how']:checked").value;
  const { value } = compared.querySelector(".wipe-by");
  pictures.lastElementChild.style.clipPath = pictures.dataset.how === "wipe" ? `inset(0 0 0 ${value}%)` : "none";
});
