// The keys of the bench.

import { page, look, setLook } from "./look.js";
import { swapLine } from "./stage/stage.js";
import { toggleRaking } from "./stage/dome.js";
import { fill, showAll, zoom } from "./stage/sight.js";

const dialog = document.getElementById("keys");
const revisions = document.getElementById("revisions");
const STRENGTH_STEP = 0.1;

const strength = (by) => {
  const value = Number((Number(page().strength) + by).toFixed(4));
  const source = document.getElementById("bench");
  htmx.ajax("POST", page().change, { source, swap: "none", values: { "maps.normal.strength": value } });
};

/** Goes to a step. The bench asks, not the link: that may be replaced before its turn has come. */
const goTo = (address) => htmx.ajax("GET", address, { source: document.getElementById("bench"), swap: "none" });

const KEYS = {
  "[": () => strength(-STRENGTH_STEP),
  "]": () => strength(STRENGTH_STEP),
  l: toggleRaking,
  x: swapLine,
  d: () => setLook({ displaced: !look.displaced }),
  t: () => setLook({ repeats: !look.repeats }),
  p: () => document.getElementById("keep-proof")?.click(),
  h: () => setLook({ shifted: !look.shifted }),
  f: () => fill(),
  "+": () => zoom(1.5),
  "=": () => zoom(1.5),
  "-": () => zoom(1 / 1.5),
  0: showAll,
  "?": () => dialog.showModal(),
};

const NAMES = "textarea, input:not([type]), input[type=text], input[type=search]";

/** Whether a key belongs to the element it goes to: figures to a number box, letters to a list, all to a name. */
export function belongsTo(element, key) {
  if (element.matches("input[type=number]")) return /^[\d.,e+-]$/.test(key);
  return element.matches(`select, ${NAMES}`);
}

document.addEventListener("keydown", (event) => {
  if (document.querySelector("dialog[open]")) return;
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && key === "z" && !event.target.matches(NAMES)) {
    event.preventDefault();
    document.getElementById(event.shiftKey ? "redo" : "undo").click();
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey || belongsTo(event.target, key)) return;
  const step = document.querySelector(`.route [data-number="${key}"]`);
  if (step) goTo(step.href);
  else if (KEYS[key] && !event.repeat) KEYS[key]();
  else return;
  event.preventDefault();
});

document.addEventListener("click", ({ target }) => {
  if (target.closest("#show-keys")) dialog.showModal();
  if (target.closest("#show-shares")) document.getElementById("share-dialog").showModal();
  if (target.closest("#show-revisions")) {
    revisions.showModal();
    htmx.trigger("#revisions-list", "open");
  }
  if (target.closest("#revisions-list button")) revisions.close();
  if (target.closest("#close-notice")) target.closest(".notice").remove();
  if (target.closest("#swap-section")) swapLine();
});
