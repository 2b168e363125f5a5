// The bench: keeps stage and section in step with the piece, while a control is dragged and after.

import {
  APART,
  apart,
  bench,
  currentView,
  inSpace,
  look,
  onStage,
  page,
  proofStands,
  setLook,
  ofRelief,
} from "./look.js";
import { Latest } from "../studio/ask.js";
import { fetchPacket } from "../studio/packet.js";
import * as stage from "./stage/stage.js";
import { drawBuilt, drawSection, onDrag, render as renderSection } from "./stage/section.js";
import { commit, onDraft, showDraft, showValues } from "./controls/controls.js";
import { showCurves } from "./controls/curve.js";
import { showGrips } from "./controls/arrange.js";
import { inHand, showHint, showTool, shownUntil } from "./tools/tools.js";
import { showLayers, showProfiles } from "./controls/layers.js";
import { findTelltales } from "./stage/telltales.js";
import { onSight, sight } from "./stage/sight.js";
import { LIT_VIEWS, showChoices } from "./stage/choices.js";
import { drawCut } from "./stage/cut.js";
import { cutAlong, FIGURED, showSurface, space } from "./stage/in_space.js";
import { lay } from "./stage/line_in_space.js";
import { COARSEST, FINEST, Pace } from "./stage/pace.js";
import { besideNow, showLegend } from "./proofs/proofs.js";
import "./stage/dome.js";
import "./controls/folds.js";
import "./stage/kept_views.js";
import "./stage/pointer.js";
import "./stage/tones.js";
import "./proofs/trial.js";
import "./receiver.js";
import "./stills.js";
import { belongsTo } from "./keys.js";

const SHARP = 2048; // texels on the long side when the hand rests
const SHADOWED = 512; // texels on the long side whose horizons are asked for
const REST = 250; // ms
const ANY_HAS = "shaded"; // a view that every state has

const latest = new Latest();
const message = document.getElementById("stage-message");
const flat = document.getElementById("flat");
const solid = document.getElementById("solid");
const hint = document.getElementById("hint");
let rest = null;
const pace = new Pace();
let before = false;
let trial = null; // the kind of a layer that is looked at before it is taken
let draft = {};

const drafted = () => Object.fromEntries(Object.entries(draft).map(([path, value]) => [`d.${path}`, value]));

/** Asks for what the stage and the section show, draws it, and sharpens it when nothing more comes. */
function refresh() {
  run(async (signal) => {
    const moving = Object.keys(draft).length > 0 && !inSpace();
    if (moving && lightMoves()) return show(COARSEST, signal); // a photo is read anew
    const since = performance.now();
    await show(moving ? pace.longest : FINEST, signal);
    if (moving) pace.took(performance.now() - since);
  });
}

/** Whether it is the light of a photo that moves. */
function lightMoves() {
  return Object.keys(draft).some((path) => /content\.light\.(azimuth|elevation)$/.test(path));
}

async function run(work, options) {
  clearTimeout(rest);
  rest = null;
  const done = latest.run(work, options);
  announce();
  await done;
  announce();
}

/** Runs what takes longer when the hand has rested; whatever comes in the meantime goes first. */
function runAtRest(work) {
  rest = setTimeout(() => run(work, { yields: true }), REST);
}

/** Says whether more is to come onto the stage. */
function announce() {
  document.getElementById("stage").ariaBusy = String(rest !== null || latest.busy);
}

/** What a preview is asked with, for the piece as it stands. */
function asked(longest) {
  const solidView = inSpace();
  const changes = proofStands() ? {} : drafted(); // a proof stays as it was kept
  const parameters = {
    base: onStage(),
    ...ofRelief(),
    layer: page().layer,
    view: solidView ? "lit" : currentView(),
    longest,
    section: look.line.join(","),
    ...changes,
  };
  if (look.against !== null && !solidView) parameters.against = look.against;
  if (before) parameters.before = 1;
  else if (apart()) parameters.view = `apart-${look.how}`;
  if (look.card === "in") parameters.card = 1;
  if (trial) parameters.try = trial;
  const until = shownUntil();
  if (until !== null && !solidView) parameters.until = until;
  if (look.alone !== null && !solidView && parameters.view !== "whole")
    Object.assign(parameters, { alone: 1, layer: look.alone });
  return parameters;
}

/** The packet with the colours that its relief is looked at in, where that is wanted. */
async function inColour(packet, parameters, signal) {
  if (look.material.kind !== "colour" || !LIT_VIEWS.includes(parameters.view)) return packet;
  const colours = await fetchPacket(bench.dataset.preview, { ...parameters, view: "colour" }, signal);
  packet.arrays.colours = colours.arrays.pixels;
  packet.arrays.colours_against = colours.arrays.pixels_against;
  return packet;
}

/** The packet of a view; lit where a proof, or the test card, has no such map. */
const viewOf = async (parameters, signal) =>
  inColour(await fetchPacket(bench.dataset.preview, { ...parameters, else: ANY_HAS }, signal), parameters, signal);

let laid = new Map(); // what lies beside the piece, by what it was asked with; a proof does not change

/** What lies beside the piece on the stage: proofs, and the test card. */
async function besides(parameters) {
  const { view, longest, section } = parameters;
  const others = besideNow().map(({ number, label }) => ({
    label,
    asked: { base: number, ...ofRelief(), view, longest, section },
  }));
  if (look.card === "beside" && others.length < 3)
    others.push({ label: "test card", asked: { ...parameters, card: 1 } });
  const next = new Map();
  const packets = others.map(({ asked }) => {
    const key = JSON.stringify([asked, look.material.kind]);
    next.set(key, laid.get(key) ?? viewOf(asked));
    return next.get(key);
  });
  laid = next;
  return Promise.all(packets.map(async (packet, number) => ({ label: others[number].label, packet: await packet })));
}

async function show(longest, signal) {
  const { revision: base } = page();
  const solidView = inSpace();
  const busy = setTimeout(() => say("Working on it…"), 400);
  try {
    const parameters = asked(longest);
    bench.toggleAttribute("data-in-hand", inHand() && !solidView);
    const packet = await viewOf(parameters, signal);
    showProfiles(packet.arrays.layers);
    drawSection(packet);
    if (solidView) await showSurface(packet, drafted(), signal);
    const cut = solidView && space.surface ? await cutAlong(packet, drafted(), signal) : null;
    lay(currentView() === "ways" ? null : cut);
    drawBuilt(look.displaced ? cut : null);
    drawCut(space.surface?.told()?.upright ? cut : null); // of a plane that lies the profile of the relief says it all
    const beside = solidView || inHand() ? [] : await besides(parameters);
    showStage(solidView && !space.problem); // a canvas that is hidden has no size to be drawn at
    if (!solidView || space.problem) stage.draw(packet, beside);
    flat.dataset.shown = parameters.view;
    showChoices();
    showLegend(packet);
    hint.classList.toggle("strong", before);
    say(space.problem && solidView ? space.problem : "");
    flat.dataset.drawn = String(Number(flat.dataset.drawn ?? 0) + 1);
    flat.dataset.revision = base;
    const largest = Math.max(...packet.arrays.pixels.shape.slice(0, 2));
    if (solidView || Object.keys(draft).length) return;
    if (longest === FINEST && largest >= FINEST) runAtRest((later) => show(SHARP, later));
    else if (wantsShadows()) runAtRest(showShadows);
    else goNear();
  } catch (problem) {
    if (problem.name === "AbortError") return;
    say(problem.message);
  } finally {
    clearTimeout(busy);
  }
}

/** Whether the lit relief is to have its shadows, and has them not yet. */
const wantsShadows = () => look.shadowed && currentView() === "lit" && !apart() && !before && !stage.isShaded();

async function showShadows(signal) {
  try {
    const parameters = { ...asked(SHADOWED), view: "horizons" };
    delete parameters.against;
    stage.drawShadows((await fetchPacket(bench.dataset.preview, parameters, signal)).arrays.pixels);
    flat.dataset.shaded = flat.dataset.drawn;
    goNear();
  } catch (problem) {
    if (problem.name !== "AbortError") say(problem.message);
  }
}

/** When single texels come into sight, the part that is seen is asked for at full size. */
function goNear() {
  clearTimeout(rest);
  rest = null;
  const part = stage.seen();
  const alike = apart() || currentView() === "whole" || inHand() || Object.keys(draft).length;
  if (part?.coarse && sight.zoom !== 1 && !alike) runAtRest((signal) => showNear(part.window, signal));
  announce();
}

async function showNear(window, signal) {
  try {
    const parameters = { ...asked(SHARP), part: window.join(",") };
    delete parameters.against;
    const part = await viewOf(parameters, signal);
    stage.drawNear(part);
    flat.dataset.near = part.arrays.pixels.shape.slice(0, 2).join(",");
  } catch (problem) {
    if (problem.name !== "AbortError") say(problem.message);
  }
}
onSight(goNear);

function showStage(asSurface) {
  solid.hidden = !asSurface;
  flat.hidden = asSurface;
  document.getElementById("line").toggleAttribute("hidden", asSurface);
  document.getElementById("wipe").toggleAttribute("hidden", asSurface || !stage.compared());
  for (const name of ["ways", "ways-hint"])
    document.getElementById(name).hidden = !(asSurface && currentView() === "ways");
  for (const name of ["pane-names", "tones", "value"])
    if (asSurface) document.getElementById(name).toggleAttribute("hidden", true);
  hint.hidden = asSurface;
  for (const name of ["figure", "stretch-said", "angles-said"])
    if (!asSurface) document.getElementById(name).hidden = true;
  showHint();
}

function say(text) {
  message.textContent = text;
  message.hidden = !text;
  message.classList.toggle("aside", Boolean(space.problem));
}

const DRAWN_ALONE = [
  "channel",
  "repeats",
  "shifted",
  "telltales",
  "wipe",
  "rectangle",
  "light",
  "lamp",
  "counted",
  "full",
];
let [shownKind, shownHow] = [look.material.kind, look.how];
bench.addEventListener("look", ({ detail }) => {
  showChoices();
  const { kind } = look.material;
  const recoloured = detail.material && [kind, shownKind].includes("colour") && kind !== shownKind;
  const difference =
    "how" in detail && look.how !== shownHow && [look.how, shownHow].some((how) => APART.includes(how));
  [shownKind, shownHow] = [kind, look.how];
  if ("tilt" in detail && look.tilt !== null) space.surface?.tilt(look.tilt);
  else if ("camera" in detail) space.surface?.aim();
  else if (["light", "lamp", "wireframe", "figure", "refined"].some((name) => name in detail)) space.surface?.draw();
  else if ("overlay" in detail && !FIGURED.includes(detail.overlay)) space.surface?.draw();
  else if (detail.material && !recoloured) space.surface?.draw();
  else if ("shadowed" in detail) wantsShadows() && runAtRest(showShadows);
  else if (Object.keys(detail).every((name) => DRAWN_ALONE.includes(name) || (name === "how" && !difference))) return;
  else refresh();
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
for (const kind of ["pointerup", "pointercancel", "keyup"])
  document.addEventListener(kind, () => without && leaveOut(null));

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
    input.value = input.dataset.per ? Number((value / input.dataset.per).toPrecision(10)) : value;
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
  const { layer, relief } = page();
  const same = Object.entries({ step, revision, layer, relief }).every(
    ([name, value]) => bench.dataset[name] === value,
  );
  if (same) return;
  if (bench.dataset.step !== step && look.alone !== null) setLook({ alone: null });
  Object.assign(bench.dataset, { step, revision, layer, relief });
  draft = {};
  showChoices();
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
  renderSection(); // its number boxes may be new
}

Object.assign(bench.dataset, page());
showParts();
showChoices();
findTelltales();
refresh();
