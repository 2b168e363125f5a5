// The crop: left, top, right, bottom as parts of the relief; free, square, or in whole motifs; and suggestions.

import { page, ofRelief } from "../look.js";
import { draggable } from "../../studio/drag.js";
import { frame } from "../stage/stage.js";
import { clamp, svg } from "../../studio/svg.js";
import { askJson } from "../../studio/ask.js";
import { at, CORNERS, hand, handle, input, overlay, place, post, refocus } from "./hand.js";

const SMALLEST = 1; // percent of a side that a crop keeps at least

let motif = [null, null]; // the motif's size in percent of the relief, where it has one

export const kind = "crop";
export const hint = "drag the rectangle or a corner of it · Esc leaves the tool";

export function show() {
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
      right ? still[0] : still[0] - wide,
      below ? still[1] : still[1] - high,
      right ? still[0] + wide : still[0],
      below ? still[1] + high : still[1],
    ];
    paint();
  }

  function fitted(wide, high, room) {
    const shape = document.querySelector(".treatment [data-crop-shape]")?.value;
    if (shape === "square") {
      const side = Math.min(
        Math.max(wide * frame.width, high * frame.height),
        room[0] * frame.width,
        room[1] * frame.height,
      );
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
    for (const [name, value] of Object.entries({ x: left, y: top, width: right - left, height: bottom - top }))
      inside.setAttribute(name, value);
    corners[0].stand(box[0], box[1]);
    corners[1].stand(box[2], box[1]);
    corners[2].stand(box[2], box[3]);
    corners[3].stand(box[0], box[3]);
  }

  function keep() {
    const round = (value) => Number((100 * value).toFixed(2));
    const [left, top] = [round(box[0]), round(box[1])];
    cropTo(
      left,
      top,
      Math.min(round(box[2] - box[0]), 100 - left),
      Math.min(round(box[3] - box[1]), 100 - top),
      hand.taken.owner,
    );
  }

  paint();
  refocus(corners);
}

function cropTo(left, top, width, height, owner, meets) {
  const values = Object.fromEntries(
    Object.entries({ left, top, width, height }).map(([name, value]) => [`${owner}.${name}`, value]),
  );
  if (meets !== undefined) values[`${owner}.meets`] = meets;
  post(values);
}

document.addEventListener("click", async ({ target }) => {
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
  return (
    (await askJson(page().repeats, {
      base: page().revision,
      ...ofRelief(),
      layer: page().layer,
      until: number,
      ...extra,
    })) ?? {}
  );
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
