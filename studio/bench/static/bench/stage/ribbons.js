// Lines in space that are some pixels wide whatever their distance: WebGL draws plain ones a single pixel wide.

import * as THREE from "../../vendor/three/three.module.js";

const NEARER = 0.994; // of the way to the camera, so that a line which lies on a surface is not cut by it

/** An empty ribbon of a colour and a width in CSS pixels. */
export function ribbon(colour, wide) {
  const material = new THREE.ShaderMaterial({
    uniforms: {
      colour: { value: new THREE.Color(colour) },
      wide: { value: wide },
      canvas: { value: new THREE.Vector2() },
    },
    vertexShader:
      "attribute vec3 other; attribute vec2 corner; uniform float wide; uniform vec2 canvas;\n" +
      "void main() {\n" +
      `  vec4 here = projectionMatrix * vec4((modelViewMatrix * vec4(position, 1.0)).xyz * ${NEARER}, 1.0);\n` +
      "  vec4 there = projectionMatrix * modelViewMatrix * vec4(other, 1.0);\n" +
      "  vec2 along = (there.xy / there.w - here.xy / here.w) * canvas;\n" +
      "  along = length(along) > 0.0 ? normalize(along) : vec2(1.0, 0.0);\n" +
      // beyond both ends by half its width, so that segments join
      "  vec2 off = vec2(-along.y, along.x) * corner.x - along * corner.y;\n" +
      "  here.xy += off * wide / canvas * here.w;\n" +
      "  gl_Position = here;\n}",
    fragmentShader:
      "uniform vec3 colour;\nvoid main() { gl_FragColor = vec4(colour, 1.0);\n#include <colorspace_fragment>\n}",
    side: THREE.DoubleSide,
  });
  const drawn = new THREE.Mesh(new THREE.BufferGeometry(), material);
  drawn.frustumCulled = false;
  drawn.onBeforeRender = (renderer) => renderer.getSize(material.uniforms.canvas.value);
  return drawn;
}

/** Lays a ribbon along segments: the ends of each, one after the other. */
export function layRibbon(drawn, places) {
  const segments = places.length / 6;
  const [positions, others] = [new Float32Array(segments * 12), new Float32Array(segments * 12)];
  const corners = new Float32Array(segments * 8);
  const indices = new Uint32Array(segments * 6);
  for (let segment = 0; segment < segments; segment++) {
    const ends = [places.subarray(segment * 6, segment * 6 + 3), places.subarray(segment * 6 + 3, segment * 6 + 6)];
    for (let corner = 0; corner < 4; corner++) {
      const end = corner >> 1;
      positions.set(ends[end], segment * 12 + corner * 3);
      others.set(ends[1 - end], segment * 12 + corner * 3);
      // seen from its other end a corner lies on the other side
      corners.set([(corner & 1 ? 1 : -1) * (end ? -1 : 1), 0.5], segment * 8 + corner * 2);
    }
    indices.set(
      [0, 1, 2, 2, 1, 3].map((corner) => segment * 4 + corner),
      segment * 6,
    );
  }
  drawn.geometry.dispose();
  drawn.geometry = new THREE.BufferGeometry();
  drawn.geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  drawn.geometry.setAttribute("other", new THREE.BufferAttribute(others, 3));
  drawn.geometry.setAttribute("corner", new THREE.BufferAttribute(corners, 2));
  drawn.geometry.setIndex(new THREE.BufferAttribute(indices, 1));
}
