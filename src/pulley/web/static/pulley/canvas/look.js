// How the model is drawn: shaded, with edges or as a line drawing, with shadows, in colours of this teardown.

import * as THREE from "../../vendor/three/three.min.js";

const LIGHT = { paper: 0xffffff, ground: 0xf7f4ee, line: 0x1f2933, edge: 0x1f2933, hidden: 0x77808a };
const DARK = { ...LIGHT, ground: 0x2c353d, line: 0xe4e7e6, edge: 0x10161b };

/** `apply(look, tints)` draws the stage's items so. */
export function createLook(stage, silhouettes) {
  const own = new Map(); // path -> the colour that the file gives
  const dark = matchMedia("(prefers-color-scheme: dark)");
  let shown = null; // what was applied last

  function hiddenLines(item) {
    if (item.dashes) return item.dashes;
    const { edges } = item;
    if (!edges) return null;
    const size = stage.bounds([...stage.items.keys()], true).getSize(new THREE.Vector3()).length();
    item.dashes = new THREE.LineSegments(edges.geometry.toNonIndexed(), new THREE.LineDashedMaterial({ color: LIGHT.hidden, dashSize: size * 0.006, gapSize: size * 0.004, depthFunc: THREE.GreaterDepth, depthWrite: false }));
    item.dashes.computeLineDistances();
    item.dashes.raycast = () => {};
    item.dashes.renderOrder = 3;
    edges.parent.add(item.dashes);
    return item.dashes;
  }

  function apply(look, tints) {
    const lines = look.display === "lines" || look.display === "dashed";
    const colours = dark.matches && !look.paper ? DARK : LIGHT;
    const ground = look.paper ? colours.paper : colours.ground;
    shown = [look, tints];
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
      if (look.display === "dashed") hiddenLines(item);
      if (item.dashes) item.dashes.visible = look.display === "dashed";
    }
    stage.pen.visible = look.display !== "shaded";
    stage.pen.color.set(lines ? colours.line : colours.edge);
    silhouettes.show(stage.pen.visible);
    stage.setShadows(look.shadows && !lines);
    stage.box.classList.toggle("paper", look.paper);
    stage.box.dataset.display = look.display;
    stage.invalidate();
  }
  dark.addEventListener("change", () => shown && apply(...shown));
  return { apply };
}
