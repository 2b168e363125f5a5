// Views that are kept under a name: the form is sent with where camera and light stand, a view that is chosen puts them there.

import { bench, lightDirection, setLook } from "../look.js";
import { space } from "./in_space.js";

const list = (values) => values.map((value) => Number(value.toPrecision(7))).join(",");
const numbers = (text) => text.split(",").map(Number);

/** Says in a request where camera and light of the stage stand. */
export function sayView(parameters) {
  parameters.towards = list(lightDirection());
  if (!space.surface?.told()) return;
  parameters.camera = list(space.surface.standsAt());
  parameters.look_at = list(space.surface.looksAt());
  parameters.open_air = space.surface.isOpenAir() ? "1" : "";
}

bench.addEventListener("htmx:configRequest", ({ detail: { elt, parameters } }) => {
  if (elt.id === "keep-view") sayView(parameters);
});

bench.addEventListener("click", ({ target }) => {
  const view = target.closest("[data-kept-view]")?.dataset;
  if (!view || !space.surface?.told()) return;
  const camera = view.openAir ? "hill" : "three-quarter"; // from there it goes to its own place
  setLook({ light: numbers(view.towards).slice(0, 2), camera, tilt: null });
  space.surface.standAtPlace(numbers(view.keptView), numbers(view.lookAt));
  for (const button of bench.querySelectorAll("[data-camera]")) button.setAttribute("aria-pressed", "false");
});
