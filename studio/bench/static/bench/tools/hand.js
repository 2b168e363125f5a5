// The tool in the hand: whose parameters it sets, where it stands on the stage, and what all tools are made of.

import { bench, page } from "../look.js";
import { commit } from "../controls/controls.js";
import { draggable, nudged } from "../../studio/drag.js";
import { frame } from "../stage/stage.js";
import { clamp, svg } from "../../studio/svg.js";

export const overlay = document.getElementById("tool");
export const STEP = 0.5; // percent that an arrow key moves a handle
export const FINE = 3; // px between two points of a stroke
export const CORNERS = ["Upper left", "Upper right", "Lower right", "Lower left"];

const MOST_POINTS = 1900; // of one line; the recipe takes 2000

/** What is in the hand: `taken` is { kind, owner, number }; while something is `drawing` the tool stays as it is. */
export const hand = { taken: null, drawing: false };

export const path = (name) => `${hand.taken.owner}.${name}`;
export const input = (name) => document.querySelector(`#controls [name="${path(name)}"]`);
export const drawn = (name) => JSON.parse(input(name).value);

/** The controls that belong to the tool. */
export const controls = () => document.querySelector(`[data-owner="${hand.taken.owner}"]`);

export function put(name, value) {
  const field = input(name);
  field.value = JSON.stringify(value);
  commit(field);
}

/** An item at the end of a list; only the item is sent. */
export const appended = (name, item) => ({ [`${path(name)}+`]: JSON.stringify(item) });

export const append = (name, item) => post(appended(name, item));

/** Posts new values by their path. */
export const post = (values) => htmx.ajax("POST", page().change, { source: bench, swap: "none", values });

export const place = ([x, y]) => [frame.left + x * frame.width, frame.top + y * frame.height];

export function at(event, beyond = 0) {
  const box = overlay.getBoundingClientRect();
  return [
    clamp((event.clientX - box.left - frame.left) / frame.width, -beyond, 1 + beyond),
    clamp((event.clientY - box.top - frame.top) / frame.height, -beyond, 1 + beyond),
  ];
}

export function handle(label, move, end) {
  const element = svg("g", { class: "t-handle", tabindex: 0, role: "slider", "aria-label": label, "aria-valuenow": 0 });
  element.append(svg("rect", { x: -13, y: -13, width: 26, height: 26 }), svg("path", { d: "M0-7 7 0 0 7-7 0z" }));
  draggable(element, { move: (event) => move(at(event, hand.taken.beyond ?? 0)), end });
  element.addEventListener("keydown", (event) => {
    const by = nudged(event, STEP / 100);
    if (!by) return;
    move([element.place[0] + by[0], element.place[1] - by[1]]);
    end();
    overlay.dataset.focus = label;
  });
  element.stand = (x, y) => {
    element.place = [x, y];
    element.setAttribute("transform", `translate(${place([x, y]).join(" ")})`);
    element.setAttribute("aria-valuenow", Math.round(100 * x));
    element.setAttribute("aria-valuetext", `${Math.round(100 * x)} % across, ${Math.round(100 * y)} % down`);
  };
  return element;
}

export function refocus(handles) {
  handles.find((item) => item.getAttribute("aria-label") === overlay.dataset.focus)?.focus();
  delete overlay.dataset.focus;
}

/** The points of something drawn with one more; a long one is drawn on with half of them. */
export function grown(points, point) {
  const kept = points.length === MOST_POINTS ? points.filter((_, number) => number % 2 === 0) : points;
  return [...kept, point];
}

/** A line drawn by hand, which is told of while it grows and when it is done. */
export function drawnLine(onMove, onEnd) {
  const paper = svg("rect", { class: "t-paper t-click", width: "100%", height: "100%" });
  const line = svg("path", { class: "t-line" });
  let points = [];
  const add = (event) => {
    const here = at(event);
    const last = points.at(-1);
    if (last && Math.hypot((here[0] - last[0]) * frame.width, (here[1] - last[1]) * frame.height) < FINE) return;
    points = grown(
      points,
      [...here, event.pointerType === "pen" ? event.pressure : 1].map((part) => Number(part.toFixed(4))),
    );
    line.setAttribute("d", `M${points.map((point) => place(point).join(" ")).join("L")}`);
    onMove(points);
  };
  draggable(paper, {
    start: (event) => {
      hand.drawing = true;
      points = [];
      add(event);
    },
    move: add,
    end: () => {
      hand.drawing = false;
      onEnd(points);
    },
  });
  overlay.append(paper, line);
  return line;
}
