// How the model is drawn: shaded, with edges or as a line drawing, with shadows, in colours of this teardown.

import * as THREE from "../../vendor/three/three.min.js";

const PAPER = 0xffffff;
const SCREEN = 0xf7f4ee;

/** `apply(look, tints)` draws the stage's items so. */
export function createLook(stage) {
  const own = new Map(); // path -> the colour that the file gives

  function hiddenLines(item) {
    if (item.dashes) return item.dashes;
    const edges = item.object.children.find((node) => node.isLineSegments) ?? item.surface.children.find((node) => node.isLineSegments);
    if (!edges) return null;
    const size = stage.bounds([...stage.items.keys()], true).getSize(new THREE.Vector3()).length();
    item.dashes = new THREE.LineSegments(edges.geometry.toNonIndexed(), new THREE.LineDashedMaterial({ color: 0x77808a, dashSize: size * 0.006, gapSize: size * 0.004, depthFunc: THREE.GreaterDepth, depthWrite: false }));
    item.dashes.computeLineDistances();
    item.dashes.raycast = () => {};
    item.dashes.renderOrder = 3;
    edges.parent.add(item.dashes);
    return item.dashes;
  }

  function apply(look, tints) {
    const lines = look.display === "lines" || look.display === "dashed";
    const ground = look.paper ? PAPER : SCREEN;
    for (const [path, item] of stage.items) {
      const { material } = item.surface;
      if (!own.has(path)) own.set(path, material.color.clone());
      const tint = tints[path] ?? {};
      if (lines) material.color.set(0); // no light falls on it: it is as bright as the ground
      else if (tint.colour) material.color.set(tint.colour);
      else material.color.copy(own.get(path));
      material.emissive.set(lines ? ground : 0);
      material.opacity = lines ? 1 : (tint.opacity ?? 1);
      material.transparent = material.opacity < 1;
      material.depthWrite = material.opacity > 0.6;
      item.surface.castShadow = item.surface.receiveShadow = look.shadows && !lines;
      item.object.traverse((node) => {
        if (node.isLineSegments && node !== item.dashes) node.visible = look.display !== "shaded";
      });
      if (look.display === "dashed") hiddenLines(item);
      if (item.dashes) item.dashes.visible = look.display === "dashed";
    }
    stage.setShadows(look.shadows && !lines);
    stage.box.classList.toggle("paper", look.paper);
    stage.box.dataset.display = look.display;
    stage.invalidate();
  }
  return { apply };
}
