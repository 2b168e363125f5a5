// The flat stage: draws the pixels of a view, lit in the browser where they are normals, and the section line on top.

import { bench, look, setLook, lightDirection } from "./look.js";
import { draggable, nudged } from "./drag.js";
import { clamp, svg } from "./svg.js";
import { paintPixels } from "../studio/painting.js";

const canvas = document.getElementById("flat");
const overlay = document.getElementById("line");
const context = canvas.getContext("2d");
const tile = document.createElement("canvas");
const proof = document.createElement("canvas"); // the same view of the proof that is compared with
const MARGIN = 14;
const ROOM = 56; // around the picture while a tool is in the hand, so that its handles are free
const BEYOND = 0.38; // how strongly the neighbours of a tile that wraps are shown

let shown = null; // the packet on the stage
/** Where one repeat lies on the stage, and its real size. */
export let frame = { left: 0, top: 0, width: 1, height: 1 };

const framed = []; // who wants to know when the repeat lies elsewhere

/** Names what is called whenever the picture was put on the stage. */
export const onFramed = (callback) => framed.push(callback);

const runUnder = svg("line", { class: "run-under" });
const run = svg("line", { class: "run" });
const grip = svg("line", { class: "grip" });
const ends = ["A", "A′"].map((name, end) =>
  svg(
    "g",
    { tabindex: 0, role: "slider", "aria-label": `Section end ${name}`, "aria-valuemin": 0, "aria-valuemax": 100, "aria-valuenow": 0, "data-end": end },
    svg("circle", { r: 12 }),
    Object.assign(svg("text", {}), { textContent: name }),
  ),
);
overlay.append(runUnder, run, grip, ...ends);

/** Puts a packet on the stage. */
export function draw(packet) {
  shown = packet;
  paint();
}

/** Draws the packet that is on the stage again: with another light, another channel, another size. */
export function paint() {
  if (!shown) return;
  const light = { channel: look.channel, towards: lightDirection() };
  paintPixels(tile, shown.arrays.pixels, light);
  if (compared()) paintPixels(proof, shown.arrays.pixels_against, light);
  compose();
}

/** Whether a proof lies on the stage beside the piece as it stands. */
export const compared = () => Boolean(shown?.arrays.pixels_against);

function compose() {
  const ratio = window.devicePixelRatio || 1;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  if (!width) return;
  [canvas.width, canvas.height] = [Math.round(width * ratio), Math.round(height * ratio)];
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.imageSmoothingQuality = "high";
  const [wide, high] = shown.footprint;
  const repeats = look.repeats ? 3 : 1;
  const margin = bench.hasAttribute("data-in-hand") ? ROOM : MARGIN;
  const scale = Math.min((width - 2 * margin) / wide, (height - 2 * margin) / high) / repeats;
  frame = { width: wide * scale, height: high * scale, footprint: shown.footprint };
  frame.left = (width - frame.width) / 2;
  frame.top = (height - frame.height) / 2;
  context.fillStyle = getComputedStyle(canvas.parentElement).backgroundColor;
  context.fillRect(0, 0, width, height);
  lay(tile, width, height);
  if (compared()) {
    context.save();
    context.beginPath();
    context.rect(look.wipe * width, 0, width, height);
    context.clip();
    context.fillRect(0, 0, width, height);
    lay(proof, width, height);
    context.restore();
  }
  overlay.toggleAttribute("data-aside", Boolean(shown.whole || look.shifted));
  for (const callback of framed) callback();
  placeLine();
}

/** Draws a picture in the frame, and its neighbours where it repeats. */
function lay(picture, width, height) {
  const wraps = shown.wraps.every(Boolean);
  if (!wraps && !look.repeats && !look.shifted) {
    context.drawImage(picture, frame.left, frame.top, frame.width, frame.height);
    return;
  }
  const half = look.shifted ? 0.5 : 0; // of a repeat, so that four corners meet in the middle
  const across = Math.ceil(width / frame.width / 2 + half);
  const down = Math.ceil(height / frame.height / 2 + half);
  const reach = look.repeats ? 1 : 0; // repeats that are shown in full
  for (let i = -across; i <= across; i++) {
    for (let j = -down; j <= down; j++) {
      const full = Math.abs(i + half) <= reach + half && Math.abs(j + half) <= reach + half;
      if (!full && !wraps) continue;
      context.globalAlpha = full ? 1 : BEYOND;
      context.drawImage(picture, frame.left + (i + half) * frame.width, frame.top + (j + half) * frame.height, frame.width, frame.height);
    }
  }
  context.globalAlpha = 1;
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
    ends[end_].setAttribute("transform", `translate(${x} ${y})`);
    ends[end_].setAttribute("aria-valuenow", Math.round(100 * look.line[end_ * 2]));
    ends[end_].setAttribute("aria-valuetext", `${Math.round(100 * look.line[end_ * 2])} % across, ${Math.round(100 * look.line[end_ * 2 + 1])} % down`);
  });
}

/** Where a pointer is on the repeat, as parts of its width and height. */
function onField(event) {
  const box = canvas.getBoundingClientRect();
  return [
    clamp((event.clientX - box.left - frame.left) / frame.width, 0, 1),
    clamp((event.clientY - box.top - frame.top) / frame.height, 0, 1),
  ];
}

function moveEnd(end, x, y) {
  const line = [...look.line];
  line[end * 2] = clamp(x, 0, 1);
  line[end * 2 + 1] = clamp(y, 0, 1);
  setLook({ line });
}

ends.forEach((handle, end) => {
  draggable(handle, { move: (event) => moveEnd(end, ...onField(event)) });
  handle.addEventListener("keydown", (event) => {
    const [across, down] = nudged(event, 0.01) ?? [];
    if (across !== undefined) moveEnd(end, look.line[end * 2] + across, look.line[end * 2 + 1] - down);
  });
});

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

bench.addEventListener("look", ({ detail }) => {
  if (!shown) return;
  if ("light" in detail || "channel" in detail) paint();
  else if (["repeats", "shifted", "wipe"].some((name) => name in detail)) compose();
  else if ("line" in detail) placeLine();
});
new ResizeObserver(() => shown && compose()).observe(canvas.parentElement);
