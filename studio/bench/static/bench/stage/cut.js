// The section of a surface in space: its outline where the line A to A′ cuts it, over the outline of its base.

import { svg } from "../../studio/svg.js";

const drawing = document.getElementById("cut-drawing");
const ROOM = 10; // px around it
const base = svg("path", { class: "cut-base" });
const outline = svg("path", { class: "cut-line" });
drawing.append(base, outline);

/** Draws what a plane cuts, both as segments in mm; nothing for a surface that is flat. */
export function drawCut(packet) {
  const there = Boolean(packet?.arrays.cut.length);
  drawing.toggleAttribute("hidden", !there);
  if (!there) return;
  const { cut, cut_base: before } = packet.arrays;
  const [low, high] = bounds(cut, before);
  const [width, height] = [drawing.clientWidth, drawing.clientHeight];
  const scale = Math.min(
    ...[0, 1].map((side) => ([width, height][side] - 2 * ROOM) / Math.max(high[side] - low[side], 1e-6)),
  );
  // the front lies below, as it is seen from above
  const x = (along) => (width / 2 + (along - (low[0] + high[0]) / 2) * scale).toFixed(1);
  const y = (out) => (height / 2 + (out - (low[1] + high[1]) / 2) * scale).toFixed(1);
  const path = (segments) => {
    let text = "";
    for (let i = 0; i < segments.length; i += 4)
      text += `M${x(segments[i])} ${y(segments[i + 1])}L${x(segments[i + 2])} ${y(segments[i + 3])}`;
    return text;
  };
  base.setAttribute("d", path(before));
  outline.setAttribute("d", path(cut));
}

function bounds(...lists) {
  const low = [Infinity, Infinity];
  const high = [-Infinity, -Infinity];
  for (const list of lists)
    for (let i = 0; i < list.length; i++) {
      low[i % 2] = Math.min(low[i % 2], list[i]);
      high[i % 2] = Math.max(high[i % 2], list[i]);
    }
  return [low, high];
}
