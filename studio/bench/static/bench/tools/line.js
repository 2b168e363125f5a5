// A line drawn by hand, along which imprints are set.

import { drawn, drawnLine, place, put } from "./hand.js";

export const kind = "line";
export const hint = "draw the line they are set along · Esc leaves the tool";

export function show() {
  const line = drawnLine(
    () => {},
    (points) =>
      put(
        "line",
        points.map(([x, y]) => [x, y]),
      ),
  );
  const kept = drawn("line");
  if (kept.length) line.setAttribute("d", `M${kept.map((point) => place(point).join(" ")).join("L")}`);
}
