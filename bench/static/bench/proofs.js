// Proofs: one is compared with the piece as it stands, by a wipe over the stage, by the difference, and in words.

import { bench, look, setLook, page } from "./look.js";
import { draggable, nudged } from "./drag.js";
import { clamp, svg } from "./svg.js";
import { compared, onFramed } from "./stage.js";

const overlay = document.getElementById("wipe");
const differences = document.getElementById("differences");
const canvas = document.getElementById("flat");

const edge = svg("line", { class: "wipe-edge" });
const grip = svg("rect", { class: "wipe-grip", width: 12, height: 44, x: -6, y: -22, rx: 2 });
const now = Object.assign(svg("text", { class: "wipe-name", x: -14, "text-anchor": "end" }), { textContent: "now" });
const then = svg("text", { class: "wipe-name", x: 14 });
const handle = svg(
  "g",
  { tabindex: 0, role: "slider", "aria-label": "Wipe", "aria-valuemin": 0, "aria-valuemax": 100, "aria-valuenow": 50 },
  edge,
  grip,
  now,
  then,
);
overlay.append(handle);

const moveTo = (part) => setLook({ wipe: clamp(part, 0, 1) });
draggable(handle, { move: (event) => moveTo((event.clientX - canvas.getBoundingClientRect().left) / canvas.clientWidth) });
handle.addEventListener("keydown", (event) => {
  const [across] = nudged(event, 0.01) ?? [];
  if (across !== undefined) moveTo(look.wipe + across);
});

function place() {
  overlay.toggleAttribute("hidden", !compared() || canvas.hidden);
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  const down = 0.3 * height; // clear of the section line and of what lies along the edges
  handle.setAttribute("transform", `translate(${look.wipe * width} ${down})`);
  handle.setAttribute("aria-valuenow", Math.round(100 * look.wipe));
  edge.setAttribute("y1", -down);
  edge.setAttribute("y2", height - down);
}
onFramed(place);

// the trial sheet: what is taken from it closes it, and so does its button
const trial = document.getElementById("trial");
document.addEventListener("click", ({ target }) => {
  if (target.closest("#open-trial")) trial.showModal();
});
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.successful && detail.requestConfig.verb === "post" && trial.contains(detail.elt)) trial.close();
});
trial.addEventListener("close", () => document.getElementById("trial-sheet").replaceChildren()); // nothing of it is made any more

const row = () => document.querySelector(`[data-proof="${look.against}"]`);

/** Shows which proof is compared with, and what lies between. One that was removed is compared with no longer. */
function showProofs() {
  if (look.against !== null && !row()) return setLook({ against: null, apart: false });
  for (const button of document.querySelectorAll("[data-compare]")) {
    button.setAttribute("aria-pressed", String(Number(button.dataset.compare) === look.against));
  }
  differences.hidden = look.against === null;
  if (look.against === null) return;
  then.textContent = row().querySelector(".proof-name").value;
  htmx.ajax("GET", `${differences.dataset.from}?number=${look.against}&base=${page().revision}`, { target: differences, swap: "innerHTML" });
}

document.addEventListener("click", ({ target }) => {
  const number = target.closest("[data-compare]")?.dataset.compare;
  if (number) setLook({ against: Number(number) === look.against ? null : Number(number), apart: false });
  if (target.closest("[data-compare-end]")) setLook({ against: null, apart: false });
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && look.against !== null && !bench.hasAttribute("data-in-hand") && !document.querySelector("dialog[open]")) {
    setLook({ against: null, apart: false });
  }
});
bench.addEventListener("look", ({ detail }) => "against" in detail && showProofs());
document.addEventListener("htmx:afterSettle", ({ detail }) => detail.target.id === "proofs" && showProofs());
document.addEventListener("revision", () => look.against !== null && showProofs());
