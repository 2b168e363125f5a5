// Large ground as somebody sees it who stands on it: where the camera stands, the sky behind it, its horizon and the haze.

import * as THREE from "../../vendor/three/three.module.js";
import { GROUND, SKY } from "../../studio/daylight.js";

const LARGE = 3000; // mm to a side, from where on somebody could walk on it
const EYES = 1650; // mm above the feet
const EDGE = 0.06; // of its longest side before its lower edge, where the hill is
const HILL = 0.1; // of it, above the highest place
const [SIDES, FRONT] = [0.3, 0.2]; // of its width and depth from the middle: somebody stands at the highest place before
const DOWN = 0.05; // of its depth, how far below the horizon they look
const VISUAL_RANGE = 100e6; // mm: very clear air (common practice, no source)
const CONTRAST = 3.912; // extinction times visual range, where 2 % of the contrast is left (Koschmieder 1924)
const BRIGHT = 1.15; // radiance of the sky at the horizon; higher up it is darker and bluer
export const ZENITH = [0.16, 0.3, 0.62];
const LIT = 7; // radiance of open ground, of its albedo

export const OUTLOOKS = ["hill", "ground"];

/** Whether a surface is ground that somebody could stand on: it lies, and is large. */
export const isGround = (told) => Boolean(told && !told.upright && Math.max(told.size[0], told.size[1]) > LARGE);

/** The highest vertex among those that fulfil a condition on x and y, mm; the middle of the lower edge if there is none. */
function highest(positions, depth, holds) {
  let found = [0, -depth / 2, 0];
  let high = -Infinity;
  for (let at = 0; at < positions.length; at += 3) {
    const [x, y, z] = positions.subarray(at, at + 3);
    if (z > high && holds(x, y)) [found, high] = [[x, y, z], z];
  }
  return found;
}

/** Where the camera stands on an outlook and where it looks, mm from the surface's middle. */
export function standOn(outlook, { size: [width, depth], arrays: { positions } }) {
  const longest = Math.max(width, depth);
  if (outlook === "hill") {
    const high = highest(positions, depth, () => true)[2] + HILL * longest;
    return [
      [0, -depth / 2 - EDGE * longest, high],
      [0, depth * 0.1, 0],
    ];
  }
  const [x, y, z] = highest(positions, depth, (x, y) => Math.abs(x) < width * SIDES && y < -depth * FRONT);
  return [
    [x, y, z + EYES],
    [0, depth / 2, z + EYES - depth * DOWN],
  ];
}

/** What the shaders of the surface and of what is behind it share. */
export const haze = {
  hazy: { value: 0 }, // of the light, lost on each mm; 0 where no air is seen
  horizonLight: { value: new THREE.Color().setRGB(...SKY.map((part) => part * BRIGHT)) },
};

/** Lets the air between the camera and the surface be seen, or not. */
export function setHaze(on) {
  haze.hazy.value = on ? CONTRAST / VISUAL_RANGE : 0;
}

export const HAZE = "uniform float hazy; uniform vec3 horizonLight;\n";
export const IN_HAZE =
  "if (hazy > 0.0) gl_FragColor.rgb = mix(horizonLight, gl_FragColor.rgb, exp(-hazy * length(vViewPosition)));\n";

/** The uniforms of what is seen behind the surface: paper, or a sky over its horizon. */
export const backOf = (paper) => ({
  paper: { value: paper },
  open: { value: false }, // whether there is a sky
  horizon: { value: 0 }, // where it is from the lower edge of the view up, in heights of it
  slope: { value: 1 }, // of what is as far above it as the view is high
  zenith: { value: new THREE.Color().setRGB(...ZENITH) },
  ground: { value: new THREE.Color().setRGB(...GROUND.map((part) => part * LIT)) },
  ...haze,
});

/** What is seen behind the surface at a height from 0 to 1 of the view, in linear light as it is shown. */
export const BEHIND = `
uniform vec3 paper, horizonLight, zenith, ground; uniform bool open; uniform float horizon, slope;
vec3 behind(float height) {
  vec3 light = paper;
  #ifdef TONE_MAPPING
  if (open) {
    float above = (height - horizon) * slope;
    light = above > 0.0 ? mix(zenith, horizonLight, exp(-3.5 * above)) : mix(ground, horizonLight, exp(12.0 * above));
    light = toneMapping(light);
  }
  #endif
  return light;
}
`;

/** What paints it before the surface is drawn, wherever the camera stands. */
export function paintBehind(back) {
  const painted = new THREE.Mesh(
    new THREE.PlaneGeometry(2, 2),
    new THREE.ShaderMaterial({
      uniforms: back,
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 1.0, 1.0); }",
      fragmentShader: `varying vec2 at;\n${BEHIND}void main() {
  gl_FragColor = vec4(behind(at.y), 1.0);
  #include <colorspace_fragment>
}`,
      depthTest: false,
      depthWrite: false,
    }),
  );
  painted.frustumCulled = false;
  painted.renderOrder = -1;
  return painted;
}

/** Puts the horizon where a camera sees it. */
export function setHorizon(back, camera) {
  const forward = camera.getWorldDirection(new THREE.Vector3()).setZ(0);
  const seen = forward.normalize().multiplyScalar(camera.far).add(camera.position).project(camera);
  back.slope.value = 2 * Math.tan((camera.fov * Math.PI) / 360);
  back.horizon.value = forward.lengthSq() ? (seen.y + 1) / 2 : 2;
}
