// Tools that set a treatment on the stage: the crop's rectangle, the four corners of a photo taken at an angle, the brush
// that heals. While one is taken up, the stage shows the relief as it reaches that treatment.

import { bench, page } from "./look.js";
import { commit } from "./controls.js";
import { draggable, nudged } from "./drag.js";
import { frame, onFramed } from "./stage.js";
import { clamp, svg } from "./svg.js";
import { askJson } from "../studio/ask.js";

const overlay = document.getElementById("tool");
const CORNERS = ["Upper left", "Upper right", "Lower right", "Lower left"];
const SMALLEST = 1; // percent of a side that a crop keeps at least
const STEP = 0.5; // percent that an arrow key moves a handle
const FINE = 3; // px between two points of a stroke

const hint = document.getElementById("tool-hint");
const HINTS = {
  crop: "drag the rectangle or a corner of it · Esc puts it down",
  corners: "drag the corners to something that is a rectangle in reality · Esc puts them down",
  brush: "paint over the places that are meant · Esc puts the brush down",
  places: "click to press one in, drag to move it, Delete takes it away · Esc puts it down",
  line: "draw the line they are set along · Esc puts it down",
  strokes: "draw on the relief · Esc puts it down",
};
const SHOWN = { crop: showCrop, corners: showCorners, brush: showBrush, places: showPlaces, line: showLine, strokes: showStrokes };

const MOST_POINTS = 1900; // of one line; the recipe takes 2000

let taken = null; // { kind, owner, number } of the tool in the hand: whose parameters it sets
let drawing = false; // while something is drawn the tool stays as it is, whatever the stage shows
let motif = [null, null]; // the motif's size in percent of the relief, where it has one

/** How many treatments of the layer the stage shows for the tool in the hand; null for all of them. */
export const shownUntil = () => (taken && taken.number !== null ? taken.number + (taken.kind === "brush" ? 1 : 0) : null);

/** Whether a tool is in the hand. */
export const inHand = () => Boolean(taken);

const path = (name) => `${taken.owner}.${name}`;
const input = (name) => document.querySelector(`#controls [name="${path(name)}"]`);
const drawn = (name) => JSON.parse(input(name).value);

function put(name, value) {
  const field = input(name);
  field.value = JSON.stringify(value);
  commit(field);
}

/** Adds an item to the end of a list; only the item is sent. */
const appended = (name, item) => ({ [`${path(name)}+`]: JSON.stringify(item) });
const append = (name, item) => htmx.ajax("POST", page().change, { source: bench, swap: "none", values: appended(name, item) });

const place = ([x, y]) => [frame.left + x * frame.width, frame.top + y * frame.height];

function at(event, beyond = 0) {
  const box = overlay.getBoundingClientRect();
  return [
    clamp((event.clientX - box.left - frame.left) / frame.width, -beyond, 1 + beyond),
    clamp((event.clientY - box.top - frame.top) / frame.height, -beyond, 1 + beyond),
  ];
}

function take(kind, owner, number) {
  const same = taken?.kind === kind && taken.owner === owner;
  taken = same ? null : { kind, owner, number };
  show();
  bench.dispatchEvent(new CustomEvent("tool"));
}

/** Puts the tool down when its treatment is gone, and shows it where its treatment now is. */
export function showTool() {
  if (taken && !document.querySelector(`[data-owner="${taken.owner}"] [data-tool="${taken.kind}"]`)) {
    taken = null;
    bench.dispatchEvent(new CustomEvent("tool"));
  }
  show();
}

function show() {
  for (const button of document.querySelectorAll("[data-tool]")) {
    const on = taken && button.dataset.tool === taken.kind && button.closest("[data-owner]").dataset.owner === taken.owner;
    button.setAttribute("aria-pressed", String(Boolean(on)));
  }
  overlay.replaceChildren();
  overlay.toggleAttribute("hidden", !taken);
  overlay.dataset.kind = taken?.kind ?? "";
  hint.hidden = !taken;
  hint.textContent = taken ? HINTS[taken.kind] : "";
  if (taken) SHOWN[taken.kind]();
}

function handle(label, move, end) {
  const element = svg("g", { class: "t-handle", tabindex: 0, role: "slider", "aria-label": label, "aria-valuenow": 0 });
  element.append(svg("rect", { x: -13, y: -13, width: 26, height: 26 }), svg("path", { d: "M0-7 7 0 0 7-7 0z" }));
  draggable(element, { move: (event) => move(at(event, taken.kind === "corners" ? 0.2 : 0)), end });
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

function refocus(handles) {
  handles.find((item) => item.getAttribute("aria-label") === overlay.dataset.focus)?.focus();
  delete overlay.dataset.focus;
}

// the crop: left, top, right, bottom as parts of the relief

function showCrop() {
  const part = (name) => input(name).valueAsNumber / 100;
  let box = [part("left"), part("top"), part("left") + part("width"), part("top") + part("height")];
  const outside = svg("path", { class: "t-outside", "fill-rule": "evenodd" });
  const inside = svg("rect", { class: "t-inside" });
  const corners = CORNERS.map((label, number) =>
    handle(`${label} corner of the crop`, (to) => stretch(number, to), keep),
  );
  overlay.append(outside, inside, ...corners);
  let grabbed = null;
  draggable(inside, {
    start: (event) => (grabbed = { at: at(event), box }),
    move: (event) => {
      const to = at(event);
      const [x, y] = [0, 1].map((axis) =>
        clamp(to[axis] - grabbed.at[axis], -grabbed.box[axis], 1 - grabbed.box[axis + 2]),
      );
      box = [grabbed.box[0] + x, grabbed.box[1] + y, grabbed.box[2] + x, grabbed.box[3] + y];
      paint();
    },
    end: keep,
  });

  function stretch(number, [x, y]) {
    const [right, below] = [number === 1 || number === 2, number > 1];
    const still = [right ? box[0] : box[2], below ? box[1] : box[3]];
    let [wide, high] = [Math.abs(x - still[0]), Math.abs(y - still[1])].map((side) => Math.max(side, SMALLEST / 100));
    const room = [right ? 1 - still[0] : still[0], below ? 1 - still[1] : still[1]];
    [wide, high] = fitted(wide, high, room);
    box = [
      right ? still[0] : still[0] - wide, below ? still[1] : still[1] - high,
      right ? still[0] + wide : still[0], below ? still[1] + high : still[1],
    ];
    paint();
  }

  function fitted(wide, high, room) {
    const shape = document.querySelector(".treatment [data-crop-shape]")?.value;
    if (shape === "square") {
      const side = Math.min(Math.max(wide * frame.width, high * frame.height), room[0] * frame.width, room[1] * frame.height);
      return [side / frame.width, side / frame.height];
    }
    if (shape === "motif") return [wide, high].map((side, axis) => inMotifs(side, motif[axis], room[axis]));
    return [wide, high];
  }

  function inMotifs(side, length, room) {
    if (!length) return side;
    const whole = Math.max(1, Math.round((100 * side) / length));
    return (Math.min(whole, Math.max(1, Math.floor((100 * room + 0.01) / length))) * length) / 100;
  }

  function paint() {
    const [left, top] = place([box[0], box[1]]);
    const [right, bottom] = place([box[2], box[3]]);
    const [x, y] = place([0, 0]);
    const [xx, yy] = place([1, 1]);
    outside.setAttribute("d", `M${x} ${y}H${xx}V${yy}H${x}zM${left} ${top}H${right}V${bottom}H${left}z`);
    for (const [name, value] of Object.entries({ x: left, y: top, width: right - left, height: bottom - top })) inside.setAttribute(name, value);
    corners[0].stand(box[0], box[1]);
    corners[1].stand(box[2], box[1]);
    corners[2].stand(box[2], box[3]);
    corners[3].stand(box[0], box[3]);
  }

  function keep() {
    const round = (value) => Number((100 * value).toFixed(2));
    const [left, top] = [round(box[0]), round(box[1])];
    cropTo(left, top, Math.min(round(box[2] - box[0]), 100 - left), Math.min(round(box[3] - box[1]), 100 - top), taken.owner);
  }

  paint();
  refocus(corners);
}

function cropTo(left, top, width, height, owner, meets) {
  const values = Object.fromEntries(Object.entries({ left, top, width, height }).map(([name, value]) => [`${owner}.${name}`, value]));
  if (meets !== undefined) values[`${owner}.meets`] = meets;
  htmx.ajax("POST", page().change, { source: bench, swap: "none", values });
}

// the corners of something that is a rectangle in reality

function showCorners() {
  const points = drawn("corners");
  const outline = svg("path", { class: "t-outline" });
  const grid = svg("path", { class: "t-grid" });
  const handles = CORNERS.map((label, number) =>
    handle(label, (to) => ((points[number] = to), paint()), () => put("corners", points.map((point) => point.map((part) => Number(part.toFixed(4)))))),
  );
  overlay.append(grid, outline, ...handles);

  function paint() {
    outline.setAttribute("d", `M${points.map((point) => place(point).join(" ")).join("L")}z`);
    const between = (a, b, part) => place([a[0] + (b[0] - a[0]) * part, a[1] + (b[1] - a[1]) * part]).join(" ");
    const [a, b, c, d] = points;
    grid.setAttribute("d", [1 / 3, 2 / 3].map((part) => `M${between(a, b, part)}L${between(d, c, part)}M${between(a, d, part)}L${between(b, c, part)}`).join(""));
    handles.forEach((item, number) => item.stand(...points[number]));
  }
  paint();
  refocus(handles);
}

// the brush: strokes over places that are to be healed

function showBrush() {
  const surface = svg("rect", { class: "t-paper", width: "100%", height: "100%", tabindex: 0, role: "application", "aria-label": "Paint over places to heal; with the keyboard, arrow keys move the brush and Enter marks" });
  const stroke = svg("path", { class: "t-stroke" });
  const ring = svg("circle", { class: "t-ring", r: 0 });
  overlay.append(surface, stroke, ring);
  const field = document.querySelector(`[data-owner="${taken.owner}"] [data-brush]`);
  const radius = () => Math.max(field.valueAsNumber || 1, 0.05);
  const inPixels = () => (radius() / frame.footprint[0]) * frame.width;
  let points = [];
  let here = [0.5, 0.5];
  const follow = (event) => {
    here = at(event);
    ringAt();
  };
  const ringAt = () => {
    const [x, y] = place(here);
    for (const [name, value] of Object.entries({ cx: x, cy: y, r: inPixels() })) ring.setAttribute(name, value);
  };
  const add = (event) => {
    follow(event);
    const [x, y] = place(here);
    const last = points.length && place(points.at(-1));
    if (last && Math.hypot(x - last[0], y - last[1]) < FINE) return;
    if (points.length === MOST_POINTS) points = points.filter((_, number) => number % 2 === 0);
    points.push(here);
    stroke.setAttribute("d", `M${points.map((point) => place(point).join(" ")).join("L")}${points.length === 1 ? "h0.01" : ""}`);
    stroke.setAttribute("stroke-width", 2 * inPixels());
  };
  const keep = () => {
    if (!points.length) return;
    const rounded = points.map((point) => point.map((part) => Number(part.toFixed(5))));
    append("marks", { points: rounded, radius: radius() });
    points = [];
    stroke.setAttribute("d", "");
  };
  surface.addEventListener("pointermove", follow);
  draggable(surface, { start: add, move: add, end: keep });
  surface.addEventListener("keydown", (event) => {
    const by = nudged(event, STEP / 100);
    if (by) {
      here = [clamp(here[0] + by[0], 0, 1), clamp(here[1] - by[1], 0, 1)];
      ringAt();
    } else if (event.key === "Enter") {
      event.preventDefault();
      points = [here];
      keep();
    }
  });
}

// imprints: places that are clicked, dragged and taken away

function showPlaces() {
  const places = drawn("places");
  const paper = svg("rect", { class: "t-paper t-click", width: "100%", height: "100%", tabindex: 0, role: "application", "aria-label": "Click to press one in; with the keyboard, Enter presses one into the middle" });
  const round = ([x, y]) => [Number(x.toFixed(5)), Number(y.toFixed(5))];
  const dots = places.map((place_, number) => {
    const dot = handle(`Imprint ${number + 1}`, (to) => dot.stand(...(places[number] = to.map((part) => clamp(part, 0, 1)))), () => put("places", places.map(round)));
    dot.addEventListener("keydown", (event) => {
      if (!["Delete", "Backspace"].includes(event.key)) return;
      event.preventDefault();
      places.splice(number, 1);
      put("places", places.map(round));
    });
    return dot;
  });
  overlay.append(paper, ...dots);
  dots.forEach((dot, number) => dot.stand(...places[number]));
  paper.addEventListener("pointerdown", (event) => event.button === 0 && append("places", round(at(event))));
  paper.addEventListener("keydown", (event) => event.key === "Enter" && append("places", [0.5, 0.5]));
  refocus(dots);
}

// a line drawn by hand, or a stroke that works on the relief while it is drawn

function drawnLine(onMove, onEnd) {
  const paper = svg("rect", { class: "t-paper t-click", width: "100%", height: "100%" });
  const line = svg("path", { class: "t-line" });
  let points = [];
  const add = (event) => {
    const here = at(event);
    const last = points.at(-1);
    if (last && Math.hypot((here[0] - last[0]) * frame.width, (here[1] - last[1]) * frame.height) < FINE) return;
    if (points.length === MOST_POINTS) points = points.filter((_, number) => number % 2 === 0); // drawn on with half of them
    points.push([...here, event.pointerType === "pen" ? event.pressure : 1].map((part) => Number(part.toFixed(4))));
    line.setAttribute("d", `M${points.map((point) => place(point).join(" ")).join("L")}`);
    onMove(points);
  };
  draggable(paper, {
    start: (event) => {
      drawing = true;
      points = [];
      add(event);
    },
    move: add,
    end: () => {
      drawing = false;
      onEnd(points);
    },
  });
  overlay.append(paper, line);
  return line;
}

function showLine() {
  const line = drawnLine(() => {}, (points) => put("line", points.map(([x, y]) => [x, y])));
  const kept = drawn("line");
  if (kept.length) line.setAttribute("d", `M${kept.map((point) => place(point).join(" ")).join("L")}`);
}

function showStrokes() {
  const tools = document.querySelector(`[data-owner="${taken.owner}"]`);
  const number = (name, least) => Math.max(tools.querySelector(`[data-${name}]`).valueAsNumber || 0, least);
  const stroke = (points) => ({ work: tools.querySelector("[data-work]").value, points, radius: number("brush", 0.05), falloff: Math.min(number("falloff", 0), 1), strength: number("strength", 0) });
  drawnLine(
    (points) => bench.dispatchEvent(new CustomEvent("draft", { detail: appended("strokes", stroke(points)) })),
    (points) => append("strokes", stroke(points)),
  );
}

document.addEventListener("click", async ({ target }) => {
  const button = target.closest("[data-tool]");
  if (button) take(button.dataset.tool, button.closest("[data-owner]").dataset.owner, button.dataset.number === undefined ? null : Number(button.dataset.number));
  const clear = target.closest("[data-clear]");
  if (clear) {
    const field = clear.closest(".field").querySelector("[data-drawn]");
    field.value = "[]";
    commit(field);
  }
  const last = target.closest("[data-drop-last]");
  if (last) {
    const field = last.closest(".field").querySelector("[data-drawn]");
    field.value = JSON.stringify(JSON.parse(field.value).slice(0, -1));
    commit(field);
  }
  const suggest = target.closest("[data-suggest]");
  if (suggest) await showSuggestions(Number(suggest.dataset.suggest));
  const chosen = target.closest("[data-crop]");
  if (chosen) {
    const { left, top, width, height, seam } = JSON.parse(chosen.dataset.crop);
    const { owner } = chosen.closest("[data-owner]").dataset;
    cropTo(...[left, top, width, height].map((value) => Math.floor(100 * value) / 100), owner, seam < 1.5);
  }
});

document.addEventListener("change", async ({ target }) => {
  if (target.matches("[data-crop-shape]") && target.value === "motif") {
    const number = Number(target.closest(".treatment").dataset.number);
    ({ motif = [null, null] } = await asked(number));
    if (!motif[0] && !motif[1]) target.title = "Nothing in this picture repeats clearly.";
  }
});

async function asked(number, extra = {}) {
  return (await askJson(page().repeats, { base: page().revision, layer: page().layer, until: number, ...extra })) ?? {};
}

async function showSuggestions(number) {
  const list = document.querySelector(`[data-suggestions="${number}"]`);
  list.hidden = false;
  list.textContent = "Looking for squares that tile…";
  const { crops, message } = await asked(number, { crops: 1 });
  if (!crops?.length) {
    list.textContent = message ?? "The picture is too small for that.";
    return;
  }
  const telltale = (count) => (count === 1 ? "1 telltale" : `${count} telltales`);
  list.replaceChildren(
    ...crops.map((crop) => {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "button small";
      button.dataset.crop = JSON.stringify(crop);
      button.textContent = `${Math.round(crop.width)} % wide · seam ${crop.seam.toFixed(1)} · ${telltale(crop.telltales)}`;
      return button;
    }),
  );
}

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && taken && !document.querySelector("dialog[open]")) take(taken.kind, taken.owner, taken.number);
});
onFramed(() => drawing || show());
