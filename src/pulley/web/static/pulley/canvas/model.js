// The model: every component of the assembly's GLB, in millimetres with Z up, where it stands and whether it is shown.

import * as THREE from "../../vendor/three/three.min.js";

/** Components by path, put into the scene of a `stage`; whatever moves one asks for a new frame. */
export function addModel(stage) {
  const { items, scene } = stage;
  stage.pen = new THREE.LineBasicMaterial(); // of every edge: one, as a graphics card works longest at a change of material

  /** Load the GLB at an address, or one that is here already, as bytes; beside another one, paths begin with `prefix`. */
  stage.load = async (model, prefix = "") => {
    const loader = new THREE.GLTFLoader();
    const gltf = await (typeof model === "string" ? loader.loadAsync(model) : loader.parseAsync(model, ""));
    const root = gltf.scene.children[0];
    root.matrix.identity();
    root.matrix.decompose(root.position, root.quaternion, root.scale);
    for (const object of root.children) items.set(prefix + object.userData.path, adopt(object, prefix + object.userData.path, stage.pen));
    scene.add(root);
    scene.updateMatrixWorld(true);
  };

  /** The leaves that paths stand for: a subassembly's are those below it. */
  stage.leaves = (paths) => {
    const chosen = new Set(paths);
    return [...items.keys()].filter((leaf) => {
      for (let at = leaf.length; at > 0; at = leaf.lastIndexOf("/", at - 1)) if (chosen.has(leaf.slice(0, at))) return true;
      return false;
    });
  };

  /** The corners of the bounds of each component that is shown, where it is now or where `motionOf(path)` puts it. */
  stage.corners = (paths = [...items.keys()], motionOf = (path) => items.get(path).motion) => {
    const shown = paths.filter((path) => items.get(path)?.object.visible);
    return shown.flatMap((path) => {
      const { home, surface } = items.get(path);
      const pose = motionOf(path).clone().multiply(home);
      return cornersOf(surface.geometry.boundingBox).map((corner) => corner.applyMatrix4(pose));
    });
  };

  /** Bounds of components where they are now. */
  stage.bounds = (paths, all = false) => {
    const bounds = new THREE.Box3();
    for (const path of paths) {
      const item = items.get(path);
      if (item && (all || item.object.visible)) bounds.union(item.box.clone().applyMatrix4(item.motion));
    }
    return bounds.isEmpty() ? new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1)) : bounds;
  };

  /** Put a component at an offset in mm and a rotation (x, y, z, w) from home. */
  stage.place = (path, offset, turn) => stage.move(path, new THREE.Matrix4().makeRotationFromQuaternion(new THREE.Quaternion(...turn)).setPosition(offset[0], offset[1], offset[2]));

  /** Put a component where a matrix from home says. */
  stage.move = (path, matrix) => {
    const item = items.get(path);
    if (!item || item.motion.equals(matrix)) return;
    item.motion.copy(matrix);
    item.object.matrix.multiplyMatrices(item.motion, item.home);
    item.object.matrixWorldNeedsUpdate = true;
    stage.invalidate();
  };

  stage.show = (path, visible) => {
    const item = items.get(path);
    if (!item || item.object.visible === visible) return;
    item.object.visible = visible;
    stage.invalidate();
  };
}

/** The eight corners of a box. */
export const cornersOf = ({ min, max }) => [0, 1, 2, 3, 4, 5, 6, 7].map((k) => new THREE.Vector3(k & 1 ? max.x : min.x, k & 2 ? max.y : min.y, k & 4 ? max.z : min.z));

/** Make a loaded node ours: plain shading with edges before faces, and its bounds at home. */
function adopt(object, path, pen) {
  let [surface, edges] = [null, null];
  object.updateMatrix();
  object.matrixAutoUpdate = false;
  object.traverse((node) => {
    if (node.isMesh) {
      surface = node;
      const { color, side } = node.material;
      node.material = new THREE.MeshLambertMaterial({ color, side, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
      node.userData.owner = path;
    } else if (node.isLineSegments) {
      edges = node;
      node.material = pen;
      node.raycast = () => {};
    }
  });
  surface.geometry.computeBoundingBox();
  const box = surface.geometry.boundingBox.clone().applyMatrix4(object.matrix);
  return { object, surface, edges, home: object.matrix.clone(), box, motion: new THREE.Matrix4() };
}
