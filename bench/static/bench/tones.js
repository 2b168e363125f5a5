// The histogram of what is on the stage: how often each level is drawn, channel by channel.

import { bench, look } from "./look.js";
import { onFramed, pixelsShown } from "./stage.js";
import { svg } from "./svg.js";

const drawing = document.getElementById("tones");
const LEVELS = 256;
const COLOURS = ["#d8402f", "#3f9a4d", "#3f74c8", "#f1f5f4"];
const MOST = 1_000_000; // samples that are counted
let counted = null; // the pixels that were counted last

function show() {
  const pixels = pixelsShown();
  const on = look.counted && pixels instanceof Uint8Array;
  drawing.toggleAttribute("hidden", !on);
  if (!on || counted === pixels) return;
  counted = pixels;
  const channels = pixels.shape[2] ?? 1;
  const counts = Array.from({ length: channels }, () => new Uint32Array(LEVELS));
  const step = channels * Math.max(1, Math.floor(pixels.length / channels / MOST));
  for (let i = 0; i < pixels.length; i += step) for (let channel = 0; channel < channels; channel++) counts[channel][pixels[i + channel]]++;
  const most = Math.max(...counts.flatMap((each) => [...each]));
  drawing.replaceChildren(
    ...counts.map((each, channel) => {
      // the root keeps levels visible that are rare
      const bars = [...each].map((count, level) => `V${(60 - 58 * Math.sqrt(count / most)).toFixed(1)}H${level + 1}`).join("");
      return svg("path", { d: `M0 60${bars}V60z`, fill: channels === 1 ? COLOURS[3] : COLOURS[channel] });
    }),
  );
  const used = counts.map((each) => each.reduce((sum, count) => sum + (count > 0), 0));
  drawing.setAttribute("aria-label", `Histogram; levels used: ${used.join(", ")}`);
  drawing.dataset.used = used.join(",");
}

onFramed(show);
bench.addEventListener("look", ({ detail }) => "counted" in detail && show());
