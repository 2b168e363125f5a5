// The value under the pointer: the server reads the finished height at full size; the levels are those that are drawn.

import { apart, bench, currentView, look, onStage, page, ofRelief } from "../look.js";
import { levelsAt, placeOf } from "./stage.js";
import { sight } from "./sight.js";
import { askJson, Latest } from "../../studio/ask.js";

const canvas = document.getElementById("flat");
const shown = document.getElementById("value");
const latest = new Latest();
const CHANNELS = ["R", "G", "B", "A"];
let at = null;

const signed = (value, digits) => (value < 0 ? "−" : "+") + Math.abs(value).toFixed(digits);

/** A length in mm in the unit of the piece, to so many places of a mm. */
const lengthOf = (mm, places) => (mm / page().per).toFixed(places + Math.round(Math.log10(page().per)));

async function read(x, y) {
  const answer = await askJson(page().value, {
    base: onStage(),
    ...ofRelief(),
    x,
    y,
    ...(look.card === "in" ? { card: 1 } : {}),
  });
  if (!answer || at === null) return;
  const { column, row, across, down, distance, slope, normal } = answer;
  const levels = apart() ? null : levelsAt(x, y);
  const words = [
    `texel ${column}, ${row}`,
    `${lengthOf(across, 1)}, ${lengthOf(down, 1)} ${page().unit}`,
    `height ${distance < 0 ? "−" : "+"}${lengthOf(Math.abs(distance), 3)} ${page().unit}`,
    `slope ${slope.toFixed(1)}°`,
    `normal ${normal.map((part) => signed(part, 3)).join(" ")}`,
    ...(levels
      ? [
          levels.length > 1
            ? levels.map((level, number) => `${CHANNELS[number]} ${level}`).join(" ")
            : `grey ${levels[0]}`,
        ]
      : []),
  ];
  shown.replaceChildren(...words.map((word) => Object.assign(document.createElement("span"), { textContent: word })));
  Object.assign(shown.dataset, { column, row, distance, slope, normal: normal.join(",") });
  shown.hidden = false;
}

function follow(x, y) {
  // beside the relief there is nothing to read, but its repeats are it again
  at = [x - Math.floor(x), y - Math.floor(y)];
  latest.run(() => at && read(...at));
}

function leave() {
  at = null;
  shown.hidden = true;
}

canvas.addEventListener("pointermove", (event) => {
  const [x, y] = placeOf(event);
  shown.setAttribute("aria-live", "off");
  if (x < 0 || y < 0 || x >= 1 || y >= 1 || currentView() === "whole") leave();
  else follow(x, y);
});
canvas.addEventListener("pointerleave", leave);
// by key the middle of the stage is read, and only then read out
const readMiddle = () => {
  shown.setAttribute("aria-live", "polite");
  follow(sight.x, sight.y);
};
canvas.addEventListener("focus", () => canvas.matches(":focus-visible") && readMiddle());
canvas.addEventListener("keyup", (event) => event.key.startsWith("Arrow") && readMiddle());
canvas.addEventListener("blur", leave);
bench.addEventListener("look", ({ detail }) => "views" in detail && leave());
