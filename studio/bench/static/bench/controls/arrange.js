// The order of the treatments: a grip is dragged, or moved with the arrow keys.

import { bench, page } from "../look.js";
import { draggable } from "../../studio/drag.js";

let focused = null; // the grip that was moved by key, to be found again where it went

const treatments = () => [...document.querySelectorAll("#controls .treatment")];

function move(number, to) {
  if (to < 0 || to >= treatments().length || to === number) return;
  htmx.ajax("POST", page().treatments, { source: bench, swap: "none", values: { action: "move", number, to } });
}

/** Makes the grips of the page draggable. */
export function showGrips() {
  for (const grip of document.querySelectorAll("[data-grip]")) if (!grip.ready) begin(grip);
  if (focused !== null) document.querySelector(`[data-grip="${focused}"]`)?.focus();
  focused = null;
}

function begin(grip) {
  grip.ready = true;
  const number = Number(grip.dataset.grip);
  const group = grip.closest(".treatment");
  let to = number;
  const show = () =>
    treatments().forEach((other, place) => {
      other.classList.toggle("drop-before", place === to && to < number);
      other.classList.toggle("drop-after", place === to && to > number);
    });
  draggable(grip, {
    start: () => group.classList.add("held"),
    move: (event) => {
      const middles = treatments().map((other) => other.getBoundingClientRect());
      to = middles.filter((box) => box.top + box.height / 2 < event.clientY).length;
      if (to > number) to -= 1;
      show();
    },
    end: () => {
      group.classList.remove("held");
      const target = to;
      to = number;
      show();
      move(number, target);
    },
  });
  grip.addEventListener("keydown", (event) => {
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    focused = Math.min(Math.max(number + by, 0), treatments().length - 1);
    move(number, number + by);
  });
}
