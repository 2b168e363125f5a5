// A view at rest: frames are added up, each with another place within the pixel, another point of the sun's disc and
// another direction of the sky, until edges are smooth, shadows have their penumbras and hollows see less of the sky.

import * as THREE from "../../vendor/three/three.module.js";
import { BEHIND } from "./outlook.js";

export const FRAMES = { card: 96, processor: 16 }; // added up, by what draws
const SUN = 0.53 / 2; // degrees from the middle of the sun's disc to its rim, as seen from the earth
const GOLDEN = (1 + Math.sqrt(5)) / 2;

/**
 * A point of the unit square, one of so many that spread evenly together, in an order in which the first of them do so
 * too: a Fibonacci lattice. On a half sphere it is a spiral, by which few directions add up to the light of an even sky on
 * any slope (Marques et al. 2013, Spherical Fibonacci Point Sets for Illumination Integrals, Computer Graphics Forum 32).
 */
function point(number, many) {
  const at = (number * strideOf(many)) % many;
  return [(at + 0.5) / many, ((at + 0.5) / GOLDEN) % 1];
}

/** The step that goes through all of so many numbers and is nearest to the golden section of them. */
function strideOf(many) {
  let stride = Math.round(many / GOLDEN);
  while (stride > 1 && largestDivisor(stride, many) > 1) stride--;
  return stride;
}

/** The largest that divides both numbers. */
const largestDivisor = (one, other) => (other ? largestDivisor(other, one % other) : one);

/** A direction of the sky, each part of it as likely: up is z. */
function skyward([u, v]) {
  const out = Math.sqrt(1 - u * u);
  return new THREE.Vector3(out * Math.cos(2 * Math.PI * v), out * Math.sin(2 * Math.PI * v), Math.max(u, 0.02));
}

/** A direction that is off by as much as a point of the sun's disc. */
function onDisc(towards, [u, v]) {
  const far = Math.tan((SUN * Math.PI) / 180) * Math.sqrt(u);
  const aside = new THREE.Vector3().crossVectors(towards, Math.abs(towards.z) < 0.9 ? UP : ASIDE).normalize();
  const other = new THREE.Vector3().crossVectors(towards, aside);
  return towards
    .clone()
    .addScaledVector(aside, far * Math.cos(2 * Math.PI * v))
    .addScaledVector(other, far * Math.sin(2 * Math.PI * v));
}

const [UP, ASIDE] = [new THREE.Vector3(0, 0, 1), new THREE.Vector3(1, 0, 0)];

/**
 * How far a frame, one of so many, is off within its pixel, and where its light comes from; `towards` is that of the sun,
 * unit length.
 */
export function frameOf(number, many, towards) {
  const [right, down] = point(number, many);
  return {
    right: right - 0.5,
    down: down - 0.5,
    sun: onDisc(towards, point(number + 7, many)),
    sky: skyward(point(number + 3, many)),
  };
}

/**
 * What is done once nothing has changed for a while, frame by frame, until something changes. A timer and a frame may have
 * the same number, so each is kept by itself: ending the one by the other's number would end a frame of somebody else.
 */
export class Rest {
  #timer = 0;
  #frame = 0;

  /** In so many ms calls `step` with 0, then with each frame the next number as long as it returns true. */
  begin(ms, step) {
    this.end();
    this.#timer = setTimeout(() => this.#go(step, 0), ms);
  }

  #go(step, number) {
    if (step(number)) this.#frame = requestAnimationFrame(() => this.#go(step, number + 1));
  }

  end() {
    clearTimeout(this.#timer);
    cancelAnimationFrame(this.#frame);
    this.#timer = this.#frame = 0;
  }
}

/**
 * Adds frames up and shows their mean. `render(target)` draws one to a target; `software` tells what draws; `back` has the
 * uniforms of what is seen behind the surface.
 */
export function addUp(renderer, software, back) {
  const quad = new THREE.Mesh(
    new THREE.PlaneGeometry(2, 2),
    new THREE.ShaderMaterial({
      uniforms: {
        frame: { value: null },
        mean: { value: null },
        share: { value: 1 },
        ...back,
        shown: { value: false },
      },
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader:
        "uniform sampler2D frame, mean; uniform float share; uniform bool shown; varying vec2 at;\n" +
        BEHIND +
        "void main() {\n" +
        "  gl_FragColor = mix(texture2D(mean, at), texture2D(frame, at), share);\n" +
        "  if (!shown) return;\n" +
        "  float covered = gl_FragColor.a;\n" + // of the pixel, by the surface: only that is lit
        "  gl_FragColor.rgb /= max(covered, 1e-4);\n" +
        "  #include <tonemapping_fragment>\n" +
        "  gl_FragColor = vec4(mix(behind(at.y), gl_FragColor.rgb, covered), 1.0);\n" +
        "  #include <colorspace_fragment>\n}",
      depthTest: false,
      depthWrite: false,
    }),
  );
  quad.frustumCulled = false;
  const [alone, still] = [new THREE.Scene().add(quad), new THREE.Camera()];
  const floats = {
    type: THREE.FloatType,
    depthBuffer: false,
    minFilter: THREE.NearestFilter,
    magFilter: THREE.NearestFilter,
  };
  const frame = new THREE.WebGLRenderTarget(1, 1, { ...floats, depthBuffer: true });
  let [mean, next] = [new THREE.WebGLRenderTarget(1, 1, floats), new THREE.WebGLRenderTarget(1, 1, floats)];
  const uniforms = quad.material.uniforms;

  function lay(target, from, share) {
    uniforms.frame.value = from.texture;
    uniforms.mean.value = mean.texture;
    uniforms.share.value = share;
    uniforms.shown.value = !target;
    renderer.setRenderTarget(target);
    renderer.setScissorTest(false);
    if (target) renderer.setViewport(0, 0, target.width, target.height);
    else renderer.setViewport(0, 0, renderer.domElement.clientWidth, renderer.domElement.clientHeight);
    renderer.render(alone, still);
  }

  return {
    frames: software ? FRAMES.processor : FRAMES.card,
    /** Adds the frame of a number, drawn by `render`, and shows the mean of all so far. */
    add(number, render) {
      const { width, height } = renderer.domElement;
      for (const target of [frame, mean, next]) target.setSize(width, height);
      renderer.setRenderTarget(frame);
      render(frame);
      lay(next, frame, 1 / (number + 1));
      [mean, next] = [next, mean];
      lay(null, mean, 1);
    },
  };
}
