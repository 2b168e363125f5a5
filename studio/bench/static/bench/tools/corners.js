// The four corners of something that is a rectangle in reality.

import { svg } from "../../studio/svg.js";
import { CORNERS, drawn, handle, overlay, place, put, refocus } from "./hand.js";

export const kind = "corners";
export const hint = "drag the corners to something that is a rectangle in reality · Esc leaves the tool";
export const beyond = 0.2; // parts of the relief that a corner may lie outside of it

export function show() {
  const points = drawn("corners");
  const outline = svg("path", { class: "t-outline" });
  const grid = svg("path", { class: "t-grid" });
  const handles = CORNERS.map((label, number) =>
    handle(
      label,
      (to) => {
        points[number] = to;
        paint();
      },
      () =>
        put(
          "corners",
          points.map((point) => point.map((part) => Number(part.toFixed(4)))),
        ),
    ),
  );
  overlay.append(grid, outline, ...handles);

  function paint() {
    outline.setAttribute("d", `M${points.map((point) => place(point).join(" ")).join("L")}z`);
    const between = (a, b, part) => place([a[0] + (b[0] - a[0]) * part, a[1] + (b[1] - a[1]) * part]).join(" ");
    const [a, b, c, d] = points;
    grid.setAttribute(
      "d",
      [1 / 3, 2 / 3]
        .map((part) => `M${between(a, b, part)}L${between(d, c, part)}M${between(a, d, part)}L${between(b, c, part)}`)
        .join(""),
    );
    for (const [number, item] of handles.entries()) item.stand(...points[number]);
  }
  paint();
  refocus(handles);
}
