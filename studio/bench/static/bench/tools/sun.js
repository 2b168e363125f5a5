// Where the light of a photo stood: a sun that is dragged over the picture.

import { tryOut } from "../controls/controls.js";
import { draggable, nudged } from "../../studio/drag.js";
import { frame } from "../stage/stage.js";
import { lightAt, placeOfLight, RIM, TURN } from "../../studio/sun.js";
import { clamp, svg } from "../../studio/svg.js";
import { hand, input, overlay, path, post } from "./hand.js";

const RAYS = 8;

export const kind = "sun";
export const hint = "drag the sun to where the light came from · Esc leaves the tool";

export function show() {
  const rim = RIM * Math.min(frame.width, frame.height);
  const [x, y] = [frame.left + frame.width / 2, frame.top + frame.height / 2];
  let [azimuth, elevation] = [value("azimuth"), value("elevation")];
  const ray = svg("path", { class: "t-ray" });
  const sun = svg("g", { class: "t-sun", tabindex: 0, role: "slider", "aria-label": "Where the light came from" });
  sun.append(svg("circle", { class: "t-grab", r: 22 }), svg("path", { d: rays() }), svg("circle", { r: 7 }));
  overlay.append(svg("circle", { class: "t-rim", cx: x, cy: y, r: rim }), ray, sun);

  const turn = (to, height) => {
    azimuth = Math.round((to + 360) % 360) % 360;
    elevation = Math.round(clamp(height, Number(input("elevation").min), Number(input("elevation").max)));
    stand();
  };
  draggable(sun, {
    start: () => (hand.drawing = true), // the stage is framed anew while the relief follows
    move: (event) => {
      const box = overlay.getBoundingClientRect();
      const [right, above] = [event.clientX - box.left - x, y - (event.clientY - box.top)];
      turn(...lightAt(right, above, rim));
      tryOut(values());
    },
    end: () => {
      hand.drawing = false;
      post(values());
    },
  });
  sun.addEventListener("keydown", (event) => {
    const by = nudged(event, TURN);
    if (!by) return;
    overlay.dataset.focus = kind;
    turn(azimuth - by[0], elevation + by[1]);
    post(values());
  });

  function stand() {
    const [right, above] = placeOfLight(azimuth, elevation, rim);
    const to = [x + right, y - above];
    ray.setAttribute("d", `M${to.join(" ")}L${x} ${y}`);
    sun.setAttribute("transform", `translate(${to.join(" ")})`);
    sun.setAttribute("aria-valuenow", azimuth);
    sun.setAttribute("aria-valuetext", `from ${azimuth}°, ${elevation}° high`);
  }

  function values() {
    return { [path("azimuth")]: azimuth, [path("elevation")]: elevation };
  }

  stand();
  if (overlay.dataset.focus === kind) sun.focus();
  delete overlay.dataset.focus;
}

const value = (name) => input(name).valueAsNumber;

/** Short lines all around. */
function rays() {
  const lines = Array.from({ length: RAYS }, (_, number) => {
    const [right, down] = [Math.cos, Math.sin].map((way) => way((number * 2 * Math.PI) / RAYS));
    return `M${10 * right} ${10 * down}L${15 * right} ${15 * down}`;
  });
  return lines.join("");
}
