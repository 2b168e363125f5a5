// Tools that set parameters on the stage. One is taken up at a time. Each is a file in `tools/` and says its kind and a
// hint. On the picture it says how it is shown, and the stage shows the relief as it reaches the treatment that the tool
// belongs to; in space it says what a click or a drag on the surface does.

import { bench } from "../look.js";
import { commit } from "../controls/controls.js";
import { onFramed } from "../stage/stage.js";
import { hand, overlay } from "./hand.js";
import { canvas, letWork } from "./space.js";

// the page names the files, as only the server can look into a folder
const files = await Promise.all(bench.dataset.tools.split(" ").map((address) => import(address)));
const TOOLS = Object.fromEntries(files.map((tool) => [tool.kind, tool]));
const hint = document.getElementById("tool-hint");

const inSpace = () => Boolean(hand.taken && TOOLS[hand.taken.kind].inSpace);

/** How many treatments of the layer the stage shows for the tool in the hand; null for all of them. */
export function shownUntil() {
  const { taken } = hand;
  return taken && taken.number !== null ? taken.number + (TOOLS[taken.kind].after ?? 0) : null;
}

/** Whether a tool of the picture is in the hand. */
export const inHand = () => Boolean(hand.taken) && !inSpace();

function take(kind, owner, number) {
  const same = hand.taken?.kind === kind && hand.taken.owner === owner;
  hand.taken = same ? null : { kind, owner, number, beyond: TOOLS[kind].beyond };
  show();
  bench.dispatchEvent(new CustomEvent("tool"));
}

/** Puts the tool down when its treatment is gone, and shows it where its treatment now is. */
export function showTool() {
  const { taken } = hand;
  if (taken && !document.querySelector(`[data-owner="${taken.owner}"] [data-tool="${taken.kind}"]`)) {
    hand.taken = null;
    bench.dispatchEvent(new CustomEvent("tool"));
  }
  show();
}

function show() {
  const { taken } = hand;
  for (const button of document.querySelectorAll("[data-tool]")) {
    const on =
      taken && button.dataset.tool === taken.kind && button.closest("[data-owner]").dataset.owner === taken.owner;
    button.setAttribute("aria-pressed", String(Boolean(on)));
  }
  overlay.replaceChildren();
  overlay.toggleAttribute("hidden", !inHand());
  overlay.dataset.kind = inHand() ? taken.kind : "";
  canvas.dataset.hold = inSpace() ? taken.kind : "";
  showHint();
  if (inHand()) TOOLS[taken.kind].show();
}

/** Says what the tool in the hand does, while what it works on is shown. */
export function showHint() {
  hint.hidden = !hand.taken || (inSpace() && canvas.hidden);
  hint.textContent = hand.taken ? TOOLS[hand.taken.kind].hint : "";
}

document.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-tool]");
  if (button)
    take(
      button.dataset.tool,
      button.closest("[data-owner]").dataset.owner,
      button.dataset.number === undefined ? null : Number(button.dataset.number),
    );
  const clear = target.closest("[data-clear]");
  if (clear) {
    const field = clear.closest(".field").querySelector("[data-drawn]");
    field.value = "[]";
    commit(field);
  }
  const last = target.closest("[data-drop-last]");
  if (last) {
    const field = last.closest(".field").querySelector("[data-drawn]");
    field.value = JSON.stringify(JSON.parse(field.value).slice(0, -1));
    commit(field);
  }
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && hand.taken && !document.querySelector("dialog[open]"))
    take(hand.taken.kind, hand.taken.owner, hand.taken.number);
});
onFramed(() => hand.drawing || show());
letWork(() => (inSpace() ? TOOLS[hand.taken.kind] : null));
