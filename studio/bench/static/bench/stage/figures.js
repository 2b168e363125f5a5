// Something known that stands beside the surface for its size: a person, a hand, a coin.

import * as THREE from "../../vendor/three/three.module.js";
import { DATUM } from "../../studio/palette.js";

const PERSON = 1750; // mm
const HAND = 190;
const COIN = 20;
// half of a figure that stands, from the feet up, in parts of its height: [across, up]
const STANDING = [
  [0.012, 0], [0.075, 0], [0.085, 0.02], [0.055, 0.04], [0.06, 0.27], [0.08, 0.46], [0.088, 0.52], [0.115, 0.47],
  [0.122, 0.41], [0.145, 0.41], [0.142, 0.6], [0.128, 0.78], [0.105, 0.822], [0.03, 0.85], [0.028, 0.87], [0.052, 0.905],
  [0.056, 0.95], [0.038, 0.99], [0, 1],
]; // biome-ignore format: pairs read as a list
// a hand from the wrist up, in parts of its length
const OPEN_HAND = [
  [-0.14, 0], [-0.15, 0.18], [-0.2, 0.34], [-0.36, 0.52], [-0.4, 0.6], [-0.35, 0.63], [-0.23, 0.52], [-0.2, 0.5],
  [-0.21, 0.72], [-0.2, 0.86], [-0.16, 0.9], [-0.12, 0.86], [-0.11, 0.6], [-0.09, 0.6], [-0.09, 0.92], [-0.045, 1],
  [0, 0.93], [0.005, 0.6], [0.025, 0.6], [0.03, 0.88], [0.07, 0.94], [0.11, 0.87], [0.115, 0.57], [0.13, 0.56],
  [0.145, 0.76], [0.18, 0.8], [0.21, 0.75], [0.2, 0.5], [0.2, 0.34], [0.15, 0.16], [0.14, 0],
]; // biome-ignore format: pairs read as a list

/** The figure for a surface of a size in mm: what it is called, its size, and its outline. */
export function figureFor(size) {
  if (size > 700) return { name: "a person, 1.75 m", height: PERSON, outline: mirrored(STANDING) };
  if (size > 60) return { name: "a hand, 190 mm", height: HAND, outline: OPEN_HAND };
  return { name: "a coin, 20 mm", height: COIN, outline: circle() };
}

const mirrored = (half) => [
  ...half,
  ...half
    .slice(0, -1)
    .reverse()
    .map(([across, up]) => [-across, up]),
];

function circle() {
  const points = 48;
  return Array.from({ length: points }, (_, number) => {
    const angle = (number / points) * 2 * Math.PI;
    return [Math.cos(angle) / 2, 0.5 + Math.sin(angle) / 2];
  });
}

const SMALL = 200; // times larger than the figure a surface is, from where on a pole marks it
const POLE = 0.06; // of the surface

/** The figure as a flat shape that stands upright, its feet at the origin; on ground it would not be seen on, a pole. */
export function drawFigure({ height, outline }, size) {
  const shape = new THREE.Shape(outline.map(([across, up]) => new THREE.Vector2(across * height, up * height)));
  const material = new THREE.MeshBasicMaterial({ color: 0x2a3a41, side: THREE.DoubleSide });
  const figure = new THREE.Mesh(new THREE.ShapeGeometry(shape), material);
  figure.rotation.x = Math.PI / 2; // up is z
  if (size > SMALL * height) {
    const ends = [new THREE.Vector3(), new THREE.Vector3(0, size * POLE, 0)];
    const line = new THREE.LineBasicMaterial({ color: DATUM });
    figure.add(new THREE.Line(new THREE.BufferGeometry().setFromPoints(ends), line));
  }
  return figure;
}
