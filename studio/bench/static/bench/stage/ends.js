// The ends A and A′ of the section line, wherever they are shown: handles that are dragged, or moved by keys.

import { draggable, nudged } from "../../studio/drag.js";
import { look, setLook } from "../look.js";
import { clamp, svg } from "../../studio/svg.js";

/** Makes both handles. `placeUnder` tells of a pointer which parts of the whole it is at, or nothing where it is on none. */
export function makeEnds(label, placeUnder) {
  return ["A", "A′"].map((name, end) => {
    const handle = svg(
      "g",
      {
        tabindex: 0,
        role: "slider",
        "aria-label": label(name),
        "aria-valuemin": 0,
        "aria-valuemax": 100,
        "aria-valuenow": 0,
      },
      svg("circle", { r: 12 }),
      Object.assign(svg("text", {}), { textContent: name }),
    );
    draggable(handle, {
      move(event) {
        const place = placeUnder(event);
        if (place) move(end, ...place);
      },
    });
    handle.addEventListener("keydown", (event) => {
      const [across, down] = nudged(event, 0.01) ?? [];
      if (across !== undefined) move(end, look.line[end * 2] + across, look.line[end * 2 + 1] - down);
    });
    return handle;
  });
}

/** Puts a handle at a place of its drawing, px, and says where its end is. */
export function placeEnd(handle, end, [x, y]) {
  handle.setAttribute("transform", `translate(${x} ${y})`);
  const [across, down] = look.line.slice(end * 2, end * 2 + 2).map((part) => Math.round(100 * part));
  handle.setAttribute("aria-valuenow", across);
  handle.setAttribute("aria-valuetext", `${across} % across, ${down} % down`);
}

function move(end, ...place) {
  const line = [...look.line];
  place.forEach((part, side) => {
    line[end * 2 + side] = clamp(part, 0, 1);
  });
  setLook({ line });
}
