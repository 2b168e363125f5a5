// A still that is seen as the stage stands: the form is sent with where its camera and its light are.

import { bench, lightDirection } from "../look.js";
import { space } from "./in_space.js";

bench.addEventListener("htmx:configRequest", ({ detail: { elt, parameters } }) => {
  if (elt.id !== "still-form") return;
  const list = (values) => values.map((value) => Number(value.toFixed(4))).join(",");
  parameters.towards = list(lightDirection());
  if (space.surface?.told()) parameters.camera = list(space.surface.standsAt());
});
