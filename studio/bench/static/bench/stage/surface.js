// The surface: the mesh that the server displaced, drawn with three.js and turned with the pointer; alone, or four ways
// at once under one camera and one light.

import * as THREE from "../../vendor/three/three.module.js";
import { GROUND, SKY, SKYLIGHT, SUN, SUNLIGHT } from "../../studio/daylight.js";
import { DATUM } from "../../studio/palette.js";
import { OrbitControls } from "../../vendor/three/OrbitControls.js";
import { look } from "../look.js";
import { TRUE_BUMP, cloth, dress, shared } from "./dress.js";
import { drawFigure, figureFor } from "./figures.js";
import { lamp } from "./lamp.js";
import { addUp, frameOf, Rest } from "./resting.js";
import { OUTLOOKS, backOf, isGround, paintBehind, setHaze, setHorizon, standOn } from "./outlook.js";
import { layRibbon, ribbon } from "./ribbons.js";

// towards the camera; straight above is left by a hair, so that up on the surface stays up on the screen
const LYING = { front: [0, -1e-4, 1], "three-quarter": [-0.42, -0.8, 0.9], along: [-0.25, -1, 0.16] };
const STANDING = { front: [0, -1, 0.02], "three-quarter": [0.5, -1, 0.6], along: [-1, -0.3, 0.1] };
const FILLED = 0.97; // of what is free of the stage, by the surface
const NEAREST = 1 / 5000; // of the radius, before a camera that stands on the surface
const FARTHEST = 88; // degrees from straight above that the camera tilts
const SHADOW = { card: 2048, processor: 1024 }; // texels to a side of what the sun sees, by what draws
const REST = { card: 150, processor: 500 }; // ms without a change before a view is refined, by what draws

/** Whether there is no graphics card, so that each pixel costs time of the processor. */
function drawsInSoftware() {
  const context = document.createElement("canvas").getContext("webgl2");
  const named = context?.getExtension("WEBGL_debug_renderer_info");
  const name = named ? context.getParameter(named.UNMASKED_RENDERER_WEBGL) : "";
  context?.getExtension("WEBGL_lose_context")?.loseContext();
  return /swiftshader|llvmpipe|software/i.test(name);
}

/** Starts drawing on a canvas. Throws where there is no WebGL. */
export function surfaceOn(canvas) {
  const without = drawsInSoftware();
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: !without, preserveDrawingBuffer: true });
  const shadow = without ? SHADOW.processor : SHADOW.card;
  renderer.toneMapping = THREE.NeutralToneMapping; // as on the flat picture and in stills
  renderer.shadowMap.enabled = true;
  renderer.shadowMap.autoUpdate = false; // only when the light or the surface has changed, not while the view turns
  const scene = new THREE.Scene();
  const camera = new THREE.PerspectiveCamera(32, 1, 0.01, 100);
  camera.up.set(0, 0, 1); // the surface lies like a floor, or stands on it, whichever way it is walked round
  const controls = new OrbitControls(camera, canvas);
  const [sun, second] = [new THREE.DirectionalLight(), new THREE.DirectionalLight()];
  const sky = new THREE.HemisphereLight();
  sky.groundColor.setRGB(...GROUND);
  const patch = new THREE.DirectionalLight();
  patch.color.setRGB(...SKY); // of the sky, another one in each frame of a view at rest
  sky.position.set(0, 0, 1);
  for (const source of [sun, patch]) {
    source.castShadow = true;
    source.shadow.mapSize.set(shadow, shadow);
  }
  patch.visible = false;
  const mesh = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshStandardMaterial());
  mesh.castShadow = mesh.receiveShadow = true;
  const turned = new THREE.Group(); // y is up on what stands
  const [seams, line, picked] = [1, 2, 2].map((wide) => ribbon(DATUM, wide));
  turned.add(mesh, seams, line, picked);
  scene.add(sun, sun.target, second, sky, patch, patch.target, turned);
  let shapes = []; // what is drawn, each { geometry, materials }: one, or four in two rows
  let told = null; // what the server said of the mesh
  let figure = null;
  let byHand = false; // whether the camera stands where a hand has moved it
  let cast = ""; // what the shadows were drawn for
  let drawing = false;
  const followers = []; // what is placed again whenever it was drawn
  const sunny = new THREE.Color().setRGB(...SUN);
  const paper = new THREE.Color(); // what is seen behind the surface
  const back = backOf(paper);
  const resting = addUp(renderer, without, back);
  const painted = paintBehind(back);
  scene.add(painted);
  const rest = new Rest();

  function draw() {
    rest.end();
    canvas.dataset.refined = "";
    if (drawing) return;
    drawing = true;
    requestAnimationFrame(() => {
      drawing = false;
      const [width, height] = [canvas.clientWidth, canvas.clientHeight];
      if (!width || !shapes.length) return;
      renderer.setPixelRatio(window.devicePixelRatio);
      renderer.setSize(width, height, false);
      paper.set(getComputedStyle(canvas.parentElement).backgroundColor);
      renderer.setClearColor(paper);
      camera.aspect = width / height;
      // the middle of what is free, not of all
      camera.setViewOffset(width, height, 0, -covered() / 2, width, height);
      const lit = light();
      showFigure();
      seams.visible = look.overlay === "grid" && shapes.length === 1;
      sayStretch();
      sayAngles();
      shared.refined.value = 0;
      patch.visible = false;
      sky.color.setRGB(...SKY);
      painted.visible = back.open.value = onOutlook();
      setHaze(painted.visible);
      if (painted.visible) setHorizon(back, camera);
      drawShapes(null, (geometry) => {
        const shaded = `${lit} ${geometry.uuid}`;
        renderer.shadowMap.needsUpdate = shaded !== cast;
        cast = shaded;
      });
      for (const follow of followers) follow();
      canvas.dataset.drawn = String(Number(canvas.dataset.drawn ?? 0) + 1);
      if (look.refined) rest.begin(without ? REST.processor : REST.card, refine);
    });
  }

  /** Draws each shape in its part of the canvas, or of a target as large. `before` is told of each. */
  function drawShapes(target, before) {
    const scale = target ? renderer.getPixelRatio() : 1; // a target is counted in pixels
    const [width, height] = [canvas.clientWidth * scale, canvas.clientHeight * scale];
    const side = shapes.length > 1 ? 2 : 1;
    renderer.setRenderTarget(target);
    if (target) target.scissorTest = true;
    else renderer.setScissorTest(true);
    shapes.forEach(({ geometry, materials }, number) => {
      Object.assign(mesh, { geometry, material: materials });
      dress(materials, look);
      // a viewport begins in the lower left
      const place = [
        ((number % side) * width) / side,
        (1 - Math.floor(number / side)) * (side - 1) * (height / side),
        width / side,
        height / side,
      ];
      before(geometry);
      if (target) {
        target.viewport.set(...place);
        target.scissor.set(...place);
        renderer.setRenderTarget(target);
      } else {
        renderer.setViewport(...place);
        renderer.setScissor(...place);
      }
      renderer.render(scene, camera);
    });
  }

  /** Adds one frame of a view at rest; whether another one follows. */
  function refine(number) {
    const [width, height] = [canvas.clientWidth, canvas.clientHeight];
    const towards = sun.userData.towards.clone();
    const radius = size();
    const { right, down, sun: onSun, sky: onSky } = frameOf(number, resting.frames, towards);
    camera.setViewOffset(width, height, right, down - covered() / 2, width, height);
    sun.position.copy(onSun.normalize().multiplyScalar(radius * 3));
    patch.visible = sky.intensity > 0;
    patch.position.copy(onSky.multiplyScalar(radius * 3));
    patch.intensity = 2 * sky.intensity; // the mean cosine of all directions of a half sphere is one half
    sky.color.set(0); // what is left of it shines up from the ground
    shared.refined.value = 1;
    painted.visible = false;
    renderer.setClearColor(0, 0); // what is behind the surface is not lit
    resting.add(number, (target) =>
      drawShapes(target, () => {
        renderer.shadowMap.needsUpdate = true;
      }),
    );
    cast = "";
    const last = number + 1 === resting.frames;
    if (last) canvas.dataset.refined = canvas.dataset.drawn;
    return !last;
  }

  /**
   * The light of the stage, the same for everything that is drawn. Out of the surface is towards who stands before it.
   * Gives what its shadows depend on.
   */
  function light() {
    const { lights, ambient } = lamp();
    const radius = size();
    [sun, second].forEach((source, number) => {
      const { towards, strength, tint } = lights[number] ?? { towards: [0, 0, 1], strength: 0, tint: [1, 1, 1] };
      const [x, y, z] = towards;
      source.userData.towards = new THREE.Vector3(...(told?.upright ? [x, -z, y] : [x, y, z]));
      source.position.copy(source.userData.towards).multiplyScalar(radius * 3);
      source.color.setRGB(...tint, THREE.SRGBColorSpace).multiply(sunny);
      source.intensity = SUNLIGHT * strength;
    });
    sky.intensity = ambient * SKYLIGHT;
    for (const source of [sun, patch]) {
      const seen = source.shadow.camera;
      Object.assign(seen, {
        left: -radius,
        right: radius,
        top: radius,
        bottom: -radius,
        near: radius,
        far: radius * 5,
      });
      seen.updateProjectionMatrix();
      source.shadow.normalBias = (3 * radius) / shadow;
      source.shadow.bias = -0.0006;
    }
    return JSON.stringify([lights[0].towards, radius]);
  }

  /** The figures of the mapping, while its stretch is looked at. */
  function sayStretch() {
    const said = document.getElementById("stretch-said");
    said.hidden = look.overlay !== "stretch" || !told?.figures;
    if (said.hidden) return;
    const [smallest, largest, angle, worst] = told.figures;
    const times = (value) => (value >= 10 ? value.toFixed(0) : value.toPrecision(2));
    said.textContent =
      `mm of relief per mm: ${times(smallest)} to ${times(largest)}   ·   ` +
      `angles off by ${angle.toFixed(0)}°, at most ${worst.toFixed(0)}°`;
  }

  /** How far the normals of the geometry are from the true ones, and with the map that completes it. */
  function sayAngles() {
    const said = document.getElementById("angles-said");
    said.hidden = !told?.angles;
    if (said.hidden) return;
    const [before, , after] = told.angles.map((angle) => (angle < 0.01 ? "under 0.01°" : `${angle.toPrecision(2)}°`));
    said.textContent = `normals off by ${before} in the geometry alone, ${after} with the residual`;
  }

  /** Something known beside the surface, for its size. */
  function showFigure() {
    const wanted = look.figure && told ? figureFor(Math.max(...told.size)) : null;
    const other = (figure?.name ?? "") !== (wanted?.name ?? "");
    if (other) {
      if (figure) scene.remove(figure.drawn);
      figure = wanted && { name: wanted.name, drawn: drawFigure(wanted, Math.max(...told.size)) };
      if (figure) scene.add(figure.drawn);
    }
    const label = document.getElementById("figure");
    label.hidden = !figure;
    if (figure) {
      label.textContent = `beside it: ${figure.name}`;
      const [width, height, depth] = told.size;
      const gap = Math.max(width * 0.02, wanted.height * 0.3);
      const front = told.upright ? 0 : -height / 2;
      const floor = told.upright ? -height / 2 : 0;
      figure.drawn.position.set(width / 2 + gap, front - (told.upright ? depth * 0.25 : 0), floor);
    }
    if (other && !byHand) aim();
  }

  const size = () => shapes[0]?.geometry.boundingSphere?.radius ?? 1;

  /** Whether it is ground that is seen by somebody who stands there. */
  const onOutlook = () => OUTLOOKS.includes(look.camera) && look.tilt === null && shapes.length === 1 && isGround(told);

  function standAt(direction) {
    direction.normalize();
    const box = boxToSee();
    const middle = figure ? box.getCenter(new THREE.Vector3()) : new THREE.Vector3();
    stand(direction.multiplyScalar(farEnough(direction, box, middle)).add(middle), middle);
  }

  /** The box around what is to be seen: the surface, and what stands beside it for its size. */
  function boxToSee() {
    const box = shapes[0].geometry.boundingBox.clone().applyMatrix4(turned.matrixWorld);
    return figure ? box.union(new THREE.Box3().setFromObject(figure.drawn)) : box;
  }

  /** Puts the camera at a place, looking at another one. */
  function stand(place, lookAt) {
    const radius = size();
    camera.position.copy(place);
    controls.target.copy(lookAt);
    // the nearest that is seen decides how finely depths are told apart
    const away = shapes[0]?.geometry.boundingBox?.distanceToPoint(mesh.worldToLocal(place.clone())) ?? radius;
    camera.near = Math.min(Math.max(away / 2, radius * NEAREST), radius / 100);
    camera.far = radius * 20;
    controls.minDistance = radius * 0.1;
    controls.maxDistance = radius * 12;
    controls.update();
    draw();
  }

  /** px at the top of the stage that its buttons cover. */
  const covered = () => {
    const tools = document.getElementById("stage-tools");
    return shapes.length > 1 ? 0 : Math.min(tools.offsetTop + tools.offsetHeight, canvas.clientHeight / 3);
  };

  /** How far in a direction from the middle the camera sees all corners of a box. */
  function farEnough(towards, box, middle) {
    const right = new THREE.Vector3().crossVectors(camera.up, towards).normalize();
    const up = new THREE.Vector3().crossVectors(towards, right);
    const whole = canvas.clientHeight || 1;
    const half = Math.tan((camera.fov * Math.PI) / 360) * FILLED;
    const high = half * (1 - covered() / whole);
    const wide = (half * (canvas.clientWidth || 1)) / whole;
    const sides = [box.min, box.max];
    const corners = sides.flatMap(({ x }) =>
      sides.flatMap(({ y }) => sides.map(({ z }) => new THREE.Vector3(x, y, z).sub(middle))),
    );
    return Math.max(
      ...corners.map(
        (corner) => corner.dot(towards) + Math.max(Math.abs(corner.dot(right)) / wide, Math.abs(corner.dot(up)) / high),
      ),
    );
  }

  function aim() {
    byHand = false;
    if (!shapes.length) return;
    const directions = told?.upright ? STANDING : LYING;
    if (!onOutlook()) return standAt(new THREE.Vector3(...(directions[look.camera] ?? directions["three-quarter"])));
    const [place, lookAt] = standOn(look.camera, told);
    stand(new THREE.Vector3(...place), new THREE.Vector3(...lookAt));
  }

  /** Tilts the camera by degrees from straight above towards looking along the surface, from the side it stands on. */
  function tilt(degrees) {
    byHand = true;
    if (!shapes.length) return;
    const angle = (Math.min(degrees, FARTHEST) * Math.PI) / 180;
    const around = controls.getAzimuthalAngle(); // from the lower edge
    const out = Math.sin(angle) + 1e-4;
    standAt(new THREE.Vector3(Math.sin(around) * out, -Math.cos(around) * out, Math.cos(angle)));
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
    made.wrapS = made.wrapT = THREE.RepeatWrapping;
    made.generateMipmaps = true;
    made.minFilter = THREE.LinearMipmapLinearFilter;
    made.magFilter = THREE.LinearFilter;
    made.anisotropy = 8;
    made.needsUpdate = true;
    return made;
  }

  function shape({ arrays, region_counts: counts }, mapped) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(arrays.positions, 3));
    // a normal map, which holds all of the relief, turns the normals that the surface has without it
    geometry.setAttribute("normal", new THREE.BufferAttribute(mapped ? arrays.base_normals : arrays.normals, 3));
    geometry.setAttribute("even", new THREE.BufferAttribute(arrays.base_normals, 3));
    if (mapped) geometry.setAttribute("tangent", new THREE.BufferAttribute(arrays.tangents, 4));
    geometry.setAttribute("uv", new THREE.BufferAttribute(arrays.uv, 2));
    geometry.setAttribute("sky", new THREE.BufferAttribute(arrays.sky, 1));
    geometry.setAttribute("stretch", new THREE.BufferAttribute(arrays.stretch, 1));
    geometry.setIndex(new THREE.BufferAttribute(arrays.triangles, 1));
    let first = 0;
    for (const [region, count] of counts.entries()) {
      if (count) geometry.addGroup(first * 3, count * 3, region);
      first += count;
    }
    geometry.computeBoundingSphere();
    geometry.computeBoundingBox();
    return geometry;
  }

  function take(next, packet) {
    for (const { geometry, materials } of shapes) {
      geometry.dispose();
      for (const material of materials) {
        const { colours, roughness, metalness } = material.userData;
        for (const old of [material.normalMap, material.bumpMap, colours, roughness, metalness]) old?.dispose();
        material.dispose();
      }
    }
    const kindOf = (of) => JSON.stringify([of?.upright, of?.size]);
    const other = kindOf(told) !== kindOf(packet);
    const first = !shapes.length;
    shapes = next;
    told = packet;
    layRibbon(seams, packet.arrays.seams);
    layRibbon(picked, packet.arrays.picked);
    turned.rotation.x = packet.upright ? Math.PI / 2 : 0;
    turned.updateMatrixWorld();
    canvas.dataset.faces = packet.faces;
    canvas.toggleAttribute("data-ground", isGround(packet));
    if (first && look.tilt !== null) tilt(look.tilt);
    else if (other) aim();
    draw();
  }

  /** The colours of a relief, laid by a matrix from its places to theirs where they do not follow it. */
  function coloured(pixels, laid) {
    const colours = pixels ? texture(pixels, THREE.SRGBColorSpace) : null;
    if (colours && laid) {
      colours.matrixAutoUpdate = false;
      colours.matrix.set(...laid);
    }
    return { userData: { colours } };
  }

  controls.addEventListener("start", () => {
    byHand = true;
  });
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
    controls,
    /** What the server said of the mesh that is drawn. */
    told: () => told,
    /** What lies under a pointer: its place on the surface in mm, on the relief in repeats, and the part; or nothing. */
    under(event) {
      const box = canvas.getBoundingClientRect();
      const at = new THREE.Vector2(
        ((event.clientX - box.left) / box.width) * 2 - 1,
        1 - ((event.clientY - box.top) / box.height) * 2,
      );
      const ray = new THREE.Raycaster();
      ray.setFromCamera(at, camera);
      const [hit] = ray.intersectObject(mesh);
      if (!hit) return null;
      const part = told.arrays.parts[hit.faceIndex];
      const place = mesh.worldToLocal(hit.point.clone());
      return {
        uv: [hit.uv.x, hit.uv.y],
        place: [place.x, place.y, place.z],
        part: told.part_names[part],
        far: hit.distance,
      };
    },
    /** Draws the section line over it: the ends of segments, in mm. */
    layLine(places) {
      layRibbon(line, places);
      draw();
    },
    /** Names what is called whenever it was drawn. */
    onDrawn: (follow) => followers.push(follow),
    /** Where a place on the surface, mm, is seen: px from the stage's upper left, and how far `out` of it, in its sizes. */
    seen([x, y, z]) {
      const point = mesh.localToWorld(new THREE.Vector3(x, y, z)).project(camera);
      const at = [((point.x + 1) / 2) * canvas.clientWidth, ((1 - point.y) / 2) * canvas.clientHeight];
      return { at: at.map((side) => Number(side.toFixed(1))), out: Math.max(Math.abs(point.x), Math.abs(point.y)) - 1 };
    },
    /** Where the camera stands, mm from the surface's middle. */
    standsAt: () => mesh.worldToLocal(camera.position.clone()).toArray(),
    /** Whether it is seen under a sky with a horizon. */
    isOpenAir: () => back.open.value,
    /** Where it looks, mm from there. */
    looksAt: () => mesh.worldToLocal(controls.target.clone()).toArray(),
    /** Puts the camera at a place and lets it look at another one, mm from the surface's middle. */
    standAtPlace(...places) {
      const [place, lookAt] = places.map((each) => mesh.localToWorld(new THREE.Vector3(...each)));
      byHand = true;
      stand(place, lookAt);
    },
    /** mm on the surface that a pixel shows at a distance. */
    pixelAt: (far) => (2 * far * Math.tan((camera.fov * Math.PI) / 360)) / canvas.clientHeight,
    /** Takes the arrays of a mesh over, and the pictures that lie on its regions, by the key of their relief. */
    show(packet, normals, colours, roughness, metalness) {
      const materials = cloth(packet.region_counts.length, packet.inward);
      for (const [number, material] of materials.entries()) {
        const key = packet.region_reliefs[number];
        if (normals[key]) material.normalMap = texture(normals[key], THREE.NoColorSpace);
        Object.assign(material, coloured(colours[key], packet.colours_laid[key]));
        for (const [role, pictures] of Object.entries({ roughness, metalness }))
          if (pictures[key]) material.userData[role] = texture(pictures[key], THREE.NoColorSpace);
      }
      take([{ geometry: shape(packet, Object.keys(normals).length > 0), materials }], packet);
    },
    /** Takes the arrays of a mesh over, and the normal map that completes it. */
    showCompleted(packet) {
      const normalMap = texture(packet.arrays.residual, THREE.NoColorSpace);
      const materials = cloth(packet.region_counts.length, packet.inward, { normalMap });
      for (const material of materials) Object.assign(material, coloured());
      take([{ geometry: shape(packet, true), materials }], packet);
    },
    /** The same surface flat with its bump map, flat with its normal map, displaced, and displaced with its normal map. */
    showWays({ flat, displaced, normals, bump, bumpSpan, colourPixels }) {
      const normalMap = () => ({ normalMap: texture(normals, THREE.NoColorSpace) });
      // white stands as far above black as it does in reality
      const bumped = { bumpMap: texture(bump, THREE.NoColorSpace), bumpScale: bumpSpan, kind: TRUE_BUMP };
      const dressed = (packet, mapped, more) => ({
        geometry: shape(packet, mapped),
        materials: cloth(packet.region_counts.length, packet.inward, {
          ...coloured(colourPixels, packet.colours_laid[packet.region_reliefs[0]]),
          ...more,
        }),
      });
      take(
        [
          dressed(flat, false, bumped),
          dressed(flat, true, normalMap()),
          dressed(displaced, false, {}),
          dressed(displaced, true, normalMap()),
        ],
        displaced,
      );
    },
  };
}
