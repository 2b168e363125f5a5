// Places that are clicked, dragged and taken away: where imprints lie.

import { clamp, svg } from "../../studio/svg.js";
import { append, at, drawn, handle, overlay, put, refocus } from "./hand.js";

export const kind = "places";
export const hint = "click to place one, drag to move it, Delete removes it · Esc leaves the tool";

export function show() {
  const places = drawn("places");
  const paper = svg("rect", {
    class: "t-paper t-click",
    width: "100%",
    height: "100%",
    tabindex: 0,
    role: "application",
    "aria-label": "Click to press one in; with the keyboard, Enter presses one into the middle",
  });
  const round = ([x, y]) => [Number(x.toFixed(5)), Number(y.toFixed(5))];
  const dots = Array.from(places.keys(), (number) => {
    const dot = handle(
      `Imprint ${number + 1}`,
      (to) => {
        places[number] = to.map((part) => clamp(part, 0, 1));
        dot.stand(...places[number]);
      },
      () => put("places", places.map(round)),
    );
    dot.addEventListener("keydown", (event) => {
      if (!["Delete", "Backspace"].includes(event.key)) return;
      event.preventDefault();
      places.splice(number, 1);
      put("places", places.map(round));
    });
    return dot;
  });
  overlay.append(paper, ...dots);
  for (const [number, dot] of dots.entries()) dot.stand(...places[number]);
  paper.addEventListener("pointerdown", (event) => event.button === 0 && append("places", round(at(event))));
  paper.addEventListener("keydown", (event) => event.key === "Enter" && append("places", [0.5, 0.5]));
  refocus(dots);
}
