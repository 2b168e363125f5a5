// The histogram of what is on the stage: how often each level is drawn, channel by channel.

import { bench, channelOf, look } from "../look.js";
import { onFramed, pixelsShown } from "./stage.js";
import { svg } from "../../studio/svg.js";

const drawing = document.getElementById("tones");
const LEVELS = 256;
const COLOURS = ["#d8402f", "#3f9a4d", "#3f74c8", "var(--paper)"];
const RGBA = ["red", "green", "blue", "alpha"];
let drawn = null; // the pixels and the channel that were drawn last

function show() {
  const pixels = pixelsShown();
  const on = look.counted && pixels instanceof Uint8Array;
  drawing.toggleAttribute("hidden", !on);
  if (!on) return;
  const channels = pixels.shape[2] ?? 1;
  const only = channels > 1 ? channelOf(channels) : "all";
  if (drawn?.pixels === pixels && drawn.only === only) return;
  drawn = { pixels, only };
  const counts = Array.from({ length: channels }, () => new Uint32Array(LEVELS));
  for (let i = 0; i < pixels.length; i += channels)
    for (let channel = 0; channel < channels; channel++) counts[channel][pixels[i + channel]]++;
  drawing.replaceChildren(
    ...counts.flatMap((each, channel) => {
      if (only !== "all" && only !== RGBA[channel]) return [];
      // each by its own highest, as a channel that is one value everywhere would leave nothing of the others; the root
      // keeps levels visible that are rare
      const most = Math.max(...each);
      const bars = [...each]
        .map((count, level) => `V${(60 - 58 * Math.sqrt(count / most)).toFixed(1)}H${level + 1}`)
        .join("");
      return svg("path", { d: `M0 60${bars}V60z`, fill: channels === 1 ? COLOURS[3] : COLOURS[channel] });
    }),
  );
  const used = counts.map((each) => each.reduce((sum, count) => sum + (count > 0), 0));
  drawing.setAttribute("aria-label", `Histogram; levels used: ${used.join(", ")}`);
  drawing.dataset.used = used.join(",");
}

onFramed(show);
bench.addEventListener("look", ({ detail }) => ("counted" in detail || "channel" in detail) && show());
