// How the artist looks at the piece: view, light, section line. It is not part of the piece, so it is kept in the
// browser. What the server keeps stands in #state.

import { AMBIENT } from "../studio/daylight.js";

export const bench = document.getElementById("bench");
const memory = `bench-${bench.dataset.piece}`;

/** The light and the material that everything is looked at with at first. */
export const PLAINLY = {
  light: [-0.58, 0.52],
  lamp: { strength: 1, ambient: AMBIENT, warm: false, second: false, sweep: false },
  material: { kind: "plain", roughness: 0.6 },
};

export const look = {
  views: {},
  channel: "all",
  repeats: false,
  shadowed: false, // whether the lit relief has the shadows that geometry casts
  shifted: false,
  telltales: false,
  alone: null,
  against: null, // the revision of the proof that is compared with
  other: null, // the revision of the proof that stands for the piece meanwhile, where two proofs are compared
  how: "wipe", // compared by a wipe, by a rectangle, or by how far heights or angles are apart
  wipe: 0.5, // where the stage changes from now to the proof, of its width
  rectangle: [0.32, 0.28, 0.68, 0.72], // where the proof shows inside, of the stage
  beside: [], // revisions of proofs that lie beside the piece, at most three
  card: "", // the test card: not shown, beside the piece, or in its place
  counted: false, // whether the histogram is shown
  full: false, // whether the stage fills the screen
  ...PLAINLY,
  line: [0, 0.5, 1, 0.5],
  displaced: true,
  mapped: false,
  detail: "geometry", // how much of the detail the surface shows: its geometry, with the residual, or all of it
  wireframe: false,
  overlay: "", // what is drawn over the surface: its grid, stretch, regions, or the faces seen from behind
  refined: !matchMedia("(prefers-reduced-motion: reduce)").matches, // whether a surface at rest is drawn ever finer
  figure: false, // whether something known stands beside the surface
  camera: "three-quarter",
  tilt: null, // degrees from straight above, once it was set by hand
  ...JSON.parse(sessionStorage.getItem(memory) ?? "{}"),
};

/** Takes changes to the look over, keeps them, and tells the parts that show them. */
export function setLook(changes) {
  Object.assign(look, changes);
  sessionStorage.setItem(memory, JSON.stringify(look));
  bench.dispatchEvent(new CustomEvent("look", { detail: changes }));
}

/** Step, revision and addresses of the page as the server last sent them. */
export const page = () => document.getElementById("state").dataset;

/** The relief that is worked on, as every question names it. */
export const ofRelief = () => ({ relief: page().relief });

/** The view chosen at this step, or the step's first. */
export function currentView() {
  const offered = [...document.querySelectorAll("[data-view]")].map((button) => button.dataset.view);
  const chosen = look.views[page().step];
  return offered.includes(chosen) ? chosen : offered[0];
}

/** The channel that is looked at alone, of a picture with so many; all where it has no such channel. */
export const channelOf = (channels) => (look.channel === "alpha" && channels < 4 ? "all" : look.channel);

/** Whether the stage shows the surface in space. */
export const inSpace = () => ["surface", "ways"].includes(currentView());

/** Ways of comparing that draw how far the piece and a proof are apart: their heights, or their normals. */
export const APART = ["heights", "angles"];

/** Whether the stage shows how far the piece and a proof are apart. */
export const apart = () => look.against !== null && APART.includes(look.how) && !inSpace();

/** Whether a proof stands on the stage for the piece, where two proofs are compared. */
export const proofStands = () => look.against !== null && look.other !== null && !inSpace();

/** The revision on the stage. */
export const onStage = () => (proofStands() ? look.other : page().revision);

/** Direction towards the light, unit length: x right, y up, z out of the surface. */
export function lightDirection() {
  const [x, y] = look.light;
  return [x, y, Math.sqrt(Math.max(0, 1 - x * x - y * y))];
}
