// The flat stage: draws the pixels of a view, lit in the browser where they are normals, and the section line on top.

import { bench, look, setLook, lightDirection, page } from "./look.js";
import { draggable, nudged } from "./drag.js";

const canvas = document.getElementById("flat");
const overlay = document.getElementById("line");
const context = canvas.getContext("2d");
const tile = document.createElement("canvas");
const MARGIN = 14;
const BEYOND = 0.38; // how strongly the neighbours of a tile that wraps are shown

let shown = null; // the packet on the stage
let image = null;
let frame = { left: 0, top: 0, width: 1, height: 1 }; // where one repeat lies on the stage

const svg = (name, attributes, ...children) => {
  const element = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
};

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
  const { pixels } = shown.arrays;
  const [rows, columns] = pixels.shape;
  if (!image || image.width !== columns || image.height !== rows) {
    image = new ImageData(columns, rows);
    [tile.width, tile.height] = [columns, rows];
  }
  const out = new Uint32Array(image.data.buffer);
  if (pixels instanceof Uint16Array) light(pixels, out);
  else if (pixels.shape.length === 3) colour(pixels, out);
  else for (let i = 0; i < out.length; i++) out[i] = 0xff000000 | (pixels[i] * 0x010101);
  tile.getContext("2d").putImageData(image, 0, 0);
  compose();
}

// matt plaster with a little sheen, a shade for each of 1024 cosines
const SHADES = Uint32Array.from({ length: 1024 }, (_, step) => {
  const cosine = step / 1023;
  const shade = 0.13 + 0.74 * cosine + 0.1 * cosine ** 24;
  const [red, green, blue] = [1, 0.985, 0.955].map((tint) => Math.min(255, Math.round(255 * shade * tint)));
  return 0xff000000 | (blue << 16) | (green << 8) | red;
});

function light(normals, out) {
  const [x, y, z] = lightDirection();
  const scale = (2 / 65535) * 1023;
  const offset = -(x + y + z) * 1023;
  for (let i = 0, n = 0; i < out.length; i++, n += 3) {
    const cosine = (normals[n] * x + normals[n + 1] * y + normals[n + 2] * z) * scale + offset;
    out[i] = SHADES[cosine <= 0 ? 0 : cosine >= 1023 ? 1023 : cosine | 0];
  }
}

function colour(pixels, out) {
  const alone = { red: 0, green: 1, blue: 2 }[look.channel];
  for (let i = 0, n = 0; i < out.length; i++, n += 3) {
    out[i] =
      alone === undefined
        ? 0xff000000 | (pixels[n + 2] << 16) | (pixels[n + 1] << 8) | pixels[n]
        : 0xff000000 | (pixels[n + alone] * 0x010101);
  }
}

function compose() {
  const ratio = window.devicePixelRatio || 1;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  if (!width) return;
  [canvas.width, canvas.height] = [Math.round(width * ratio), Math.round(height * ratio)];
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.imageSmoothingQuality = "high";
  const [wide, high] = shown.footprint;
  const repeats = look.repeats ? 3 : 1;
  const scale = Math.min((width - 2 * MARGIN) / wide, (height - 2 * MARGIN) / high) / repeats;
  const beyond = page().wraps === "both" || look.repeats;
  frame = { width: wide * scale, height: high * scale };
  frame.left = (width - frame.width) / 2;
  frame.top = (height - frame.height) / 2;
  context.fillStyle = getComputedStyle(canvas.parentElement).backgroundColor;
  context.fillRect(0, 0, width, height);
  if (beyond) {
    const across = Math.ceil(width / frame.width / 2);
    const down = Math.ceil(height / frame.height / 2);
    const reach = look.repeats ? 1 : 0; // repeats that are shown in full
    for (let i = -across; i <= across; i++) {
      for (let j = -down; j <= down; j++) {
        const full = Math.abs(i) <= reach && Math.abs(j) <= reach;
        if (!full && page().wraps !== "both") continue;
        context.globalAlpha = full ? 1 : BEYOND;
        context.drawImage(tile, frame.left + i * frame.width, frame.top + j * frame.height, frame.width, frame.height);
      }
    }
    context.globalAlpha = 1;
  } else {
    context.drawImage(tile, frame.left, frame.top, frame.width, frame.height);
  }
  placeLine();
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

const clamp = (value, low, high) => Math.min(Math.max(value, low), high);

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
  else if ("repeats" in detail) compose();
  else if ("line" in detail) placeLine();
});
new ResizeObserver(() => shown && compose()).observe(canvas.parentElement);
