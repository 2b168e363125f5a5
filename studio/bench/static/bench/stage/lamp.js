// The light and the material that the stage is looked at with. Nothing of it goes into the maps.

import { showIn, within } from "../controls/controls.js";
import { PLAINLY, bench, look, lightDirection, setLook } from "../look.js";
import { CLAY, SOOT } from "../../studio/daylight.js";
import { NEUTRAL } from "../../studio/painting.js";

const panel = document.getElementById("lamp");
const WARM = [1, 0.86, 0.68];
const COOL = [0.8, 0.9, 1];
const SECOND = 0.45; // of the first light's strength, from the other side
const TURN = 14_000; // ms of a sweep once round
const ALBEDO = { plain: CLAY, colour: CLAY, black: SOOT };

/** Lights, ambient and material as the painters take them. */
export function lamp() {
  const { strength, ambient, warm, second } = look.lamp;
  const [x, y, z] = lightDirection();
  const lights = [{ towards: [x, y, z], strength, tint: warm ? WARM : NEUTRAL }];
  if (second) lights.push({ towards: [-x, -y, z], strength: strength * SECOND, tint: COOL });
  return { lights, ambient, material: { albedo: ALBEDO[look.material.kind], roughness: look.material.roughness } };
}

function show() {
  for (const input of panel.querySelectorAll("[data-lamp], [data-material]")) {
    const value = input.dataset.lamp ? look.lamp[input.dataset.lamp] : look.material[input.dataset.material];
    if (input.type === "checkbox") input.checked = value;
    else showIn(input, typeof value === "boolean" ? Number(value) : value);
  }
}

/** What a control of the panel says; nothing for a number that is none. */
function said(input) {
  if (input.type === "checkbox") return input.checked;
  if (input.type === "number") return input.value === "" ? undefined : within(input);
  return input.dataset.lamp === "warm" ? input.value === "1" : input.value;
}

function take({ target }) {
  const { lamp: ofLamp, material: ofMaterial } = target.dataset;
  const value = ofLamp || ofMaterial ? said(target) : undefined;
  if (value === undefined) return;
  if (ofLamp) setLook({ lamp: { ...look.lamp, [ofLamp]: value } });
  else setLook({ material: { ...look.material, [ofMaterial]: value } });
}

panel.addEventListener("input", take);
panel.addEventListener("change", take);
panel.addEventListener("click", ({ target }) => target.closest("[data-plainly]") && setLook({ ...PLAINLY }));

// a slow sweep takes the light once round the surface, as high as it stands
let last = null;
function sweep(now) {
  if (!look.lamp.sweep) {
    last = null;
    return;
  }
  const turn = last === null ? 0 : ((now - last) / TURN) * 2 * Math.PI;
  last = now;
  const [x, y] = look.light;
  const far = Math.max(Math.hypot(x, y), 0.3);
  const angle = Math.atan2(y, x) - turn;
  setLook({ light: [far * Math.cos(angle), far * Math.sin(angle)] });
  requestAnimationFrame(sweep);
}

bench.addEventListener("look", ({ detail }) => {
  if ("lamp" in detail || "material" in detail) show();
  if (detail.lamp?.sweep && last === null) requestAnimationFrame(sweep);
});
show();
if (look.lamp.sweep) requestAnimationFrame(sweep);
