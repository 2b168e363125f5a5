// The list of layers: each with its own small section; moved, named, seen alone; and the gallery that new ones come from.

import { bench, look, page, setLook } from "../look.js";
import { draggable } from "../../studio/drag.js";
import { askJson } from "../../studio/ask.js";

const gallery = document.getElementById("gallery");
const about = document.getElementById("gallery-about");
const TRIED = 250; // ms that the pointer rests on a swatch before it is tried
let focused = null;
let waiting = null;

const rows = () => [...document.querySelectorAll("#layer-list .layer")];
const post = (values) => htmx.ajax("POST", page().layers, { source: bench, swap: "none", values });

/** Draws each layer's own section. `profiles` is float32 (layers, samples), the ground first. */
export function showProfiles(profiles) {
  if (!profiles) return;
  const [, count] = profiles.shape;
  for (const section of document.querySelectorAll("[data-profile]")) {
    const from = Number(section.dataset.profile) * count;
    const heights = profiles.subarray(from, from + count);
    section.querySelector("path").setAttribute("d", outline(heights, 64, 24));
  }
}

function outline(heights, width, height) {
  if (!heights.length) return "";
  const low = Math.min(0, ...heights);
  const span = Math.max(1, ...heights) - low || 1;
  return `M${[...heights].map((value, i) => `${((i * width) / (heights.length - 1)).toFixed(1)} ${(height - 1 - ((value - low) / span) * (height - 2)).toFixed(1)}`).join("L")}`;
}

/** Makes the list's grips draggable, and the marks of the layer that is seen alone. */
export function showLayers() {
  for (const grip of document.querySelectorAll("[data-layer-grip]")) if (!grip.ready) begin(grip);
  if (focused !== null) document.querySelector(`[data-layer-grip="${focused}"]`)?.focus();
  focused = null;
  for (const button of document.querySelectorAll("[data-alone]")) {
    const on = look.alone === Number(button.dataset.alone);
    button.textContent = on ? "Show all layers" : "Show it alone";
    button.closest(".layer").toggleAttribute("data-alone-now", on);
  }
}

function begin(grip) {
  grip.ready = true;
  const number = Number(grip.dataset.layerGrip);
  const row = grip.closest(".layer");
  let to = number;
  draggable(grip, {
    start: () => row.classList.add("held"),
    move: (event) => {
      // the top layer stands first in the list, but last in the pile
      const above = rows().filter(
        (other) => other.getBoundingClientRect().top + other.offsetHeight / 2 < event.clientY,
      ).length;
      to = Math.min(Math.max(rows().length - above - (above > rows().indexOf(row) ? 0 : 1), 0), rows().length - 1);
    },
    end: () => {
      row.classList.remove("held");
      if (to !== number) post({ action: "move", number, to });
      to = number;
    },
  });
  grip.addEventListener("keydown", (event) => {
    const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!by || number + by < 0 || number + by >= rows().length) return;
    event.preventDefault();
    event.stopPropagation();
    focused = number + by;
    post({ action: "move", number, to: number + by });
  });
}

document.addEventListener("click", ({ target }) => {
  if (target.closest("#open-gallery")) openGallery();
  const alone = target.closest("[data-alone]");
  if (alone) {
    const number = Number(alone.dataset.alone);
    setLook({ alone: look.alone === number ? null : number });
    showLayers();
  }
  const rename = target.closest("[data-rename]");
  if (rename) beginName(rename);
  const taken = target.closest("#gallery [data-kind], #gallery [data-from]");
  if (taken) {
    gallery.close();
    const { kind, from } = taken.dataset;
    post(kind ? { action: "add", kind } : { action: "source", from });
  }
});

function beginName(button) {
  const name = button.closest(".layer").querySelector(".layer-name b");
  const input = document.createElement("input");
  [input.value, input.className, input.maxLength] = [button.dataset.name, "naming", 200];
  input.setAttribute("aria-label", "Name of the layer");
  name.replaceWith(input);
  button.closest("details").open = false;
  input.select();
  let done = false;
  const keep = (value) => {
    if (done) return;
    done = true;
    if (value && value !== button.dataset.name) post({ action: "name", number: button.dataset.rename, name: value });
    else input.replaceWith(name);
  };
  input.addEventListener("blur", () => keep(input.value));
  input.addEventListener("click", (event) => event.stopPropagation());
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") keep(input.value);
    if (event.key === "Escape") keep("");
  });
}

function openGallery() {
  gallery.showModal();
  for (const button of gallery.querySelectorAll("[data-section]")) if (!button.drawn) drawSection(button);
}

async function drawSection(button) {
  button.drawn = true;
  const answer = await askJson(button.dataset.section);
  if (answer) button.querySelector("path").setAttribute("d", outline(answer.heights, 96, 18));
  else button.drawn = false;
}

function trying(target) {
  const button = target.closest?.("#gallery [data-kind]");
  if (!button) return;
  clearTimeout(waiting);
  about.textContent = button.querySelector(".visually-hidden")?.textContent.replace(/^: /, "") || about.textContent;
  waiting = setTimeout(() => bench.dispatchEvent(new CustomEvent("try", { detail: button.dataset.kind })), TRIED);
}
gallery.addEventListener("pointerover", ({ target }) => trying(target));
gallery.addEventListener("focusin", ({ target }) => trying(target));
gallery.addEventListener("keydown", (event) => {
  const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 3, ArrowUp: -3 }[event.key];
  const buttons = [...gallery.querySelectorAll("[data-kind], [data-from]")];
  const now = buttons.indexOf(document.activeElement);
  if (!by || now < 0) return;
  event.preventDefault();
  buttons[Math.min(Math.max(now + by, 0), buttons.length - 1)].focus();
});
gallery.addEventListener("close", () => {
  clearTimeout(waiting);
  bench.dispatchEvent(new CustomEvent("try", { detail: null }));
});
