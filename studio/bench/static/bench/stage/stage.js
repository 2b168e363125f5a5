// The flat stage: draws the pixels of a view, lit in the browser where they are normals, and the section line on top.
// Beside the piece as it stands up to three others may lie on it, each in a pane of its own, seen at the same place.

import { bench, channelOf, look, setLook } from "../look.js";
import { draggable, nudged } from "../../studio/drag.js";
import { makeEnds, placeEnd } from "./ends.js";
import { lamp } from "./lamp.js";
import { onSight, pan, sight, zoom } from "./sight.js";
import { clamp, svg } from "../../studio/svg.js";
import { paintPixels } from "../../studio/painting.js";
import { shadowsFrom } from "./shadows.js";

const stage = document.getElementById("stage");
const canvas = document.getElementById("flat");
const overlay = document.getElementById("line");
const names = document.getElementById("pane-names");
const context = canvas.getContext("2d");
const MARGIN = 14;
const ROOM = 56; // around the picture while a tool is in the hand, so that its handles are free
const BEYOND = 0.38; // how strongly the neighbours of a tile that wraps are shown
const COARSE = 2.5; // px a texel: from here on each is shown as the square it is
const FEW = 1.4; // px a texel: from here on the map itself is asked for
const BETWEEN = 2; // px between two panes
const MOST = 40; // repeats to a side that are drawn

// what lies on the stage, the piece as it stands first: { packet, label, tile, proof, near }
let panes = [];
/** Where one repeat lies in the first pane, and its real size. */
export let frame = { left: 0, top: 0, width: 1, height: 1 };

const framed = []; // who wants to know when the repeat lies elsewhere

/** Names what is called whenever the picture was put on the stage. */
export const onFramed = (callback) => framed.push(callback);

const runUnder = svg("line", { class: "run-under" });
const run = svg("line", { class: "run" });
const grip = svg("line", { class: "grip" });
const ends = makeEnds(
  (name) => `Section end ${name}`,
  (event) => onField(event),
);
for (const [end, handle] of ends.entries()) handle.setAttribute("data-end", end);
overlay.append(runUnder, run, grip, ...ends);

/** Puts packets on the stage: the piece as it stands, and what is looked at beside it, each `{ packet, label }`. */
export function draw(packet, beside = []) {
  panes = [{ packet, label: "now" }, ...beside].map((pane, number) => ({
    ...pane,
    tile: panes[number]?.tile ?? document.createElement("canvas"),
    proof: panes[number]?.proof ?? document.createElement("canvas"),
    near: null,
  }));
  paint();
}

/** Puts a part of the first pane's map on it at full size: a packet with its window [left, top, right, bottom]. */
export function drawNear(part) {
  if (!panes.length) return;
  panes[0].near = { picture: document.createElement("canvas"), part, window: part.window };
  paint();
}

/** Puts shadows on the first pane, from the horizons of its relief. */
export function drawShadows(horizons) {
  if (!panes.length) return;
  const [rows, columns] = panes[0].packet.arrays.pixels.shape;
  panes[0].shadows = shadowsFrom(horizons, rows, columns);
  paint();
}

/** Whether the first pane has its shadows. */
export const isShaded = () => Boolean(panes[0]?.shadows);

/** Draws what is on the stage again: with another light, another channel, another size. */
export function paint() {
  if (!panes.length) return;
  const lit = lamp();
  const put = (picture, pixels, colours, shadows) =>
    pixels && paintPixels(picture, pixels, { channel: channelOf(pixels.shape[2]), lit, colours, shadows });
  for (const { packet, tile, proof, near, shadows } of panes) {
    put(tile, packet.arrays.pixels, packet.arrays.colours, look.shadowed ? shadows : undefined);
    put(proof, packet.arrays.pixels_against, packet.arrays.colours_against);
    if (near) put(near.picture, near.part.arrays.pixels, near.part.arrays.colours);
  }
  compose();
}

/** Whether a proof lies on the stage beside the piece as it stands, to be compared by a wipe or a rectangle. */
export const compared = () => panes.length === 1 && Boolean(panes[0].packet.arrays.pixels_against);

/** The part of the relief that the first pane shows, and whether its texels are larger than the screen's. */
export function seen() {
  if (!panes.length) return null;
  const box = boxes(panes.length, canvas.clientWidth, canvas.clientHeight)[0];
  const part = (from, size, at) => clamp((at - from) / size, 0, 1);
  const window = [
    part(frame.left, frame.width, box.left),
    part(frame.top, frame.height, box.top),
    part(frame.left, frame.width, box.left + box.width),
    part(frame.top, frame.height, box.top + box.height),
  ];
  return { window, coarse: frame.width / panes[0].packet.arrays.pixels.shape[1] > FEW };
}

/** The level of each channel that is drawn at a place of the relief; nothing where it is lit. */
export function levelsAt(x, y) {
  const near = panes[0]?.near;
  const inside = near && x >= near.window[0] && x < near.window[2] && y >= near.window[1] && y < near.window[3];
  const pixels = inside ? near.part.arrays.pixels : panes[0]?.packet.arrays.pixels;
  if (!pixels || pixels instanceof Uint16Array) return null;
  const [left, top, right, bottom] = inside ? near.window : [0, 0, 1, 1];
  const [rows, columns, channels = 1] = pixels.shape;
  const row = clamp(Math.floor(((y - top) / (bottom - top)) * rows), 0, rows - 1);
  const column = clamp(Math.floor(((x - left) / (right - left)) * columns), 0, columns - 1);
  return [...pixels.subarray((row * columns + column) * channels, (row * columns + column + 1) * channels)];
}

/** The pixels of the first pane, to be counted. */
export const pixelsShown = () => panes[0]?.packet.arrays.pixels;

function boxes(count, width, height) {
  const across = count > 1 ? 2 : 1;
  const down = count > 2 ? 2 : 1;
  return Array.from({ length: count }, (_, number) => ({
    left: ((number % across) * (width + BETWEEN)) / across,
    top: (Math.floor(number / across) * (height + BETWEEN)) / down,
    width: (width - (across - 1) * BETWEEN) / across,
    height: (height - (down - 1) * BETWEEN) / down,
  }));
}

function compose() {
  const ratio = window.devicePixelRatio || 1;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  if (!width || !panes.length) return;
  [canvas.width, canvas.height] = [Math.round(width * ratio), Math.round(height * ratio)];
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  const { backgroundColor, color } = getComputedStyle(stage);
  context.fillStyle = color;
  context.fillRect(0, 0, width, height);
  context.fillStyle = backgroundColor;
  // the place of a fourth is left empty, what shows between is the line that parts them
  for (const box of boxes(panes.length === 3 ? 4 : panes.length, width, height))
    context.fillRect(box.left, box.top, box.width, box.height);
  const places = boxes(panes.length, width, height);
  panes.forEach((pane, number) => {
    const box = places[number];
    const here = framing(pane.packet, box);
    if (number === 0) frame = here;
    clipped(box, () => lay(pane, pane.tile, here, box));
  });
  if (compared()) {
    const [left, top, right, bottom] = look.how === "rectangle" ? look.rectangle : [look.wipe, 0, 1, 1];
    clipped(
      { left: left * width, top: top * height, width: (right - left) * width, height: (bottom - top) * height },
      () => lay(panes[0], panes[0].proof, frame, places[0]),
    );
  }
  overlay.toggleAttribute("data-aside", Boolean(panes[0].packet.whole || look.shifted || panes.length > 1));
  names.hidden = panes.length < 2;
  names.dataset.count = panes.length;
  names.replaceChildren(
    ...(panes.length < 2
      ? []
      : panes.map(({ label }) => Object.assign(document.createElement("span"), { textContent: label }))),
  );
  for (const callback of framed) callback();
  placeLine();
}

/** Draws inside a rectangle of the stage only. */
function clipped({ left, top, width, height }, drawing) {
  context.save();
  context.beginPath();
  context.rect(left, top, width, height);
  context.clip();
  context.fillRect(left, top, width, height);
  drawing();
  context.restore();
}

/** Where one repeat lies in a box of the stage. */
function framing(packet, box) {
  const [wide, high] = packet.footprint;
  const margin = bench.hasAttribute("data-in-hand") ? ROOM : MARGIN;
  const fits = Math.min((box.width - 2 * margin) / wide, (box.height - 2 * margin) / high) / (look.repeats ? 3 : 1);
  const [width, height] = [wide, high].map((side) => side * fits * sight.zoom);
  return {
    width,
    height,
    left: box.left + box.width / 2 - sight.x * width,
    top: box.top + box.height / 2 - sight.y * height,
    footprint: packet.footprint,
  };
}

/** Draws a picture in its frame, and its neighbours where it repeats. */
function lay(pane, picture, here, box) {
  const wraps = pane.packet.wraps.every(Boolean);
  const smooth = (drawn, width) => {
    context.imageSmoothingEnabled = width / drawn.width < COARSE;
    context.imageSmoothingQuality = "high";
  };
  smooth(picture, here.width);
  if (!wraps && !look.repeats && !look.shifted)
    context.drawImage(picture, here.left, here.top, here.width, here.height);
  else {
    const half = look.shifted ? 0.5 : 0; // of a repeat, so that four corners meet in the middle
    const reach = look.repeats ? 1 : 0; // repeats that are shown in full
    const range = (from, size, start, length) => [
      Math.max(-MOST, Math.floor((from - start) / length - half)),
      Math.min(MOST, Math.ceil((from + size - start) / length - half)),
    ];
    const [left, right] = range(box.left, box.width, here.left, here.width);
    const [top, bottom] = range(box.top, box.height, here.top, here.height);
    for (let i = left; i < right; i++) {
      for (let j = top; j < bottom; j++) {
        const full = Math.abs(i + half) <= reach + half && Math.abs(j + half) <= reach + half;
        if (!full && !wraps) continue;
        context.globalAlpha = full ? 1 : BEYOND;
        context.drawImage(
          picture,
          here.left + (i + half) * here.width,
          here.top + (j + half) * here.height,
          here.width,
          here.height,
        );
      }
    }
    context.globalAlpha = 1;
  }
  if (pane.near && picture === pane.tile && !look.shifted) {
    const [left, top, right, bottom] = pane.near.window;
    smooth(pane.near.picture, (right - left) * here.width);
    context.drawImage(
      pane.near.picture,
      here.left + left * here.width,
      here.top + top * here.height,
      (right - left) * here.width,
      (bottom - top) * here.height,
    );
  }
}

function placeLine() {
  const [ax, ay, bx, by] = look.line;
  const place = (x, y) => [frame.left + x * frame.width, frame.top + y * frame.height];
  const [start, end] = [place(ax, ay), place(bx, by)];
  for (const line of [runUnder, run, grip]) {
    line.setAttribute("x1", start[0]);
    line.setAttribute("y1", start[1]);
    line.setAttribute("x2", end[0]);
    line.setAttribute("y2", end[1]);
  }
  // the letters stand inside the stage even when the line runs from edge to edge
  const inside = ([x, y]) => [clamp(x, 16, canvas.clientWidth - 16), clamp(y, 16, canvas.clientHeight - 16)];
  [start, end].map(inside).forEach(([x, y], end_) => {
    // near to, an end that lies beyond the stage is out of reach
    ends[end_].toggleAttribute(
      "data-beyond",
      sight.zoom > 1 && Math.hypot(x - [start, end][end_][0], y - [start, end][end_][1]) > 16,
    );
    placeEnd(ends[end_], end_, [x, y]);
  });
}

/** Where a pointer is on the repeat of its pane, as parts of its width and height; beyond 0 to 1 outside of it. */
export function placeOf(event) {
  const box = canvas.getBoundingClientRect();
  const at = [event.clientX - box.left, event.clientY - box.top];
  const pane = boxes(Math.max(panes.length, 1), canvas.clientWidth, canvas.clientHeight).findLast(
    ({ left, top }) => at[0] >= left && at[1] >= top,
  );
  // every pane shows the same part, so its own corner is all that differs
  return [
    (at[0] - (pane?.left ?? 0) - frame.left) / frame.width,
    (at[1] - (pane?.top ?? 0) - frame.top) / frame.height,
  ];
}

const onField = (event) => placeOf(event).map((part) => clamp(part, 0, 1));

let grabbed = null;
draggable(grip, {
  start: (event) => (grabbed = { place: onField(event), line: [...look.line] }),
  move: (event) => {
    const [x, y] = onField(event);
    const { place, line } = grabbed;
    const limited = (by, first, second) => clamp(by, -Math.min(first, second), 1 - Math.max(first, second));
    const [across, down] = [limited(x - place[0], line[0], line[2]), limited(y - place[1], line[1], line[3])];
    setLook({ line: [line[0] + across, line[1] + down, line[2] + across, line[3] + down] });
  },
});

/** Turns the section line between across and down, through the middle of where it was. */
export function swapLine() {
  const [ax, ay, bx, by] = look.line;
  const across = Math.abs(bx - ax) >= Math.abs(by - ay);
  const [x, y] = [(ax + bx) / 2, (ay + by) / 2];
  setLook({ line: across ? [x, 0, x, 1] : [0, y, 1, y] });
}

// nearer and farther with the wheel, moved with the pointer or the arrow keys
stage.addEventListener(
  "wheel",
  (event) => {
    if (canvas.hidden || event.target.closest(".stage-tools, .stage-corner, .lamp")) return;
    event.preventDefault();
    zoom(1.0015 ** -event.deltaY, ...placeOf(event));
  },
  { passive: false },
);
let from = null;
draggable(canvas, {
  start: (event) => (from = placeOf(event)),
  move: (event) => {
    if (sight.zoom === 1 || look.how === "rectangle") return;
    const [x, y] = placeOf(event);
    pan(from[0] - x, from[1] - y);
  },
});
canvas.addEventListener("keydown", (event) => {
  const by = nudged(event, 0.02 / sight.zoom);
  if (by) pan(by[0], -by[1]);
});
onSight(compose);

bench.addEventListener("look", ({ detail }) => {
  if (!panes.length) return;
  if (["light", "lamp", "material", "channel", "shadowed"].some((name) => name in detail)) paint();
  else if (["repeats", "shifted", "wipe", "how", "rectangle"].some((name) => name in detail)) compose();
  else if ("line" in detail) placeLine();
});
new ResizeObserver(() => compose()).observe(stage);
