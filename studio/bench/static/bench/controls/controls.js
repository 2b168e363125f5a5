// Sliders, number boxes and help lines on the left. A slider tries values out while it moves and sets its number box
// when it is let go; the number box posts itself.

import { nudged } from "../../studio/drag.js";
import { clamp } from "../../studio/svg.js";

const SLIDER_STEPS = 1000;
let handlers = { draft() {} };

/** Names what happens while a slider moves. */
export function onDraft(callbacks) {
  handlers = callbacks;
}

/** Shows changes that are not kept yet. */
export const tryOut = (changes) => handlers.draft(changes);

/** Brings every slider in line with its number box. */
export function showValues() {
  for (const slider of document.querySelectorAll(".slider")) place(slider, numberOf(slider).valueAsNumber);
}

/** Shows values of a draft in every box that stands for them. */
export function showDraft(changes) {
  for (const [path, value] of Object.entries(changes)) {
    for (const input of document.getElementsByName(path)) showIn(input, value);
    // a draft is in mm where a handle is dragged; the boxes may show another unit
    for (const input of document.querySelectorAll(`input[data-at="${path}"]`))
      showIn(input, Number((value / input.dataset.per).toPrecision(10)));
  }
}

/** Shows a value in a box and on its slider, but not where somebody is setting it. */
export function showIn(input, value) {
  if (input !== document.activeElement) input.value = value;
  const slider = input.closest(".field")?.querySelector(".slider");
  if (slider && slider !== document.activeElement) place(slider, value);
}

/** The number in a box, brought between the least and the most that it takes. */
export const within = (input) => clamp(input.valueAsNumber, Number(input.min), Number(input.max));

const numberOf = (slider) => slider.closest(".field").querySelector("input[type=number]");

function range(slider) {
  const [low, high] = [Number(slider.dataset.low), Number(slider.dataset.high)];
  const bent = "logarithmic" in slider.dataset;
  return { low: bent ? Math.log(low) : low, high: bent ? Math.log(high) : high, bent };
}

function place(slider, value) {
  const { low, high, bent } = range(slider);
  const at = ((bent ? Math.log(Math.max(value, 1e-9)) : value) - low) / (high - low);
  slider.value = SLIDER_STEPS * clamp(at, 0, 1);
  slider.style.setProperty("--part", `${slider.value / (SLIDER_STEPS / 100)}%`);
}

function readSlider(slider) {
  const { low, high, bent } = range(slider);
  const at = low + ((high - low) * slider.value) / SLIDER_STEPS;
  const input = numberOf(slider);
  if ("whole" in input.dataset) return Math.round(at);
  // as fine as a texel of the slider can tell apart, never finer than the step
  return bent ? Number(Math.exp(at).toPrecision(3)) : snapped(at, Number(input.dataset.step));
}

const snapped = (value, step) => Number((Math.round(value / step) * step).toFixed(6));

document.addEventListener("input", ({ target }) => {
  if (!target.matches(".slider")) return;
  const input = numberOf(target);
  input.value = readSlider(target);
  target.style.setProperty("--part", `${target.value / (SLIDER_STEPS / 100)}%`);
  if (input.name) handlers.draft({ [input.name]: input.value });
  else input.dispatchEvent(new Event("input", { bubbles: true })); // only looked with: nothing is kept
});

// what is only looked with has no server to refuse it: a number beyond its bounds becomes the nearest within
document.addEventListener(
  "change",
  ({ target }) => {
    if (target.matches(".field-look input[type=number]"))
      target.value = target.value === "" ? target.dataset.default : within(target);
  },
  true,
);

document.addEventListener("change", ({ target }) => {
  if (target.matches(".slider")) commit(numberOf(target));
});

document.addEventListener("dblclick", ({ target }) => {
  const slider = target.closest(".slider");
  if (!slider) return;
  const input = numberOf(slider);
  input.value = input.dataset.default;
  commit(input);
});

document.addEventListener("keydown", (event) => {
  const { target } = event;
  if (!target.matches("input[type=number][data-step]") || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
  const [, by] = nudged(event, Number(target.dataset.step));
  target.value = Number((target.valueAsNumber + by).toFixed(6));
  commit(target);
});

/** Lets a number box post its value. */
export function commit(input) {
  input.dispatchEvent(new Event("change", { bubbles: true }));
}

document.addEventListener("click", ({ target }) => {
  // a menu closes when something in it was chosen, or when somebody clicks elsewhere
  for (const menu of document.querySelectorAll("details.more[open]")) {
    if (target.closest(".menu") || !menu.contains(target)) menu.open = false;
  }
  const another = target.closest("[data-another]");
  if (another) {
    const box = another.closest(".field").querySelector("input[type=number]");
    box.value = box.valueAsNumber + 1;
    commit(box);
    return;
  }
  const why = target.closest(".why");
  if (!why) return;
  const help = document.getElementById(why.getAttribute("aria-controls"));
  help.hidden = !help.hidden;
  why.setAttribute("aria-expanded", String(!help.hidden));
});
