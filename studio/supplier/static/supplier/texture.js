// A surface of the catalogue: each map large, and all of them lit on a plane that turns.

import * as THREE from "../vendor/three/three.module.js";
import { Latest } from "../studio/ask.js";
import { fetchPacket } from "../studio/packet.js";
import { paintPixels } from "../studio/painting.js";
import { PAPER } from "../studio/palette.js";

const viewer = document.getElementById("viewer");
const flat = document.getElementById("map-canvas");
const turning = document.getElementById("turning");
const message = document.getElementById("viewer-message");
const buttons = [...document.querySelectorAll("[data-show]")];
const latest = new Latest();
const PATIENCE = 400; // ms before waiting is said
const SEGMENTS = 256;
const TURN = 0.25; // radians in a second
const SLOW = 60; // ms of a frame
const still = matchMedia("(prefers-reduced-motion: reduce)");
let scene = null;

function say(text) {
  message.textContent = text;
  message.hidden = !text;
}

/** One map from the supplier, asked for again when the answer does not come. */
async function map(role) {
  const waiting = setTimeout(() => say("The supplier takes its time…"), PATIENCE);
  try {
    return await fetchPacket(`${viewer.dataset.maps}${role}`, {});
  } finally {
    clearTimeout(waiting);
  }
}

function choose(shown) {
  for (const button of buttons) button.setAttribute("aria-pressed", String(button.dataset.show === shown));
  latest.run(async () => {
    try {
      if (shown === "turning") await turn();
      else await lay(shown);
      say("");
    } catch (problem) {
      say(`${problem.message} Choose it again to try again.`);
    }
    flat.hidden = shown === "turning";
    turning.hidden = shown !== "turning";
    viewer.dataset.shown = shown;
  });
}

async function lay(role) {
  const { arrays } = await map(role);
  paintPixels(flat, arrays.pixels, {});
  const side = `${Math.min(viewer.clientWidth, viewer.clientHeight)}px`;
  [flat.style.width, flat.style.height] = [side, side];
}

async function turn() {
  if (scene) return;
  let renderer;
  try {
    renderer = new THREE.WebGLRenderer({ canvas: turning, antialias: true, preserveDrawingBuffer: true });
  } catch {
    throw new Error("This browser has no WebGL; look at the single maps instead.");
  }
  const [colour, height, normal, roughness] = await Promise.all(["colour", "height", "normal", "roughness"].map(map));
  const material = new THREE.MeshStandardMaterial({
    map: texture(colour, THREE.SRGBColorSpace),
    normalMap: texture(normal),
    roughnessMap: texture(roughness),
    displacementMap: texture(height),
    displacementScale: (2 * Number(viewer.dataset.depth)) / Number(viewer.dataset.width),
  });
  scene = new THREE.Scene();
  const plane = new THREE.Mesh(new THREE.PlaneGeometry(2, 2, SEGMENTS, SEGMENTS), material);
  const sun = new THREE.DirectionalLight(0xfffaf0, 3);
  sun.position.set(-1.2, 1.1, 1.1);
  scene.add(plane, sun, new THREE.HemisphereLight(PAPER, 0x4a5154, 0.8));
  const camera = new THREE.PerspectiveCamera(30, 1, 0.1, 20);
  camera.up.set(0, 0, 1);
  camera.position.set(0, -4.1, 2.7);
  camera.lookAt(0, 0, 0);
  const begun = performance.now();
  const draw = (now) => {
    if (turning.hidden) return;
    renderer.setClearColor(getComputedStyle(viewer).backgroundColor);
    plane.rotation.z = still.matches ? 0.5 : 0.5 + ((now - begun) / 1000) * TURN;
    renderer.render(scene, camera);
    turning.dataset.drawn = String(Number(turning.dataset.drawn ?? 0) + 1);
  };
  const fit = () => {
    const [width, height_] = [viewer.clientWidth, viewer.clientHeight];
    renderer.setPixelRatio(window.devicePixelRatio);
    renderer.setSize(width, height_, false);
    camera.aspect = width / height_;
    camera.updateProjectionMatrix();
  };
  fit();
  new ResizeObserver(() => {
    fit();
    requestAnimationFrame(draw); // a canvas that gets another size is empty
  }).observe(viewer);
  // who wants nothing to move sees it stand still
  if (!still.matches) keepTurning(draw, renderer.getContext());
}

/** Draws again and again; where a frame takes long, as without a graphics card, half of the time is left to others. */
function keepTurning(draw, gl) {
  const next = (now) => {
    const begun = performance.now();
    draw(now);
    // which waits until it is drawn
    if (!turning.hidden) gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
    const took = performance.now() - begun;
    setTimeout(() => requestAnimationFrame(next), took > SLOW ? took : 0);
  };
  requestAnimationFrame(next);
}

function texture({ arrays }, colourSpace = THREE.NoColorSpace) {
  const canvas = document.createElement("canvas");
  paintPixels(canvas, arrays.pixels, {});
  const made = new THREE.CanvasTexture(canvas);
  made.colorSpace = colourSpace;
  made.anisotropy = 8;
  return made;
}

for (const button of buttons) button.addEventListener("click", () => choose(button.dataset.show));
choose("turning");
