// The stage: model, view and picking in one, with light and outlines. A frame is drawn only when something changed, and the
// scene in it only when that was the scene or from where it is seen.

import * as THREE from "../../vendor/three/three.min.js";
import { addModel } from "./model.js";
import { createOutline } from "./outline.js";
import { addPicking } from "./picking.js";
import { createPicture } from "./picture.js";
import { addView } from "./view.js";

/** Build the scene in `canvas`, which fills `box`. */
export function createStage(box, canvas) {
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true });
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
    canvas.dataset.scenes = String(stage.scenes);
  }

  function frameShadows(distance) {
    const reach = stage.bounds([...items.keys()], true).getBoundingSphere(new THREE.Sphere()).radius * 1.2;
    Object.assign(lamp.shadow.camera, { left: -reach, right: reach, top: reach, bottom: -reach, near: 0.1, far: distance * 1.5 + 2 * reach });
    lamp.shadow.camera.updateProjectionMatrix();
  }

  const surfaces = (paths) => [...paths].map((path) => items.get(path)?.surface).filter((s) => s?.parent.visible);

  function resize() {
    const { clientWidth: width, clientHeight: height } = box;
    stage.setSize(width, height);
    renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    renderer.setSize(width, Math.max(height, 1), false);
    for (const part of [outline, picture]) part.resize(canvas.width, canvas.height);
    stage.invalidate();
  }
  new ResizeObserver(resize).observe(box);

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
