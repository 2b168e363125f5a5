// A lit series: a sun is dragged over each photo, and the outline of the ball over the first.

import { draggable, nudged } from "../studio/drag.js";
import { lightAt, placeOfLight, RIM, TURN } from "../studio/sun.js";
import { clamp, svg } from "../studio/svg.js";

const form = document.getElementById("lit-series");

for (const photo of form.querySelectorAll("[data-sun]")) sunOver(photo);
const first = form.querySelector("[data-ball]");
if (first) ballOver(first);

/** Where a pointer is, in pixels of the photo. */
function at(over, event) {
  const box = over.getBoundingClientRect();
  const { width, height } = over.viewBox.baseVal;
  return [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height];
}

function sunOver(over) {
  const { width, height } = over.viewBox.baseVal;
  const [x, y, rim] = [width / 2, height / 2, RIM * Math.min(width, height)];
  const boxes = ["azimuth", "elevation"].map((name) => form.elements[`${name}-${over.dataset.sun}`]);
  const ray = svg("path", { class: "s-ray" });
  const sun = svg("circle", { class: "s-sun", r: rim / 9, tabindex: 0, role: "slider" });
  sun.setAttribute("aria-label", `Light of photo ${Number(over.dataset.sun) + 1}`);
  over.append(svg("circle", { class: "s-rim", cx: x, cy: y, r: rim }), ray, sun);
  const show = () => {
    const [azimuth, elevation] = boxes.map((box) => box.valueAsNumber || 0);
    const [right, above] = placeOfLight(azimuth, elevation, rim);
    const to = [x + right, y - above];
    sun.setAttribute("cx", to[0]);
    sun.setAttribute("cy", to[1]);
    sun.setAttribute("aria-valuenow", Math.round(azimuth));
    sun.setAttribute("aria-valuetext", `from ${Math.round(azimuth)}°, ${Math.round(elevation)}° high`);
    ray.setAttribute("d", `M${to.join(" ")}L${x} ${y}`);
  };
  const turn = (azimuth, elevation) => {
    boxes[0].value = Math.round(azimuth + 360) % 360;
    boxes[1].value = Math.round(clamp(elevation, 5, 90));
    show();
  };
  draggable(sun, {
    move: (event) => {
      const [right, down] = at(over, event);
      turn(...lightAt(right - x, y - down, rim));
    },
  });
  sun.addEventListener("keydown", (event) => {
    const by = nudged(event, TURN);
    if (by) turn(boxes[0].valueAsNumber - by[0], boxes[1].valueAsNumber + by[1]);
  });
  for (const box of boxes) box.addEventListener("input", show);
  show();
}

function ballOver(over) {
  const boxes = ["x", "y", "radius"].map((name) => form.elements[`ball-${name}`]);
  const outline = svg("circle", { class: "s-ball", tabindex: 0, role: "slider", "aria-label": "The ball" });
  const edge = svg("circle", { class: "s-edge", tabindex: 0, role: "slider", "aria-label": "Radius of the ball" });
  over.append(outline, edge);
  const values = () => boxes.map((box) => box.valueAsNumber || 0);
  const show = () => {
    const [x, y, radius] = values();
    for (const [name, value] of Object.entries({ cx: x, cy: y, r: radius })) outline.setAttribute(name, value);
    const size = over.viewBox.baseVal.width / 110;
    for (const [name, value] of Object.entries({ cx: x - radius, cy: y, r: size })) edge.setAttribute(name, value);
    outline.setAttribute("aria-valuenow", Math.round(x));
    edge.setAttribute("aria-valuenow", Math.round(radius));
  };
  const put = (...told) => {
    for (const [number, value] of told.entries()) boxes[number].value = Number(value.toFixed(1));
    show();
  };
  let grabbed = null;
  draggable(outline, {
    start: (event) => (grabbed = { at: at(over, event), values: values() }),
    move: (event) => {
      const to = at(over, event);
      const [x, y, radius] = grabbed.values;
      put(x + to[0] - grabbed.at[0], y + to[1] - grabbed.at[1], radius);
    },
  });
  draggable(edge, {
    move: (event) => {
      const [x, y] = values();
      const to = at(over, event);
      put(x, y, Math.max(2, Math.hypot(to[0] - x, to[1] - y)));
    },
  });
  outline.addEventListener("keydown", (event) => {
    const by = nudged(event, 1);
    const [x, y, radius] = values();
    if (by) put(x + by[0], y - by[1], radius);
  });
  edge.addEventListener("keydown", (event) => {
    const by = nudged(event, 1);
    const [x, y, radius] = values();
    if (by) put(x, y, Math.max(2, radius - by[0]));
  });
  for (const box of boxes) box.addEventListener("input", show);
  show();
}
