// The light and the material that the stage is looked at with. Nothing of it goes into the maps.

import { PLAINLY, bench, look, lightDirection, setLook } from "./look.js";
import { NEUTRAL } from "../studio/painting.js";

const panel = document.getElementById("lamp");
const WARM = [1, 0.86, 0.68];
const COOL = [0.8, 0.9, 1];
const SECOND = 0.45; // of the first light's strength, from the other side
const TURN = 14_000; // ms of a sweep once round
const ALBEDO = { plain: 0.78, colour: 0.78, black: 0.03 };

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
    else input.value = typeof value === "boolean" ? Number(value) : value;
  }
}

panel.addEventListener("input", ({ target }) => {
  const value = target.type === "checkbox" ? target.checked : target.dataset.lamp === "warm" ? target.value === "1" : target.type === "range" ? Number(target.value) : target.value;
  if (target.dataset.lamp) setLook({ lamp: { ...look.lamp, [target.dataset.lamp]: value } });
  if (target.dataset.material) setLook({ material: { ...look.material, [target.dataset.material]: value } });
});
panel.addEventListener("click", ({ target }) => target.closest("[data-plainly]") && setLook({ ...PLAINLY }));
panel.addEventListener("dblclick", ({ target }) => {
  if (target.type !== "range") return;
  target.value = target.dataset.default;
  target.dispatchEvent(new Event("input", { bubbles: true }));
});

// a slow sweep takes the light once round the surface, as high as it stands
let last = null;
function sweep(now) {
  if (!look.lamp.sweep) return (last = null);
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
