// Where components would go: see-through copies of them, which nothing points at.

import * as THREE from "../../vendor/three/three.min.js";
import { ROPE } from "./outline.js";

/** `show(poses)` has copies of components where matrices from home, row by row, put them, and nothing else. */
export function createGhost(stage) {
  const glass = new THREE.MeshLambertMaterial({ color: ROPE, transparent: true, opacity: 0.4, depthWrite: false });
  let copies = [];

  function copyOf(path, pose) {
    const { surface, motion } = stage.items.get(path);
    const copy = new THREE.Mesh(surface.geometry, glass);
    copy.matrixAutoUpdate = false;
    surface.updateWorldMatrix(true, false); // it may have been moved since the last frame
    copy.matrix.fromArray(pose).transpose().multiply(motion.clone().invert()).multiply(surface.matrixWorld);
    return copy;
  }

  function show(poses) {
    const before = copies;
    const here = Object.entries(poses).filter(([path]) => stage.items.has(path)); // another window may have added some
    copies = here.map(([path, pose]) => copyOf(path, pose));
    if (!before.length && !copies.length) return;
    for (const each of before) stage.scene.remove(each);
    for (const each of copies) stage.scene.add(each);
    stage.box.dataset.ghosts = String(copies.length);
    stage.invalidate();
  }
  return { show };
}
