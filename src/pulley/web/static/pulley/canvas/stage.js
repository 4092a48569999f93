// The stage: model, view and picking in one, with light and outlines. A frame is drawn only when something changed, and the
// scene in it only when that was the scene or from where it is seen.

import * as THREE from "../../vendor/three/three.min.js";
import { addModel } from "./model.js";
import { createOutline } from "./outline.js";
import { addPicking } from "./picking.js";
import { createPicture } from "./picture.js";
import { addView } from "./view.js";

const FINE = Number(document.documentElement.dataset.fine ?? 1.5); // pixels of the picture to one of the page, where the processor draws
const FINEST = 2; // the same, at most, on a finer screen

/** Build the scene in `canvas`, which fills `box`. */
export function createStage(box, canvas) {
  const slow = isDrawnByProcessor();
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: !slow, alpha: true });
  const scene = new THREE.Scene();
  const lamp = new THREE.DirectionalLight(0xffffff, 1.9);
  const items = new Map(); // path -> { object, surface, edges, home, box, motion }
  /** @type {any} */
  const stage = { box, canvas, scene, items, lit: new Set(), snagged: new Set(), frames: 0, scenes: 0 };
  const outline = createOutline(renderer, scene);
  const picture = createPicture(renderer);
  let wanted = false;
  let seen = ""; // how the scene was seen in the picture that is kept; nothing when it has changed since

  scene.add(new THREE.HemisphereLight(0xffffff, 0xc9bfae, 1.5), lamp, lamp.target);
  /** Draw a frame, as what lies over the scene or the view has changed. */
  stage.refresh = () => {
    if (wanted) return;
    wanted = true;
    requestAnimationFrame(draw);
  };
  /** Draw a frame, as the scene has changed. */
  stage.invalidate = () => {
    seen = "";
    stage.refresh();
  };
  addModel(stage);
  addView(stage);
  addPicking(stage);

  function draw() {
    wanted = false;
    stage.setRange();
    stage.camera.updateMatrixWorld();
    const now = [...stage.camera.matrixWorld.elements, ...stage.camera.projectionMatrix.elements].join();
    if (seen === now) picture.show();
    else drawScene();
    seen = now;
    outline.draw(stage.camera, surfaces(stage.lit), surfaces(stage.snagged));
    stage.frames += 1;
    canvas.dataset.frames = String(stage.frames);
    canvas.dispatchEvent(new Event("drawn"));
  }

  function drawScene() {
    const { target, distance } = stage.aim();
    lamp.position.copy(stage.camera.position).add(new THREE.Vector3(0, 0, 0.4 * distance));
    lamp.target.position.copy(target);
    if (lamp.castShadow) frameShadows(distance);
    renderer.render(scene, stage.camera);
    picture.keep();
    stage.scenes += 1;
  }

  function frameShadows(distance) {
    const reach = stage.bounds([...items.keys()], true).getBoundingSphere(new THREE.Sphere()).radius * 1.2;
    Object.assign(lamp.shadow.camera, { left: -reach, right: reach, top: reach, bottom: -reach, near: 0.1, far: distance * 1.5 + 2 * reach });
    lamp.shadow.camera.updateProjectionMatrix();
  }

  const surfaces = (paths) => [...paths].map((path) => items.get(path)?.surface).filter((s) => s?.parent.visible);

  function resize() {
    const [width, height] = [Math.max(box.clientWidth, 1), Math.max(box.clientHeight, 1)];
    stage.setSize(width, height);
    const ratio = slow ? FINE : Math.min(devicePixelRatio, FINEST);
    const whole = (size) => (Math.ceil(size * ratio) + 1e-6) / ratio; // three.js rounds sizes up here and down there
    renderer.setPixelRatio(ratio);
    renderer.setSize(whole(width), whole(height), false);
    for (const part of [outline, picture]) part.resize(canvas.width, canvas.height, ratio);
    stage.invalidate();
  }
  new ResizeObserver(resize).observe(box);
  canvas.addEventListener("webglcontextrestored", stage.invalidate); // the picture that was kept is lost with the card

  /** Shadows of components on one another. */
  stage.setShadows = (on) => {
    if (renderer.shadowMap.enabled === on) return;
    renderer.shadowMap.enabled = lamp.castShadow = on;
    lamp.shadow.mapSize.set(2048, 2048);
    lamp.shadow.bias = -0.0005;
    for (const { surface } of items.values()) surface.material.needsUpdate = true;
  };

  resize();
  return stage;
}

/**
 * Whether frames are drawn by the processor, as no graphics card is to be had. It takes twice as long to smooth a picture
 * by samples as to draw a finer one, and gets the depth of short lines wrong at that: hidden ones show as dots.
 */
function isDrawnByProcessor() {
  const gl = document.createElement("canvas").getContext("webgl2");
  const named = gl?.getExtension("WEBGL_debug_renderer_info")?.UNMASKED_RENDERER_WEBGL ?? gl?.RENDERER;
  const name = gl?.getParameter(named) ?? "";
  gl?.getExtension("WEBGL_lose_context")?.loseContext();
  return /swiftshader|llvmpipe|software|basic render/i.test(name);
}
