// What the scripts decide by themselves: numbers, packets, and which question is asked when.

import assert from "node:assert/strict";
import { test } from "node:test";

const pace = await import("../../studio/bench/static/bench/stage/pace.js");
const { nudged } = await import("../../studio/static/studio/drag.js");
const { clamp } = await import("../../studio/static/studio/svg.js");
const { fetchPacket } = await import("../../studio/static/studio/packet.js");
const { ask, Latest, Unanswered } = await import("../../studio/static/studio/ask.js");

test("pictures get coarser while they take too long, and finer when they are quick, within bounds", () => {
  const mine = new pace.Pace();
  assert.equal(mine.longest, pace.FINEST);
  for (let i = 0; i < 9; i++) mine.took(500);
  assert.equal(mine.longest, pace.COARSEST);
  mine.took(50); // neither
  assert.equal(mine.longest, pace.COARSEST);
  mine.took(5);
  assert.equal(mine.longest, 2 * pace.COARSEST);
  for (let i = 0; i < 9; i++) mine.took(1);
  assert.equal(mine.longest, pace.FINEST);
});

test("arrow keys move by a step, with shift by ten, and other keys by nothing", () => {
  const pressed = (key, shiftKey = false) => ({ key, shiftKey, preventDefault() {}, stopPropagation() {} });
  assert.deepEqual(nudged(pressed("ArrowRight"), 0.5), [0.5, 0]);
  assert.deepEqual(nudged(pressed("ArrowDown", true), 0.5), [0, -5]);
  assert.equal(nudged(pressed("a"), 1), null);
});

test("clamp keeps a number between two others", () => {
  assert.deepEqual(
    [-1, 0.5, 7].map((value) => clamp(value, 0, 1)),
    [0, 0.5, 1],
  );
});

/** A packet as docs/architecture.md describes it: length, header padded to eight, arrays. */
function packetOf(header, ...arrays) {
  let text = JSON.stringify(header);
  while ((text.length + 4) % 8) text += " ";
  const head = new TextEncoder().encode(text);
  const length = new Uint8Array(4);
  new DataView(length.buffer).setUint32(0, head.length, true);
  return new Blob([length, head, ...arrays]);
}

test("a packet's arrays are read where its header says, with their shapes", async () => {
  const arrays = {
    heights: { type: "float32", shape: [1, 3], offset: 0 },
    pixels: { type: "uint8", shape: [2, 2], offset: 16 },
  };
  const body = packetOf(
    { revision: 7, arrays },
    new Float32Array([1.5, -2, 0.25]),
    new Uint8Array(4),
    new Uint8Array([9, 8, 7, 6]),
  );
  globalThis.fetch = async () => new Response(body);
  const packet = await fetchPacket("/piece/1/preview", { base: 7 });
  assert.equal(packet.revision, 7);
  assert.deepEqual([...packet.arrays.heights], [1.5, -2, 0.25]);
  assert.deepEqual([...packet.arrays.pixels], [9, 8, 7, 6]);
  assert.deepEqual(packet.arrays.pixels.shape, [2, 2]);
});

test("what is short is asked for by address, what is long is posted, and a refusal is said in its own words", async () => {
  const asked = [];
  globalThis.fetch = async (address, options) => {
    asked.push([address, options.method ?? "GET"]);
    return new Response("{}");
  };
  await ask("/x", { a: 1 });
  await ask("/x?y=2", { a: 1 });
  await ask("/x", { a: "1".repeat(4000) });
  assert.deepEqual(asked, [
    ["/x?a=1", "GET"],
    ["/x?y=2&a=1", "GET"],
    ["/x", "POST"],
  ]);
  const refusal = JSON.stringify({ message: "The width must be a number." });
  globalThis.fetch = async () =>
    new Response(refusal, { status: 422, headers: { "Content-Type": "application/json" } });
  await assert.rejects(
    ask("/x"),
    (problem) => problem instanceof Unanswered && /must be a number/.test(problem.message),
  );
});

test("of questions that come while one is under way only the last is asked", async () => {
  const latest = new Latest();
  const done = [];
  let finish;
  const first = latest.run(async () => {
    await new Promise((resolve) => (finish = resolve));
    done.push("first");
  });
  for (const name of ["second", "third", "fourth"]) latest.run(async () => done.push(name));
  finish();
  await first;
  await new Promise((resolve) => setTimeout(resolve));
  assert.deepEqual(done, ["first", "fourth"]);
  assert.equal(latest.busy, false);
});

test("going nearer keeps the place under the pointer where it is, and never goes farther than all", async () => {
  const { sight, zoom, showAll } = await import("../../studio/bench/static/bench/stage/sight.js");
  const onScreen = ([x, y]) => [(x - sight.x) * sight.zoom, (y - sight.y) * sight.zoom];
  const place = [0.3, 0.6];
  zoom(4, 0.5, 0.5);
  const before = onScreen(place);
  zoom(1.7, ...place);
  for (const [number, part] of onScreen(place).entries()) assert.ok(Math.abs(part - before[number]) < 1e-12);
  zoom(1e9);
  assert.equal(sight.zoom, 400);
  zoom(1e-9);
  assert.deepEqual({ ...sight }, { zoom: 1, x: 0.5, y: 0.5 });
  showAll();
});

test("a wall to the right shadows what lies before it while the sun is lower than its top, and hides a part of the sky", async () => {
  const { shadowsFrom } = await import("../../studio/bench/static/bench/stage/shadows.js");
  // four directions; those to the right see the wall at 30 degrees in the left column, and nothing in the right one
  const [ways, high, wide] = [4, 2, 2];
  const horizons = Object.assign(new Uint8Array(ways * high * wide), { shape: [ways, high, wide] });
  for (const way of [0, 3]) for (const row of [0, 1]) horizons[way * 4 + row * 2] = 128;
  const { sky, sun } = shadowsFrom(horizons, 2, 2);
  const at = (degrees, side = 1) => [
    side * Math.cos((degrees * Math.PI) / 180),
    0,
    Math.sin((degrees * Math.PI) / 180),
  ];
  assert.deepEqual([...sun(at(25))], [0, 255, 0, 255]);
  assert.deepEqual([...sun(at(35))], [255, 255, 255, 255]);
  assert.deepEqual([...sun(at(25, -1))], [255, 255, 255, 255]);
  // half of all directions lose sin^2 30 degrees = 1/4 of their sky, so that more of it comes from the left
  const fromAbove = [2, 5, 8, 11].map((place) => Math.round((100 * sky[place]) / 255));
  assert.deepEqual(fromAbove, [87, 100, 87, 100]);
  assert.ok(sky[0] < 128 && sky[3] === 128 && sky[1] === 128);
  // on a picture twice as large the edge runs through its middle
  const large = shadowsFrom(horizons, 4, 4).sun(at(25));
  assert.deepEqual([...large.subarray(0, 4)], [0, 64, 191, 255]);
});

test("of an even sky a slope gets (1 + cos) / 2, and a slope before a wall what lies on its own side", async () => {
  const { shadowsFrom } = await import("../../studio/bench/static/bench/stage/shadows.js");
  const ways = 24;
  const towards = (way) => (2 * Math.PI * (way + 0.5)) / ways;
  const skyOf = (rise) => {
    const sines = Array.from({ length: ways }, (_, way) => 255 * Math.sin(Math.atan(Math.max(rise(towards(way)), 0))));
    const horizons = Object.assign(Uint8Array.from(sines, Math.round), { shape: [ways, 1, 1] });
    const { sky, skyCode } = shadowsFrom(horizons, 1, 1);
    return [(sky[0] - skyCode.none) / skyCode.scale, (sky[1] - skyCode.none) / skyCode.scale, sky[2] / 255];
  };
  const product = (one, other) => one.reduce((sum, part, axis) => sum + part * other[axis], 0);
  for (const degrees of [10, 30, 50]) {
    const [slope, turn] = [(degrees * Math.PI) / 180, 0.7]; // it rises towards `turn`
    const normal = [-Math.sin(slope) * Math.cos(turn), -Math.sin(slope) * Math.sin(turn), Math.cos(slope)];
    const got = product(
      skyOf((way) => Math.tan(slope) * Math.cos(way - turn)),
      normal,
    );
    assert.ok(Math.abs(got - (1 + Math.cos(slope)) / 2) < 0.008, `${degrees} degrees: ${got}`);
    // at the foot of a wall that hides all to the right: half of what faces up, and half of what faces left
    const before = product(
      skyOf((way) => (Math.cos(way) > 0 ? 1e9 : 0)),
      [-Math.sin(slope), 0, Math.cos(slope)],
    );
    assert.ok(
      Math.abs(before - (Math.cos(slope) + Math.sin(slope)) / 2) < 0.008,
      `wall, ${degrees} degrees: ${before}`,
    );
  }
});

test("the tone curve is the Khronos PBR Neutral Tone Mapper, worked out by hand", async () => {
  const { develop } = await import("../../studio/static/studio/tone.js");
  const shown = (...light) => [0, 8, 16].map((bits) => (develop(...light) >>> bits) & 255);
  const srgb = (value) => Math.round(255 * (value <= 0.0031308 ? value * 12.92 : 1.055 * value ** (1 / 2.4) - 0.055));
  assert.deepEqual(shown(0, 0, 0), [0, 0, 0]);
  assert.deepEqual(shown(0.18, 0.18, 0.18), Array(3).fill(srgb(0.14)), "less what a dielectric reflects");
  assert.deepEqual(shown(0.04, 0.04, 0.04), Array(3).fill(srgb(0.01)), "x - x + 6.25 x^2 below 0.08");
  // 0.96 is above 0.76: 1 - 0.24^2 / (0.96 + 0.24 - 0.76)
  assert.deepEqual(shown(1, 1, 1), Array(3).fill(srgb(0.869091)));
  // from 1.96, 0.96, 0.46 the peak becomes 0.96, the others 0.470204 and 0.225306, and 0.130435 of all is white
  assert.deepEqual(shown(2, 1, 0.5), [0.96, 0.53409, 0.321136].map(srgb));
  assert.ok(shown(50, 50, 50).every((level) => level >= 254 && level <= 255));
});

test("somebody who stands on large ground sees from 1.65 m above the highest place before the middle, level with the horizon", async () => {
  const { isGround, standOn } = await import("../../studio/bench/static/bench/stage/outlook.js");
  const positions = new Float32Array([0, -4000, 100, 1000, -3000, 400, -4900, -3000, 900, 0, 3000, 2000]);
  const told = { size: [10_000, 10_000, 2000], upright: false, arrays: { positions } };
  const [place, lookAt] = standOn("ground", told);
  assert.deepEqual(place, [1000, -3000, 400 + 1650], "the hill at the side and the one behind do not count");
  assert.ok(lookAt[1] > place[1] && Math.abs(lookAt[2] - place[2]) < 0.1 * (lookAt[1] - place[1]));
  const [hill, down] = standOn("hill", told);
  assert.ok(hill[1] < -5000 && hill[2] > 2000 && down[2] < hill[2]);
  assert.ok(isGround(told));
  assert.ok(!isGround({ ...told, upright: true }) && !isGround({ ...told, size: [900, 900, 50] }) && !isGround(null));
});

test("a hollow that hides half of the sky is lit by what is around it, as a series of bounces adds it up", async () => {
  const { paintPixels } = await import("../../studio/static/studio/painting.js");
  const { develop } = await import("../../studio/static/studio/tone.js");
  const { SKY, SKYLIGHT } = await import("../../studio/static/studio/daylight.js");
  let shown = null;
  const canvas = { width: 1, height: 1, getContext: () => ({ putImageData: (image) => (shown = image.data) }) };
  globalThis.ImageData = class {
    constructor(width, height) {
      Object.assign(this, { width, height, data: new Uint8ClampedArray(4 * width * height) });
    }
  };
  const pixels = new Uint16Array([32768, 32768, 65535]);
  pixels.shape = [1, 1, 3];
  const albedo = 0.6;
  const lit = { lights: [], ambient: 0.2, material: { albedo: [albedo, albedo, albedo], roughness: 1 } };
  paintPixels(canvas, pixels, {
    lit,
    shadows: { sky: new Uint8Array([128, 128, 128]), skyCode: { scale: 254, none: 128 } },
  });
  const [hidden, enters] = [1 - 128 / 255, 0.955 * albedo];
  const open = SKY.map((sky) => (0.2 * SKYLIGHT * sky) / Math.PI);
  const expected = open.map((sky) => {
    let [whole, bounce] = [sky * (1 - hidden), sky * (1 - hidden) * hidden * enters];
    for (let times = 0; times < 40; times++) {
      whole += bounce;
      bounce *= hidden * enters;
    }
    return whole * enters + sky * (1 - hidden) * 0.045;
  });
  const bits = develop(...expected);
  const told = [bits & 255, (bits >> 8) & 255, (bits >> 16) & 255];
  for (const [channel, value] of told.entries()) assert.ok(Math.abs(value - shown[channel]) <= 1, `${told} ${shown}`);
});

test("the directions of a view at rest add up to the light of an even sky on any slope", async () => {
  // what a plane that is turned away from the zenith sees of it is (1 + cos) / 2 (Lambert 1760, in every textbook of
  // radiative transfer); there is no published bound for so few directions, 5 % is common practice, no source
  const { FRAMES, frameOf } = await import("../../studio/bench/static/bench/stage/resting.js");
  const { Vector3 } = await import("../../studio/static/vendor/three/three.module.js");
  const towards = new Vector3(0.6, 0, 0.8);
  for (const many of Object.values(FRAMES)) {
    const frames = Array.from({ length: many }, (_, number) => frameOf(number, many, towards));
    for (const turned of [0, 0.3, 0.6, 0.9])
      for (const azimuth of [0.2, 1.9, 4.4]) {
        const normal = new Vector3(
          Math.sin(turned) * Math.cos(azimuth),
          Math.sin(turned) * Math.sin(azimuth),
          Math.cos(turned),
        );
        const light = frames.reduce((sum, { sky }) => sum + Math.max(normal.dot(sky), 0), 0) * (2 / many);
        const truth = (1 + Math.cos(turned)) / 2;
        assert.ok(Math.abs(light / truth - 1) < 0.05, `${many} at ${turned}: ${light} for ${truth}`);
      }
    for (const side of ["right", "down"]) {
      const mean = frames.reduce((sum, frame) => sum + frame[side], 0) / many;
      assert.ok(Math.abs(mean) < 0.03, `${side} by ${mean}`);
    }
    const sun = frames.reduce((sum, frame) => sum.add(frame.sun), new Vector3()).divideScalar(many);
    assert.ok(sun.distanceTo(towards) < 0.001);
  }
});

test("what a view at rest does is ended without ending a frame of somebody else", async (context) => {
  const { Rest } = await import("../../studio/bench/static/bench/stage/resting.js");
  const [timers, frames, done] = [new Map(), new Map(), []];
  let number = 6; // of the next one, of either kind, as browsers count both from one
  context.mock.method(globalThis, "setTimeout", (act) => timers.set(7, act) && 7);
  context.mock.method(globalThis, "clearTimeout", (at) => timers.delete(at));
  const before = [globalThis.requestAnimationFrame, globalThis.cancelAnimationFrame];
  globalThis.requestAnimationFrame = (act) => {
    number += 1;
    frames.set(number, act);
    return number;
  };
  globalThis.cancelAnimationFrame = (at) => frames.delete(at);
  const rest = new Rest();
  rest.begin(150, (at) => done.push(at) < 3);
  requestAnimationFrame(() => done.push("another")); // has the number of the timer
  rest.end();
  assert.deepEqual([timers.size, frames.size], [0, 1]);
  frames.clear();
  rest.begin(150, (at) => done.push(at) < 3);
  timers.get(7)();
  for (let times = 0; times < 5; times++)
    for (const [at, act] of [...frames]) {
      frames.delete(at);
      act();
    }
  assert.deepEqual([done, frames.size], [[0, 1, 2], 0]);
  [globalThis.requestAnimationFrame, globalThis.cancelAnimationFrame] = before;
});
