// The brush: strokes over places that are meant, to be healed or masked.

import { draggable, nudged } from "../../studio/drag.js";
import { frame } from "../stage/stage.js";
import { clamp, svg } from "../../studio/svg.js";
import { append, at, controls, FINE, grown, overlay, place, STEP } from "./hand.js";

export const kind = "brush";
export const hint = "paint over the places you want · Esc leaves the brush";
export const after = 1; // the stage shows the relief after its own treatment, too

export function show() {
  const surface = svg("rect", {
    class: "t-paper",
    width: "100%",
    height: "100%",
    tabindex: 0,
    role: "application",
    "aria-label": "Paint over places to heal; with the keyboard, arrow keys move the brush and Enter marks",
  });
  const stroke = svg("path", { class: "t-stroke" });
  const ring = svg("circle", { class: "t-ring", r: 0 });
  overlay.append(surface, stroke, ring);
  const field = controls().querySelector("[data-brush]");
  const radius = () => Math.max(field.valueAsNumber || 1, 0.05);
  const inPixels = () => (radius() / frame.footprint[0]) * frame.width;
  let points = [];
  let here = [0.5, 0.5];
  const follow = (event) => {
    here = at(event);
    ringAt();
  };
  const ringAt = () => {
    const [x, y] = place(here);
    for (const [name, value] of Object.entries({ cx: x, cy: y, r: inPixels() })) ring.setAttribute(name, value);
  };
  const add = (event) => {
    follow(event);
    const [x, y] = place(here);
    const last = points.length && place(points.at(-1));
    if (last && Math.hypot(x - last[0], y - last[1]) < FINE) return;
    points = grown(points, here);
    stroke.setAttribute(
      "d",
      `M${points.map((point) => place(point).join(" ")).join("L")}${points.length === 1 ? "h0.01" : ""}`,
    );
    stroke.setAttribute("stroke-width", 2 * inPixels());
  };
  const keep = () => {
    if (!points.length) return;
    const rounded = points.map((point) => point.map((part) => Number(part.toFixed(5))));
    append("marks", { points: rounded, radius: radius() });
    points = [];
    stroke.setAttribute("d", "");
  };
  surface.addEventListener("pointermove", follow);
  draggable(surface, { start: add, move: add, end: keep });
  surface.addEventListener("keydown", (event) => {
    const by = nudged(event, STEP / 100);
    if (by) {
      here = [clamp(here[0] + by[0], 0, 1), clamp(here[1] - by[1], 0, 1)];
      ringAt();
    } else if (event.key === "Enter") {
      event.preventDefault();
      points = [here];
      keep();
    }
  });
}
