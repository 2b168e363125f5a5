// The section: the profile along A to A′ drawn as an engineering section. Its datum and arrow heads are dragged.

import { draggable, nudged } from "../../studio/drag.js";
import { page } from "../look.js";
import { svg } from "../../studio/svg.js";

const drawing = document.getElementById("section-drawing");
const note = document.getElementById("section-note");
const MARGIN = { left: 92, right: 132, top: 44, bottom: 27 };
const BODY = 14; // px of body below the lowest height
const NICE = [1, 1.5, 2, 3, 4, 5, 6, 8]
  .flatMap((part) => [0.01, 0.1, 1, 10, 100].map((power) => part * power))
  .sort((a, b) => a - b);

let shown = null;
let scale = null; // px per mm `across` and `up`, and `zero`, the y of the datum
let held = false; // while a handle is held the scale stays
let handlers = { draft() {}, commit() {} };

drawing.append(
  svg(
    "defs",
    {},
    svg(
      "pattern",
      { id: "hatch", width: 9, height: 9, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" },
      svg("path", { class: "hatch-line", d: "M0 0V9" }),
    ),
    svg("clipPath", { id: "over" }, svg("rect")),
    svg("clipPath", { id: "under" }, svg("rect")),
  ),
);
const parts = {};
for (const name of ["body", "above", "below", "before", "contest", "profile", "built", "axis"]) {
  parts[name] = svg("path", { class: `s-${name}` });
  drawing.append(parts[name]);
}
parts.above.setAttribute("clip-path", "url(#over)");
parts.below.setAttribute("clip-path", "url(#under)");
const ticks = svg("g", { "aria-hidden": "true" });
const datumLine = svg("line", { class: "s-datum" });
const arrow = svg("line", { class: "s-arrow" });
const handle = (label, outline) =>
  svg(
    "g",
    { class: "s-handle", tabindex: 0, role: "slider", "aria-label": label, "aria-valuenow": 0 },
    svg("rect", { x: -12, y: -11, width: 24, height: 22 }),
    svg("path", { d: outline }),
  );
const datum = handle("Midlevel, the datum", "M-9 -11H9L0 0z");
const upper = handle("Amplitude, upper end", "M0 0L5 11H-5z");
const lower = handle("Amplitude, lower end", "M0 0L5 -11H-5z");
const lift = handle("Offset of the layer", "M-7 0H7M-4 -5 0 -10 4 -5M-4 5 0 10 4 5");
drawing.append(ticks, datumLine, arrow, datum, upper, lower, lift);
lift.id = "offset-handle";
lift.classList.add("s-lift");
datum.id = "datum-handle";
upper.id = "amplitude-handle";

/** Names what happens while a handle is dragged (`draft`) and when it is let go (`commit`). */
export function onDrag(callbacks) {
  handlers = callbacks;
}

/** Puts a packet's section on the drawing. */
export function drawSection(packet) {
  shown = {
    heights: packet.arrays.section,
    before: packet.arrays.section_before,
    amplitude: packet.amplitude,
    midlevel: packet.midlevel,
    length: packet.section_length,
    label: packet.before_label,
    contest: packet.arrays.contest,
  };
  render();
}

let built = null; // the ends of segments along and out, mm

/** Draws the mesh that is built over the profile that it stands for; nothing where they cannot be laid on each other. */
export function drawBuilt(packet) {
  built = packet?.plain ? packet.arrays.cut : null;
  render();
}

const distance = (height) => (height - shown.midlevel) * shown.amplitude;

function fit() {
  const { heights, before, length } = shown;
  let [deepest, tallest] = [Math.min(distance(0), 0), Math.max(distance(1), 0)];
  for (const height of heights) {
    deepest = Math.min(deepest, distance(height));
    tallest = Math.max(tallest, distance(height));
  }
  const reach = tallest - deepest;
  for (const mm of before) {
    // after a large change the state before may be far off; then it runs out of the drawing
    if (mm > deepest - reach && mm < deepest) deepest = mm;
    if (mm < tallest + reach && mm > tallest) tallest = mm;
  }
  const width = drawing.clientWidth - MARGIN.left - MARGIN.right;
  const room = drawing.clientHeight - MARGIN.top - MARGIN.bottom - BODY;
  const across = width / Math.max(length, 1e-6);
  const most = room / Math.max(tallest - deepest, 1e-9) / across;
  const exaggeration = NICE.findLast((value) => value <= most) ?? most;
  const up = exaggeration * across;
  // what is drawn stands in the middle of the room
  const zero = MARGIN.top + (room - (tallest - deepest) * up) / 2 + tallest * up;
  scale = { across, up, zero, exaggeration };
}

const level = (mm) => scale.zero - mm * scale.up;

/** Draws what was last sent, and puts the number boxes beside their handles. */
export function render() {
  if (!shown || !drawing.clientWidth) return;
  if (!held || !scale) fit();
  const { heights, before, amplitude, midlevel, length } = shown;
  const right = MARGIN.left + length * scale.across;
  const base = drawing.clientHeight - MARGIN.bottom;
  const x = (i) => (MARGIN.left + ((right - MARGIN.left) * i) / (heights.length - 1)).toFixed(1);
  const line = (values, at) => Array.from(values, (value, i) => `${x(i)} ${at(value).toFixed(1)}`).join("L");
  const profile = line(heights, (height) => Math.min(level(distance(height)), base));
  const y = scale.zero;
  parts.profile.setAttribute("d", `M${profile}`);
  parts.before.setAttribute("d", `M${line(before, (mm) => Math.min(level(mm), base))}`);
  parts.body.setAttribute("d", `M${MARGIN.left} ${base}L${profile}L${right} ${base}z`);
  for (const part of [parts.above, parts.below])
    part.setAttribute("d", `M${MARGIN.left} ${y}L${profile}L${right} ${y}z`);
  clip("#over", 0, y);
  clip("#under", y, base);
  set(datumLine, { x1: MARGIN.left - 24, x2: right + 14, y1: y, y2: y });
  datum.setAttribute("transform", `translate(${MARGIN.left - 16} ${y})`);
  describe(datum, midlevel, midlevel.toPrecision(3));
  const [top, bottom] = [level(distance(1)), level(distance(0))];
  const arrowX = right + 24;
  set(arrow, { x1: arrowX, x2: arrowX, y1: top, y2: bottom });
  upper.setAttribute("transform", `translate(${arrowX} ${top})`);
  lower.setAttribute("transform", `translate(${arrowX} ${bottom})`);
  const { unit, per } = page();
  for (const end of [upper, lower])
    describe(end, amplitude / per, `${Number((amplitude / per).toPrecision(3))} ${unit}`);
  beside("midlevel", 8, y - 11);
  beside("amplitude", arrowX + 12, (top + bottom) / 2 - 11);
  drawTicks(right, base, y);
  let path = "";
  for (let i = 0; built && i < built.length; i += 4) {
    const along = [built[i], built[i + 2]];
    if (Math.max(...along) < 0 || Math.min(...along) > length) continue;
    const ends = along.map(
      (mm, end) => `${(MARGIN.left + mm * scale.across).toFixed(1)} ${level(built[i + 1 + 2 * end]).toFixed(1)}`,
    );
    path += `M${ends.join("L")}`;
  }
  parts.built.setAttribute("d", path);
  const times = Number(scale.exaggeration.toPrecision(2));
  const stretched = times === 1 ? "heights to the same scale" : `heights exaggerated ${times} times`;
  note.textContent = [stretched, `dashed: ${shown.label}`, ...(built ? ["grey: the mesh"] : [])].join("   ·   ");
  drawContest(line, base);
}

/** The tiny section in the list of layers. */
function clip(name, top, bottom) {
  set(drawing.querySelector(`${name} rect`), {
    x: 0,
    y: top,
    width: drawing.clientWidth,
    height: Math.max(0, bottom - top),
  });
}

function set(element, attributes) {
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
}

function describe(element, value, text) {
  set(element, { "aria-valuenow": value, "aria-valuetext": text });
}

function beside(path, left, top) {
  const box = document.querySelector(`.section-values [data-at="${path}"]`);
  const limit = drawing.clientHeight - 26;
  if (box) box.style.transform = `translate(${left}px, ${Math.min(Math.max(top, 30), limit)}px)`;
}

/** A round step that leaves at least `apart` px between two ticks. */
function niceStep(perMm, apart) {
  const rough = apart / perMm;
  const power = 10 ** Math.floor(Math.log10(rough));
  return power * [1, 2, 5, 10].find((factor) => factor * power >= rough);
}

function drawTicks(right, base, zero) {
  ticks.replaceChildren();
  let axis = `M${MARGIN.left} ${base}H${right}`;
  const text = (x, y, content, anchor) =>
    ticks.append(Object.assign(svg("text", { x, y, "text-anchor": anchor }), { textContent: content }));
  const step = niceStep(scale.across, 74);
  const { unit, per } = page();
  for (let i = 0; i * step <= shown.length * 1.0001; i++) {
    const x = MARGIN.left + i * step * scale.across;
    axis += `M${x} ${base}v6`;
    text(x, base + 18, round((i * step) / per), "middle");
  }
  text(right + 20, base + 18, unit, "start");
  const rise = niceStep(scale.up, 24);
  for (let y = zero - rise * scale.up, i = 1; y > MARGIN.top - 4; y -= rise * scale.up, i++) axis += tick(y, i * rise);
  for (let y = zero + rise * scale.up, i = 1; y < base - 6; y += rise * scale.up, i++) axis += tick(y, -i * rise);
  parts.axis.setAttribute("d", axis);

  function tick(y, mm) {
    if (Math.abs(y - zero) > 17)
      text(MARGIN.left - 9, y + 4, `${mm > 0 ? "+" : "−"}${round(Math.abs(mm) / per)}`, "end");
    return `M${MARGIN.left - 6} ${y}h6`;
  }
}

/** The chosen layer as it contests with what lies below, and the handle that lifts it. */
function drawContest(line, base) {
  const { contest } = shown;
  lift.toggleAttribute("hidden", !contest);
  parts.contest.setAttribute(
    "d",
    contest ? `M${line(contest, (height) => Math.min(level(distance(height)), base))}` : "",
  );
  if (!contest) return;
  const middle = contest.length >> 1;
  const x = MARGIN.left + (shown.length * scale.across * middle) / (contest.length - 1);
  lift.setAttribute(
    "transform",
    `translate(${x} ${Math.min(Math.max(level(distance(contest[middle])), MARGIN.top - 8), base)})`,
  );
  const value = offsetBox()?.valueAsNumber ?? 0;
  describe(lift, value, value.toFixed(2));
}

const offsetBox = () => document.getElementsByName(`layers.${page().layer}.offset`)[0];

function lifted(by) {
  const box = offsetBox();
  if (!box) return null;
  return [box.name, Number(Math.min(Math.max(by, Number(box.min)), Number(box.max)).toFixed(3))];
}

let liftedFrom = null;
draggable(lift, {
  start: (event) => (liftedFrom = { y: onDrawing(event), offset: offsetBox().valueAsNumber, last: null }),
  move: (event) => {
    const rise = (liftedFrom.y - onDrawing(event)) / scale.up / Math.max(shown.amplitude, 1e-9);
    liftedFrom.last = lifted(liftedFrom.offset + rise);
    if (liftedFrom.last) handlers.draft(Object.fromEntries([liftedFrom.last]));
  },
  end: () => liftedFrom.last && handlers.commit(...liftedFrom.last),
});
lift.addEventListener("keydown", (event) => {
  const by = nudged(event, 0.01);
  const to = by && lifted(offsetBox().valueAsNumber + (by[0] || by[1]));
  if (to) handlers.commit(...to);
});

const round = (value) => Number(value.toPrecision(4)).toString();

function onDrawing(event) {
  return event.clientY - drawing.getBoundingClientRect().top;
}

const limits = (path) => {
  const input = document.getElementById(`section-${path}`);
  const per = Number(input.dataset.per ?? 1); // mm of its unit
  return { low: input.min * per, high: input.max * per, step: input.dataset.step * per };
};

function rounded(path, value, places) {
  const { low, high } = limits(path);
  return Number(Math.min(Math.max(value, low), high).toFixed(places));
}

function dragged(element, path, valueAt) {
  let latest = null;
  draggable(element, {
    start: () => {
      held = true;
      latest = null;
    },
    move: (event) => {
      latest = valueAt(onDrawing(event));
      shown[path] = latest;
      render();
      handlers.draft({ [path]: latest });
    },
    end: () => {
      held = false;
      if (latest !== null) handlers.commit(path, latest);
      else render();
    },
  });
  element.addEventListener("keydown", (event) => {
    const by = nudged(event, limits(path).step);
    if (by) handlers.commit(path, rounded(path, shown[path] + (by[0] || by[1]), 4));
  });
}

// the datum moves through the relief, which stays where it is drawn
dragged(datum, "midlevel", (y) => {
  const height = shown.midlevel + (scale.zero - y) / (scale.up * Math.max(shown.amplitude, 1e-9));
  const midlevel = rounded("midlevel", height, 3);
  scale.zero -= (midlevel - shown.midlevel) * shown.amplitude * scale.up;
  return midlevel;
});
// the relief stretches from the datum, which stays; a head can be dragged when it does not lie on the datum
const stretched = (part) => (y) => {
  const reach = part();
  if (Math.abs(reach) < 0.02) return shown.amplitude;
  const amplitude = Math.max((scale.zero - y) / scale.up / reach, 0.01);
  return rounded("amplitude", amplitude, Math.max(0, 2 - Math.floor(Math.log10(amplitude)))); // three figures that count
};
dragged(
  upper,
  "amplitude",
  stretched(() => 1 - shown.midlevel),
);
dragged(
  lower,
  "amplitude",
  stretched(() => -shown.midlevel),
);

new ResizeObserver(render).observe(drawing);
