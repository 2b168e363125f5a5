// The bench: keeps stage and section in step with the piece, while a control is dragged and after.

import { bench, look, setLook, page, currentView } from "./look.js";
import { fetchPacket, Latest } from "../studio/packet.js";
import * as stage from "./stage.js";
import { drawSection, onDrag } from "./section.js";
import { commit, onDraft, showDraft, showValues } from "./controls.js";
import { showCurves } from "./curve.js";
import { showGrips } from "./arrange.js";
import { inHand, showTool, shownUntil } from "./tools.js";
import { showLayers, showProfiles } from "./layers.js";
import { findTelltales } from "./telltales.js";
import "./proofs.js";
import "./dome.js";
import { belongsTo } from "./keys.js";

const PROXY = 1024; // texels on the long side while something is dragged
const SHARP = 2048; // and when the hand rests
const REST = 250; // ms
const COLOUR_VIEWS = ["whole", "normal"];
const LIT_VIEWS = ["lit", "shaded", "surface"];

const latest = new Latest();
const message = document.getElementById("stage-message");
const flat = document.getElementById("flat");
const solid = document.getElementById("solid");
const hint = document.getElementById("hint");
let rest = null;
let surface = null;
let noSurface = null; // why there is none
let before = false;
let trial = null; // the kind of a layer that is looked at before it is taken
let draft = {};

const drafted = () => Object.fromEntries(Object.entries(draft).map(([path, value]) => [`d.${path}`, value]));

/** Asks for what the stage and the section show, draws it, and sharpens it when nothing more comes. */
function refresh() {
  clearTimeout(rest);
  latest.run(() => show(PROXY));
}

async function show(longest) {
  const { revision: base } = page();
  const solidView = currentView() === "surface";
  const view = solidView ? "lit" : currentView();
  const busy = setTimeout(() => say("Working on it…"), 400);
  try {
    const { layer } = page();
    const parameters = { base, layer, view, longest, section: look.line.join(","), ...drafted() };
    if (look.against !== null) parameters.against = look.against;
    if (before) parameters.before = 1;
    else if (look.apart && look.against !== null && !solidView) parameters.view = "apart";
    if (trial) parameters.try = trial;
    const until = shownUntil();
    if (until !== null && !solidView) parameters.until = until;
    if (look.alone !== null && !solidView && view !== "whole") Object.assign(parameters, { alone: 1, layer: look.alone });
    bench.toggleAttribute("data-in-hand", inHand() && !solidView);
    const packet = await fetchPacket(bench.dataset.preview, parameters);
    showProfiles(packet.arrays.layers);
    drawSection(packet);
    if (solidView) await showSurface(packet);
    if (!solidView || noSurface) stage.draw(packet);
    showStage(solidView && !noSurface);
    hint.classList.toggle("strong", before);
    say(noSurface && solidView ? noSurface : "");
    flat.dataset.drawn = String(Number(flat.dataset.drawn ?? 0) + 1);
    flat.dataset.revision = base;
    const largest = Math.max(...packet.arrays.pixels.shape.slice(0, 2));
    if (longest === PROXY && largest >= PROXY && !solidView && !Object.keys(draft).length) {
      rest = setTimeout(() => latest.run(() => show(SHARP)), REST);
    }
  } catch (problem) {
    say(problem.message);
  } finally {
    clearTimeout(busy);
  }
}

async function showSurface(packet) {
  if (noSurface) return;
  if (!surface) {
    try {
      solid.hidden = false;
      const { surfaceOn } = await import("./surface.js");
      surface = surfaceOn(solid);
    } catch {
      noSurface = "This browser shows no WebGL, so the surface cannot be turned here. The lit relief is shown instead.";
      return;
    }
  }
  const parameters = { base: packet.revision, displaced: look.displaced ? 1 : 0, ...drafted() };
  if (look.mapped) parameters.mapped = 1;
  const picture = async (view, wanted) =>
    wanted && (await fetchPacket(bench.dataset.preview, { base: packet.revision, view, longest: SHARP, ...drafted() })).arrays.pixels;
  const [mesh, normals, colours] = await Promise.all([
    fetchPacket(bench.dataset.mesh, parameters),
    picture("tangent", look.mapped),
    picture("picture", look.coloured),
  ]);
  surface.show(mesh, normals, colours);
}

function showStage(asSurface) {
  solid.hidden = !asSurface;
  flat.hidden = asSurface;
  document.getElementById("line").toggleAttribute("hidden", asSurface);
  document.getElementById("wipe").toggleAttribute("hidden", asSurface || !stage.compared());
  hint.hidden = asSurface;
}

function say(text) {
  message.textContent = text;
  message.hidden = !text;
  message.classList.toggle("aside", Boolean(noSurface));
}

/** Marks the buttons of the stage and shows those that the view has a use for. */
function showTools() {
  const view = currentView();
  const uses = { colour: COLOUR_VIEWS.includes(view), flat: view !== "surface", surface: view === "surface", compared: look.against !== null && view !== "surface" };
  for (const group of document.querySelectorAll(".stage-tools [data-for]")) group.hidden = !uses[group.dataset.for];
  document.getElementById("dome").hidden = !LIT_VIEWS.includes(view);
  const press = (attribute, isPressed) => {
    for (const button of document.querySelectorAll(`[data-${attribute}]`)) {
      button.setAttribute("aria-pressed", String(isPressed(button.dataset[attribute])));
    }
  };
  press("view", (name) => name === view);
  press("channel", (name) => name === look.channel);
  press("toggle", (name) => look[name]);
  press("camera", (name) => name === look.camera);
}

document.getElementById("stage").addEventListener("click", ({ target }) => {
  const { view, channel, toggle, camera } = target.closest("button")?.dataset ?? {};
  if (view) setLook({ views: { ...look.views, [page().step]: view } });
  if (channel) setLook({ channel });
  if (toggle) setLook({ [toggle]: !look[toggle] });
  if (camera) setLook({ camera });
});

bench.addEventListener("look", ({ detail }) => {
  showTools();
  if ("camera" in detail) surface?.aim();
  else if ("light" in detail) surface?.draw();
  else if (!["channel", "repeats", "shifted", "telltales", "wipe"].some((name) => name in detail)) refresh();
});
bench.addEventListener("tool", refresh);

// a treatment is left out as long as its button is held, by pointer or by key
let without = null;
function leaveOut(path) {
  if (path === without) return;
  without = path;
  tryOut(path ? { [path]: "false" } : {});
}
for (const kind of ["pointerdown", "keydown"]) {
  document.addEventListener(kind, (event) => {
    const button = event.target.closest("[data-without]");
    if (button && !button.disabled && (kind === "pointerdown" || event.key === " ")) leaveOut(button.dataset.without);
  });
}
for (const kind of ["pointerup", "pointercancel", "keyup"]) document.addEventListener(kind, () => without && leaveOut(null));

function tryOut(changes) {
  draft = changes;
  showDraft(changes);
  refresh();
}

onDraft({ draft: tryOut });
bench.addEventListener("try", ({ detail }) => {
  if (trial === detail) return;
  trial = detail;
  refresh();
});
bench.addEventListener("draft", ({ detail }) => tryOut(detail));
onDrag({
  draft: tryOut,
  commit: (path, value) => {
    const input = document.getElementById(`section-${path}`) ?? document.getElementsByName(path)[0];
    input.value = value;
    commit(input);
  },
});

for (const kind of ["keydown", "keyup"]) {
  document.addEventListener(kind, (event) => {
    if (event.key.toLowerCase() !== "b" || event.ctrlKey || belongsTo(event.target, "b")) return;
    event.preventDefault();
    if (!event.repeat) hold(kind === "keydown");
  });
}
window.addEventListener("blur", () => before && hold(false));

function hold(held) {
  before = held;
  bench.toggleAttribute("data-before", held);
  refresh();
}

// the server sent other parts of the page: another step, another state of the piece
document.addEventListener("htmx:afterSettle", ({ detail }) => {
  if (!detail.xhr || !document.getElementById("state")) return;
  const { step, revision } = page();
  showParts();
  const { layer } = page();
  if (bench.dataset.step === step && bench.dataset.revision === revision && bench.dataset.layer === layer) return;
  if (bench.dataset.step !== step && look.alone !== null) setLook({ alone: null });
  Object.assign(bench.dataset, { step, revision, layer });
  draft = {};
  showTools();
  findTelltales();
  refresh();
});

// the list of treatments may be sent anew as a whole; it stays where it was scrolled to
let scrolled = 0;
document.addEventListener("htmx:beforeSwap", () => (scrolled = document.getElementById("controls")?.scrollTop ?? 0));
document.addEventListener("htmx:oobAfterSwap", ({ detail }) => {
  if (detail.target.id === "controls") document.getElementById("controls").scrollTop = scrolled;
});

// a change that was refused or lost leaves the bench as it was
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.successful || !Object.keys(draft).length) return;
  draft = {};
  refresh();
});

/** Brings what the server sent to life. */
function showParts() {
  showValues();
  showCurves();
  showGrips();
  showLayers();
  showTool();
}

Object.assign(bench.dataset, page());
showParts();
showTools();
findTelltales();
refresh();
