// Telltales: the places that will give the repeat away are marked on the stage, each with a button that heals it.

import { bench, look, page, ofRelief } from "../look.js";
import { frame, onFramed } from "./stage.js";
import { svg } from "../../studio/svg.js";
import { askJson } from "../../studio/ask.js";

const overlay = document.getElementById("telltales");
let places = [];

/** Asks for the telltales of the state that is shown. */
export async function findTelltales() {
  if (!look.telltales) return show();
  places = (await askJson(page().repeats, { base: page().revision, ...ofRelief() }))?.telltales ?? [];
  show();
}

function show() {
  const on = look.telltales && document.querySelector("[data-toggle=telltales]");
  overlay.toggleAttribute("hidden", !on);
  if (!on || !frame.footprint) return;
  overlay.dataset.found = places.length;
  const marks = places.map(({ x, y, radius }, number) => {
    const [left, top] = [frame.left + x * frame.width, frame.top + y * frame.height];
    const r = Math.max(10, (radius / frame.footprint[0]) * frame.width);
    const label = svg("text", { x: 0, y: r + 15 });
    label.textContent = "Heal this";
    const mark = svg(
      "g",
      {
        transform: `translate(${left} ${top})`,
        tabindex: 0,
        role: "button",
        "aria-label": `Heal telltale ${number + 1}`,
        "data-telltale": number,
      },
      svg("circle", { r }),
      label,
    );
    return mark;
  });
  if (!marks.length) {
    const none = svg("text", { x: "50%", y: "50%" });
    none.textContent = "No place stands out";
    marks.push(none);
  }
  overlay.replaceChildren(...marks);
}

function heal(mark) {
  const { x, y, radius } = places[Number(mark.dataset.telltale)];
  htmx.ajax("POST", page().heal, { source: bench, swap: "none", values: { x, y, radius } });
}

overlay.addEventListener("click", ({ target }) => {
  const mark = target.closest("[data-telltale]");
  if (mark) heal(mark);
});
overlay.addEventListener("keydown", (event) => {
  if (!["Enter", " "].includes(event.key) || !event.target.dataset.telltale) return;
  event.preventDefault();
  heal(event.target);
});
bench.addEventListener("look", ({ detail }) => "telltales" in detail && findTelltales());
onFramed(show);
