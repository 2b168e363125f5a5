// What the surface is dressed in: clay or its colours, and what is drawn over them to look at the mapping by.

import * as THREE from "../../vendor/three/three.module.js";
import { HAZE, IN_HAZE, haze } from "./outlook.js";
import { CLAY, REFLECTS, SOOT } from "../../studio/daylight.js";
import { ABOVE, BELOW, DATUM, INK } from "../../studio/palette.js";

const linear = (hex) => new THREE.Color(hex);
const REGIONS = [0xcfd4d2, 0xc58a2b, BELOW, 0x6b8f3c, 0x9a4f6d, 0x5f5aa2, 0x2f8f86, 0xa8632b];
const OVERLAYS = { "": 0, grid: 1, stretch: 2, regions: 3, reversed: 4, edges: 2, overlap: 5 };

/** What all materials share, so that they are told at once. */
export const shared = { overlay: { value: 0 }, refined: { value: 0 } };

/**
 * Bump as Mikkelsen 2010 has it, true to the size of the surface. three.js takes the steps on the screen for unit length,
 * so that a bump would stand the higher the farther away it is.
 */
export const TRUE_BUMP = "trueBump";

// three.js moves the place that is looked up in a shadow map along the normal. Of a face that is seen from behind that is
// into the surface, where all is in shadow; so it is moved the other way there.
const BEHIND = {
  declared:
    "#if defined( USE_SHADOWMAP ) && NUM_DIR_LIGHT_SHADOWS > 0\n" +
    "varying vec4 vTowardsFront[ NUM_DIR_LIGHT_SHADOWS ];\n#endif\n",
  told:
    "#include <shadowmap_vertex>\n#if defined( USE_SHADOWMAP ) && NUM_DIR_LIGHT_SHADOWS > 0\n" +
    "#pragma unroll_loop_start\nfor ( int i = 0; i < NUM_DIR_LIGHT_SHADOWS; i ++ ) {\n" +
    "vTowardsFront[ i ] = directionalShadowMatrix[ i ] *\n" +
    "  vec4( 2.0 * directionalLightShadows[ i ].shadowNormalBias * shadowWorldNormal, 0.0 );\n" +
    "}\n#pragma unroll_loop_end\n#endif",
  lit: THREE.ShaderChunk.lights_fragment_begin.replaceAll(
    "vDirectionalShadowCoord[ i ]",
    "( vDirectionalShadowCoord[ i ] - ( gl_FrontFacing ? vec4( 0.0 ) : vTowardsFront[ i ] ) )",
  ),
};

function extend(shader) {
  Object.assign(shader.uniforms, shared, haze);
  for (const [name, hex] of [
    ["ink", INK],
    ["ochre", ABOVE],
    ["blue", BELOW],
    ["datum", DATUM],
  ])
    shader.uniforms[name] = { value: linear(hex) };
  shader.vertexShader = shader.vertexShader
    .replace(
      "void main() {",
      "attribute float sky, stretch; attribute vec3 even; varying float vSky, vStretch; varying vec2 vPlace;\n" +
        `varying vec3 vEven;\n${BEHIND.declared}void main() {`,
    )
    .replace("#include <shadowmap_vertex>", BEHIND.told)
    .replace(
      "#include <uv_vertex>",
      "#include <uv_vertex>\nvSky = sky; vStretch = stretch; vPlace = uv; vEven = normalMatrix * even;",
    );
  shader.fragmentShader = shader.fragmentShader
    .replace(
      "void main() {",
      HAZE +
        "uniform int overlay; uniform float refined; uniform vec3 ink, ochre, blue, datum;\nvarying float vSky, vStretch; varying vec2 vPlace;\nvarying vec3 vEven;\n" +
        BEHIND.declared +
        "float lineAt(vec2 place, float wide) {\n" +
        "  vec2 away = abs(fract(place - 0.5) - 0.5) / max(fwidth(place), vec2(1e-6));\n" +
        "  return 1.0 - smoothstep(wide - 0.7, wide + 0.7, min(away.x, away.y));\n}\nvoid main() {",
    )
    .replace("#include <lights_fragment_begin>", BEHIND.lit)
    .replace(
      "#include <color_fragment>",
      "#include <color_fragment>\n" +
        "if (overlay == 1) {\n" +
        "  float fine = lineAt(vPlace * 8.0, 0.6) * 0.45, whole = lineAt(vPlace, 1.6);\n" +
        "  diffuseColor.rgb = mix(diffuseColor.rgb, ink, max(fine, whole));\n" +
        "}\n" +
        "if (overlay == 2) {\n" +
        "  float far = clamp(abs(vStretch), 0.0, 1.0);\n" +
        "  diffuseColor.rgb = mix(diffuseColor.rgb, vStretch > 0.0 ? ochre : blue, far);\n" +
        "}\n" +
        "if (overlay == 5) diffuseColor.rgb = mix(diffuseColor.rgb, datum, step(0.01, vStretch));\n" +
        // told in the shade too
        "if (overlay == 4 && !gl_FrontFacing) { diffuseColor.rgb = datum; totalEmissiveRadiance += datum * 0.4; }",
    )
    .replace(
      "#include <aomap_fragment>",
      // a view at rest looks for what hides the sky itself; what hides it behind a face is not known
      "#include <aomap_fragment>\nfloat open = gl_FrontFacing ? vSky : 1.0, seesSky = mix(open, 1.0, refined);\n" +
        "reflectedLight.indirectDiffuse *= seesSky; reflectedLight.indirectSpecular *= seesSky;\n" +
        // in a hollow other places shine on it that are lit like the even surface, as on the flat picture
        "vec3 around = getHemisphereLightIrradiance(hemisphereLights[0], normalize(vEven));\n" +
        "for (int i = 0; i < NUM_DIR_LIGHTS; i++)\n" +
        "  around += directionalLights[i].color * max(dot(normalize(vEven), directionalLights[i].direction), 0.0);\n" +
        "vec3 hidden = (1.0 - open) * material.diffuseColor;\n" +
        "reflectedLight.indirectDiffuse += around * open * hidden / (1.0 - hidden) * RECIPROCAL_PI * material.diffuseColor;\n" +
        // the shine of an even sky, which lights of a view at rest bring by themselves
        `reflectedLight.indirectSpecular += ${REFLECTS} * RECIPROCAL_PI * irradiance * seesSky * (1.0 - refined);`,
    )
    .replace("#include <tonemapping_fragment>", `${IN_HAZE}#include <tonemapping_fragment>`);
}

function extendWithBump(shader) {
  const chunk = THREE.ShaderChunk.bumpmap_pars_fragment.replace(/normalize\( (dFd[xy]\( surf_pos\.xyz \)) \)/g, "$1");
  shader.fragmentShader = shader.fragmentShader.replace("#include <bumpmap_pars_fragment>", chunk);
  extend(shader);
}

/** A material for each region, with the pictures that are laid on it. */
export function cloth(regions, inward, { kind, ...more } = {}) {
  const side = inward ? THREE.FrontSide : THREE.DoubleSide;
  const shadowSide = side; // the near walls of a room let the sun in
  return Array.from({ length: regions }, () => {
    // lines that lie on it are seen whole
    const behind = { polygonOffset: true, polygonOffsetFactor: 0, polygonOffsetUnits: 8 };
    const material = new THREE.MeshStandardMaterial({ metalness: 0, side, shadowSide, ...behind });
    Object.assign(material, more);
    material.onBeforeCompile = kind === TRUE_BUMP ? extendWithBump : extend;
    return material;
  });
}

/** Dresses materials as the look says. */
export function dress(materials, { material: { kind, roughness }, overlay, wireframe }) {
  shared.overlay.value = OVERLAYS[overlay] ?? 0;
  for (const [number, material] of materials.entries()) {
    // as glTF 2.0 defines them: a map says all of it, without one it is what the look says, and nothing is metal
    const own = kind === "colour" && overlay !== "regions" ? material.userData : {};
    const maps = { map: own.colours, roughnessMap: own.roughness, metalnessMap: own.metalness };
    for (const [name, wanted] of Object.entries(maps)) {
      if (material[name] === (wanted || null)) continue;
      material[name] = wanted || null;
      material.needsUpdate = true;
    }
    const plain = kind === "black" ? SOOT : CLAY;
    if (own.colours) material.color.set(0xffffff);
    else if (overlay === "regions") material.color.set(REGIONS[number % REGIONS.length]);
    else material.color.setRGB(...plain);
    material.roughness = own.roughness ? 1 : roughness;
    material.metalness = own.metalness ? 1 : 0;
    material.wireframe = wireframe;
  }
}
