// A stroke that works on the relief while it is drawn.

import { bench } from "../look.js";
import { append, appended, controls, drawnLine } from "./hand.js";

export const kind = "strokes";
export const hint = "draw on the relief · Esc leaves the tool";

export function show() {
  const tools = controls();
  const number = (name, least) => Math.max(tools.querySelector(`[data-${name}]`).valueAsNumber || 0, least);
  const stroke = (points) => ({
    work: tools.querySelector("[data-work]").value,
    points,
    radius: number("brush", 0.05),
    falloff: Math.min(number("falloff", 0), 1),
    strength: number("strength", 0),
  });
  drawnLine(
    (points) => bench.dispatchEvent(new CustomEvent("draft", { detail: appended("strokes", stroke(points)) })),
    (points) => append("strokes", stroke(points)),
  );
}
