// What is chosen on the stage itself: view, channel, repeats, camera, test card.

import { apart, channelOf, currentView, inSpace, look, page, setLook } from "../look.js";
import { showIn, within } from "../controls/controls.js";
import * as stage from "./stage.js";

/** Views that are lit, so that the light can be moved. */
export const LIT_VIEWS = ["lit", "shaded", "surface", "ways"];

let tilted = 0; // degrees from straight above that the camera stands at

/** Marks the choices on the stage and shows those that the view has a use for. */
export function showChoices() {
  const view = currentView();
  const solidView = inSpace();
  const channels = stage.pixelsShown()?.shape[2] ?? 1;
  const map = !solidView && stage.pixelsShown() instanceof Uint8Array && !apart();
  const uses = {
    colour: map && channels > 1,
    map,
    flat: !solidView,
    shaded: view === "lit" && !apart(),
    surface: view === "surface",
    solid: solidView,
    ground: solidView && document.getElementById("solid").hasAttribute("data-ground"),
    compared: look.against !== null && !solidView,
    comparing: (look.against !== null || look.beside.length > 0) && !solidView,
  };
  for (const group of document.querySelectorAll(".stage [data-for]")) group.hidden = !uses[group.dataset.for];
  document.querySelector("[data-channel=alpha]").hidden = channels < 4;
  const lit = LIT_VIEWS.includes(view) && !apart();
  document.getElementById("dome").hidden = document.getElementById("lamp").hidden = !lit;
  const press = (attribute, isPressed) => {
    for (const button of document.querySelectorAll(`button[data-${attribute}]`)) {
      button.setAttribute("aria-pressed", String(isPressed(button.dataset[attribute])));
    }
  };
  press("view", (name) => name === view);
  press("channel", (name) => name === channelOf(channels));
  press("toggle", (name) => look[name]);
  press("camera", (name) => name === look.camera && look.tilt === null);
  press("detail", (name) => name === look.detail);
  press("how", (name) => name === look.how);
  press("fill", () => look.full);
  const more = document.getElementById("more-views");
  if (more) more.value = more.querySelector(`option[data-view="${view}"]`) ? view : "";
  document.getElementById("card").value = look.card;
  document.getElementById("overlay").value = look.overlay;
  showIn(document.getElementById("tilt"), tilted);
  const fold = document.getElementById("stage-more");
  const changed = look.detail !== "geometry" || look.overlay !== "" || look.wireframe || look.figure || !look.refined;
  fold.toggleAttribute("data-changed", changed);
}

const showView = (view) => setLook({ views: { ...look.views, [page().step]: view } });

document.getElementById("stage").addEventListener("click", ({ target }) => {
  const { view, channel, toggle, camera, how, detail } = target.closest("button")?.dataset ?? {};
  if (view) showView(view);
  if (channel) setLook({ channel });
  if (toggle) setLook({ [toggle]: !look[toggle] });
  if (camera) setLook({ camera, tilt: null });
  if (how) setLook({ how });
  if (detail) setLook({ detail });
});
document.getElementById("stage").addEventListener("input", ({ target }) => {
  if (target.id === "more-views" && target.value) showView(target.value);
  if (target.id === "card") setLook({ card: target.value });
  takeTilt(target);
});
document.getElementById("stage").addEventListener("change", ({ target }) => {
  if (target.id === "overlay") setLook({ overlay: target.value });
  takeTilt(target);
});
document.addEventListener("pointerdown", ({ target }) => {
  const fold = document.getElementById("stage-more");
  if (fold?.open && !fold.contains(target) && target.closest("#stage")) fold.open = false;
});
document.getElementById("stage").addEventListener("tilted", ({ detail }) => {
  tilted = detail;
  showIn(document.getElementById("tilt"), tilted);
});

function takeTilt(box) {
  if (box.id === "tilt" && box.value !== "") setLook({ tilt: within(box) });
}
