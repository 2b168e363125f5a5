// Maps looked at large: each alone, by channel, lit, and full screen.

import { Latest } from "../studio/ask.js";
import { fetchPacket } from "../studio/packet.js";
import { paintPixels } from "../studio/painting.js";

const viewer = document.getElementById("viewer");
const canvas = document.getElementById("map-canvas");
const views = document.getElementById("map-views");
const message = document.getElementById("viewer-message");
const maps = [...document.querySelectorAll("[data-map]")];
const latest = new Latest();
let map = maps[0];
let view = "picture";
let packet = null;
let towards = [-0.5, 0.45, 0.74];

function choose(chosen, wanted = "picture") {
  map = chosen;
  view = wanted;
  for (const other of maps) other.setAttribute("aria-pressed", String(other === map));
  const channels = map.dataset.channels.split(",");
  const offered = [
    ["picture", "Picture"],
    ["lit", "Lit"],
    ...(channels.length > 1 ? channels.map((name) => [name, name[0].toUpperCase() + name.slice(1)]) : []),
  ];
  views.replaceChildren(
    ...offered.map(([name, label]) => {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = label;
      button.dataset.show = name;
      button.setAttribute("aria-pressed", String(name === view));
      return button;
    }),
  );
  latest.run(load);
}

async function load() {
  const waiting = setTimeout(() => say("Reading the map…"), 300);
  try {
    packet = await fetchPacket(map.dataset.map, { view });
    paint();
    say(view === "lit" ? "" : "");
    canvas.dataset.shown = `${map.dataset.map} ${view}`;
  } catch (problem) {
    say(problem.message);
  } finally {
    clearTimeout(waiting);
  }
}

function say(text) {
  message.textContent = text;
  message.hidden = !text;
}

function paint() {
  if (!packet) return;
  paintPixels(canvas, packet.arrays.pixels, { towards });
  const [wide, high] = packet.footprint;
  const scale = Math.min(viewer.clientWidth / wide, viewer.clientHeight / high);
  [canvas.style.width, canvas.style.height] = [`${wide * scale}px`, `${high * scale}px`];
}

views.addEventListener("click", ({ target }) => target.dataset.show && choose(map, target.dataset.show));
for (const other of maps) other.addEventListener("click", () => choose(other, view === "lit" ? "lit" : "picture"));
document
  .getElementById("full-screen")
  .addEventListener("click", () =>
    document.fullscreenElement ? document.exitFullscreen() : viewer.requestFullscreen(),
  );
for (const form of document.querySelectorAll(".assign")) form.addEventListener("change", () => form.requestSubmit());

// the light follows the pointer over a lit map
canvas.addEventListener("pointermove", (event) => {
  if (view !== "lit") return;
  const box = canvas.getBoundingClientRect();
  let [x, y] = [((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2];
  const far = Math.hypot(x, y);
  if (far > 0.95) [x, y] = [(x / far) * 0.95, (y / far) * 0.95];
  towards = [x, y, Math.sqrt(1 - x * x - y * y)];
  paint();
});
new ResizeObserver(paint).observe(viewer);
if (map) choose(map);
