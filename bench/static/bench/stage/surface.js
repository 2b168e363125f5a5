// The surface: the mesh that the server displaced, drawn with three.js and turned with the pointer; alone, or four ways
// at once under one camera and one light.

import * as THREE from "../../vendor/three/three.module.js";
import { OrbitControls } from "../../vendor/three/OrbitControls.js";
import { look } from "../look.js";
import { lamp } from "./lamp.js";

const CLAY = 0xdedad0;
const SOOT = 0x0a0a0a;
// towards the camera; straight above is left by a hair, so that up on the surface stays up on the screen
const DIRECTIONS = { front: [0, -1e-4, 1], "three-quarter": [-0.42, -0.8, 0.9], along: [-0.25, -1, 0.16] };
const FILLED = 0.9; // of the stage, by the surface
const FARTHEST = 88; // degrees from straight above that the camera tilts

/**
 * Bump as Mikkelsen 2010 has it, true to the size of the surface. three.js takes the steps on the screen for unit length,
 * so that a bump would stand the higher the farther away it is.
 */
function trueBump(shader) {
  const chunk = THREE.ShaderChunk.bumpmap_pars_fragment.replace(/normalize\( (dFd[xy]\( surf_pos\.xyz \)) \)/g, "$1");
  shader.fragmentShader = shader.fragmentShader.replace("#include <bumpmap_pars_fragment>", chunk);
}

/** Starts drawing on a canvas. Throws where there is no WebGL. */
export function surfaceOn(canvas) {
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
  const scene = new THREE.Scene();
  const camera = new THREE.PerspectiveCamera(32, 1, 0.01, 100);
  camera.up.set(0, 0, 1); // the surface lies like a floor, whichever way it is walked round
  const controls = new OrbitControls(camera, canvas);
  const [sun, second] = [new THREE.DirectionalLight(), new THREE.DirectionalLight()];
  const sky = new THREE.HemisphereLight(0xf1f5f4, 0x4a5154);
  const mesh = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshStandardMaterial());
  scene.add(sun, second, sky, mesh);
  let shapes = []; // what is drawn, each { geometry, material }: one, or four in two rows
  let drawing = false;

  function draw() {
    if (drawing) return;
    drawing = true;
    requestAnimationFrame(() => {
      drawing = false;
      const [width, height] = [canvas.clientWidth, canvas.clientHeight];
      if (!width || !shapes.length) return;
      renderer.setPixelRatio(window.devicePixelRatio);
      renderer.setSize(width, height, false);
      renderer.setClearColor(getComputedStyle(canvas.parentElement).backgroundColor);
      camera.aspect = width / height;
      camera.updateProjectionMatrix();
      light();
      const side = shapes.length > 1 ? 2 : 1;
      renderer.setScissorTest(true);
      shapes.forEach(({ geometry, material }, number) => {
        Object.assign(mesh, { geometry, material });
        dress(material);
        // a viewport begins in the lower left
        const place = [
          ((number % side) * width) / side,
          (1 - Math.floor(number / side)) * (side - 1) * (height / side),
          width / side,
          height / side,
        ];
        renderer.setViewport(...place);
        renderer.setScissor(...place);
        renderer.render(scene, camera);
      });
      canvas.dataset.drawn = String(Number(canvas.dataset.drawn ?? 0) + 1);
    });
  }

  /** The light of the stage, the same for everything that is drawn. */
  function light() {
    const { lights, ambient } = lamp();
    [sun, second].forEach((source, number) => {
      const { towards, strength, tint } = lights[number] ?? { towards: [0, 0, 1], strength: 0, tint: [1, 1, 1] };
      source.position.set(...towards);
      source.color.setRGB(...tint, THREE.SRGBColorSpace);
      source.intensity = 2.7 * strength;
    });
    sky.intensity = ambient * 4.4;
  }

  /** The material that is looked at. */
  function dress(material) {
    const { kind, roughness } = look.material;
    const coloured = kind === "colour" && material.userData.colours;
    if (material.map !== (coloured || null)) {
      material.map = coloured || null;
      material.needsUpdate = true;
    }
    material.color.set(coloured ? 0xffffff : kind === "black" ? SOOT : CLAY);
    material.roughness = roughness;
    material.wireframe = look.wireframe;
  }

  const size = () => shapes[0]?.geometry.boundingSphere?.radius ?? 1;

  function stand(direction) {
    const radius = size();
    controls.target.set(0, 0, 0);
    direction.normalize();
    camera.position.copy(direction.multiplyScalar(farEnough(direction)));
    camera.near = radius / 100;
    camera.far = radius * 20;
    controls.minDistance = radius * 0.1;
    controls.maxDistance = radius * 12;
    controls.update();
    draw();
  }

  /** How far away in a direction the camera sees all corners of the surface. */
  function farEnough(towards) {
    const box = shapes[0]?.geometry.boundingBox;
    if (!box) return 4;
    const right = new THREE.Vector3().crossVectors(camera.up, towards).normalize();
    const up = new THREE.Vector3().crossVectors(towards, right);
    const high = Math.tan((camera.fov * Math.PI) / 360) * FILLED;
    const wide = (high * (canvas.clientWidth || 1)) / (canvas.clientHeight || 1);
    const sides = [box.min, box.max];
    const corners = sides.flatMap(({ x }) =>
      sides.flatMap(({ y }) => sides.map(({ z }) => new THREE.Vector3(x, y, z))),
    );
    return Math.max(
      ...corners.map(
        (corner) => corner.dot(towards) + Math.max(Math.abs(corner.dot(right)) / wide, Math.abs(corner.dot(up)) / high),
      ),
    );
  }

  const aim = () => stand(new THREE.Vector3(...DIRECTIONS[look.camera]));

  /** Tilts the camera by degrees from straight above towards looking along the surface, from the side it stands on. */
  function tilt(degrees) {
    const angle = (Math.min(degrees, FARTHEST) * Math.PI) / 180;
    const around = controls.getAzimuthalAngle(); // from the lower edge
    const out = Math.sin(angle) + 1e-4;
    stand(new THREE.Vector3(Math.sin(around) * out, -Math.cos(around) * out, Math.cos(angle)));
  }

  function texture(pixels, colourSpace) {
    const [rows, columns, channels = 1] = pixels.shape;
    const data = new Uint8Array(rows * columns * 4);
    for (let row = 0; row < rows; row++) {
      // a texture's first row is its lowest
      let to = (rows - 1 - row) * columns * 4;
      for (
        let from = row * columns * channels, end = from + columns * channels;
        from < end;
        from += channels, to += 4
      ) {
        data[to] = pixels[from];
        data[to + 1] = pixels[from + (channels > 1 ? 1 : 0)];
        data[to + 2] = pixels[from + (channels > 1 ? 2 : 0)];
        data[to + 3] = 255;
      }
    }
    const made = new THREE.DataTexture(data, columns, rows, THREE.RGBAFormat);
    made.colorSpace = colourSpace;
    made.generateMipmaps = true;
    made.minFilter = THREE.LinearMipmapLinearFilter;
    made.magFilter = THREE.LinearFilter;
    made.anisotropy = 8;
    made.needsUpdate = true;
    return made;
  }

  function shape({ positions, normals, base_normals: own, uv, triangles }, mapped) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
    // a normal map, which holds all of the relief, turns the normals that the surface has without it
    geometry.setAttribute("normal", new THREE.BufferAttribute(mapped ? own : normals, 3));
    geometry.setAttribute("uv", new THREE.BufferAttribute(uv, 2));
    geometry.setIndex(new THREE.BufferAttribute(triangles, 1));
    geometry.computeBoundingSphere();
    geometry.computeBoundingBox();
    return geometry;
  }

  const dull = (more) => Object.assign(new THREE.MeshStandardMaterial({ metalness: 0, side: THREE.DoubleSide }), more);

  function take(next, faces) {
    for (const { geometry, material } of shapes) {
      geometry.dispose();
      for (const old of [material.normalMap, material.bumpMap, material.userData.colours]) old?.dispose();
      material.dispose();
    }
    const first = !shapes.length;
    shapes = next;
    canvas.dataset.faces = faces;
    if (first && look.tilt !== null) tilt(look.tilt);
    else if (first) aim();
    draw();
  }

  const colours = (pixels) => ({ userData: { colours: pixels ? texture(pixels, THREE.SRGBColorSpace) : null } });

  controls.addEventListener("change", () => {
    const degrees = Math.round((controls.getPolarAngle() * 180) / Math.PI);
    canvas.dispatchEvent(new CustomEvent("tilted", { detail: degrees, bubbles: true }));
    draw();
  });
  new ResizeObserver(draw).observe(canvas.parentElement);

  return {
    draw,
    aim,
    tilt,
    /** Takes the arrays of a mesh over, and the pictures that are laid on it (either may be missing). */
    show(packet, normalPixels, colourPixels) {
      const material = dull(colours(colourPixels));
      if (normalPixels) material.normalMap = texture(normalPixels, THREE.NoColorSpace);
      take([{ geometry: shape(packet.arrays, Boolean(normalPixels)), material }], packet.faces);
    },
    /** The same surface flat with its bump map, flat with its normal map, displaced, and displaced with its normal map. */
    showWays({ flat, displaced, normals, bump, bumpSpan, colourPixels }) {
      const normalMap = () => ({ normalMap: texture(normals, THREE.NoColorSpace) });
      // white stands as far above black as it does in reality
      const bumped = { bumpMap: texture(bump, THREE.NoColorSpace), bumpScale: bumpSpan, onBeforeCompile: trueBump };
      take(
        [
          { geometry: shape(flat.arrays), material: dull({ ...bumped, ...colours(colourPixels) }) },
          { geometry: shape(flat.arrays, true), material: dull({ ...normalMap(), ...colours(colourPixels) }) },
          { geometry: shape(displaced.arrays), material: dull(colours(colourPixels)) },
          { geometry: shape(displaced.arrays, true), material: dull({ ...normalMap(), ...colours(colourPixels) }) },
        ],
        displaced.faces,
      );
    },
  };
}
