// The tone curve: its stops are dragged on a small graph over the histogram of the heights that reach it.

import { page, ofRelief } from "../look.js";
import { commit, tryOut } from "./controls.js";
import { draggable, nudged } from "../../studio/drag.js";
import { clamp, svg } from "../../studio/svg.js";
import { askJson } from "../../studio/ask.js";

const OUT = 0.12; // a stop dragged this far out of the graph is taken away
const APART = 0.004; // stops stay this far from each other
const STEP = 0.01;

/** Draws every graph on the page. */
export function showCurves() {
  for (const graph of document.querySelectorAll("[data-curve]")) if (!graph.drawn) begin(graph);
}

async function begin(graph) {
  graph.drawn = true;
  const field = graph.closest(".field").querySelector("[data-drawn]");
  const line = graph.querySelector(".curve-line");
  const holder = graph.querySelector(".curve-stops");
  const passage = () => document.querySelector(`[name="${field.name.replace(/stops$/, "passage")}"]`).value;
  const stops = JSON.parse(field.value);
  let asked = 0;

  ground(graph);
  paint();

  function at(event) {
    const box = graph.getBoundingClientRect();
    return [
      ((event.clientX - box.left) / box.width) * 1.12 - 0.06,
      1.06 - ((event.clientY - box.top) / box.height) * 1.12,
    ];
  }

  function paint() {
    draw(stops);
    holder.replaceChildren(...stops.map(dot));
  }

  // The line is computed where the heights are; of the answers that come late only the last is drawn.
  async function draw(shown) {
    asked += 1;
    const mine = asked;
    const answer = await askJson(graph.dataset.line, { stops: JSON.stringify(shown), passage: passage() });
    if (answer && mine === asked) line.setAttribute("d", answer.line);
  }

  function dot(stop, number) {
    const element = svg("ellipse", {
      cx: 100 * stop[0],
      cy: 100 - 100 * stop[1],
      rx: 2.7,
      ry: 4,
      tabindex: 0,
      role: "slider",
      "aria-label": `Stop ${number + 1}`,
      "aria-valuenow": Math.round(100 * stop[1]),
      "aria-valuetext": `${stop[0].toFixed(2)} becomes ${stop[1].toFixed(2)}`,
    });
    let kept = true;
    draggable(element, {
      move: (event) => {
        const [x, y] = at(event);
        kept = stops.length <= 2 || (y > -OUT && y < 1 + OUT && x > -OUT && x < 1 + OUT);
        element.classList.toggle("leaving", !kept);
        put(number, x, y);
        element.setAttribute("cx", 100 * stops[number][0]);
        element.setAttribute("cy", 100 - 100 * stops[number][1]);
        const shown = kept ? stops : stops.filter((_, other) => other !== number);
        draw(shown);
        tryOut({ [field.name]: JSON.stringify(shown) });
      },
      end: () => {
        if (!kept) stops.splice(number, 1);
        keep();
      },
    });
    element.addEventListener("keydown", (event) => {
      const by = nudged(event, STEP);
      if (by) put(number, stops[number][0] + by[0], stops[number][1] + by[1]);
      else if (["Delete", "Backspace"].includes(event.key) && stops.length > 2) stops.splice(number, 1);
      else if (event.key === "+") {
        const other = stops[number + 1] ?? stops[number - 1];
        add((stops[number][0] + other[0]) / 2, (stops[number][1] + other[1]) / 2);
      } else return;
      event.preventDefault();
      keep(number);
    });
    return element;
  }

  function put(number, x, y) {
    const [left, right] = [stops[number - 1]?.[0] ?? -APART, stops[number + 1]?.[0] ?? 1 + APART];
    stops[number] = [clamp(x, left + APART, right - APART), clamp(y, 0, 1)];
  }

  function add(x, y) {
    if (stops.length >= 32 || stops.some((stop) => Math.abs(stop[0] - x) < APART)) return;
    stops.push([x, y]);
    stops.sort((a, b) => a[0] - b[0]);
  }

  function keep(focused) {
    field.value = JSON.stringify(stops.map((stop) => stop.map((part) => Number(part.toFixed(4)))));
    if (focused !== undefined) graph.dataset.focused = focused;
    paint();
    commit(field);
  }

  graph.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || event.target.matches("ellipse")) return;
    add(...at(event).map((part) => clamp(part, 0, 1)));
    keep();
  });
}

async function ground(graph) {
  const { histogram, revision, layer } = page();
  const { until, map } = graph.dataset;
  const answer = await askJson(histogram, { base: revision, ...ofRelief(), layer, ...(map ? { map } : { until }) });
  if (!answer) return;
  const { outline, bins, low, high } = answer;
  const path = graph.querySelector(".curve-ground");
  path.setAttribute("d", outline);
  // the bars stand over the heights they count; the graph shows those from 0 to 1
  path.setAttribute("transform", `translate(${100 * low} 0) scale(${(100 * (high - low)) / bins} 2.5)`);
}
