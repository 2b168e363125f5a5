// The surface: the mesh that the server displaced, drawn with three.js and turned with the pointer.

import * as THREE from "../vendor/three/three.module.js";
import { OrbitControls } from "../vendor/three/OrbitControls.js";
import { look, lightDirection } from "./look.js";

const CLAY = 0xdedad0;
const DIRECTIONS = { front: [0, 0, 1], "three-quarter": [-0.62, -0.34, 0.86], along: [-0.3, -1, 0.14] };

/** Starts drawing on a canvas. Throws where there is no WebGL. */
export function surfaceOn(canvas) {
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
  const scene = new THREE.Scene();
  const camera = new THREE.PerspectiveCamera(32, 1, 0.01, 100);
  camera.up.set(0, 1, 0);
  const controls = new OrbitControls(camera, canvas);
  const sun = new THREE.DirectionalLight(0xfffaf0, 2.7);
  const material = new THREE.MeshStandardMaterial({ color: CLAY, roughness: 0.62, metalness: 0, side: THREE.DoubleSide });
  const mesh = new THREE.Mesh(new THREE.BufferGeometry(), material);
  scene.add(sun, new THREE.HemisphereLight(0xf1f5f4, 0x4a5154, 0.75), mesh);
  let drawing = false;

  function draw() {
    if (drawing) return;
    drawing = true;
    requestAnimationFrame(() => {
      drawing = false;
      const [width, height] = [canvas.clientWidth, canvas.clientHeight];
      if (!width) return;
      renderer.setPixelRatio(window.devicePixelRatio);
      renderer.setSize(width, height, false);
      renderer.setClearColor(getComputedStyle(canvas.parentElement).backgroundColor);
      camera.aspect = width / height;
      camera.updateProjectionMatrix();
      const light = new THREE.Vector3(...lightDirection());
      sun.position.copy(light);
      renderer.render(scene, camera);
      canvas.dataset.drawn = String(Number(canvas.dataset.drawn ?? 0) + 1);
    });
  }

  function aim() {
    const direction = new THREE.Vector3(...DIRECTIONS[look.camera]).normalize();
    const size = mesh.geometry.boundingSphere?.radius ?? 1;
    controls.target.set(0, 0, 0);
    camera.position.copy(direction.multiplyScalar(size * 3.15));
    camera.near = size / 100;
    camera.far = size * 20;
    controls.minDistance = size * 0.1;
    controls.maxDistance = size * 12;
    controls.update();
    draw();
  }

  function texture(pixels, colourSpace) {
    const [rows, columns] = pixels.shape;
    const data = new Uint8Array(rows * columns * 4);
    for (let row = 0; row < rows; row++) {
      // a texture's first row is its lowest
      let to = (rows - 1 - row) * columns * 4;
      for (let from = row * columns * 3, end = from + columns * 3; from < end; from += 3, to += 4) {
        data[to] = pixels[from];
        data[to + 1] = pixels[from + 1];
        data[to + 2] = pixels[from + 2];
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

  controls.addEventListener("change", draw);
  new ResizeObserver(draw).observe(canvas.parentElement);
  let aimed = false;

  return {
    draw,
    aim,
    /** Takes the arrays of a mesh over, and the pictures that are laid on it (either may be missing). */
    show(packet, normalPixels, colourPixels) {
      const geometry = new THREE.BufferGeometry();
      const { positions, normals, uv, triangles } = packet.arrays;
      geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
      geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
      geometry.setAttribute("uv", new THREE.BufferAttribute(uv, 2));
      geometry.setIndex(new THREE.BufferAttribute(triangles, 1));
      geometry.computeBoundingSphere();
      mesh.geometry.dispose();
      mesh.geometry = geometry;
      for (const old of [material.normalMap, material.map]) old?.dispose();
      material.normalMap = normalPixels ? texture(normalPixels, THREE.NoColorSpace) : null;
      material.map = colourPixels ? texture(colourPixels, THREE.SRGBColorSpace) : null;
      material.color.set(colourPixels ? 0xffffff : CLAY);
      material.wireframe = look.wireframe;
      material.needsUpdate = true;
      canvas.dataset.faces = packet.faces;
      if (!aimed) {
        aimed = true;
        aim();
      }
      draw();
    },
  };
}

