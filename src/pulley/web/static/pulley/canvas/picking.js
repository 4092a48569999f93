// What lies under the pointer, and clicks on it.

import * as THREE from "../../vendor/three/three.min.js";

const DOUBLE = 450; // milliseconds between the clicks of a double click
const CLICK = 4; // pixels that a pointer may wander and still click

/** Let a `stage` say what is picked: its box hears `picked` of each click that nobody else takes. */
export function addPicking(stage) {
  const { box, canvas, items } = stage;
  let clicked = {};

  /** Hits on components under a pointer, nearest first: path, point in mm and the facet's normal there. */
  stage.hits = (event) => {
    const ray = stage.ray(event);
    const shown = [...items.values()].filter((item) => item.object.visible).map((item) => item.surface);
    const caster = new THREE.Raycaster(ray.origin, ray.direction);
    caster.camera = stage.camera;
    return caster.intersectObjects(shown, false).map((hit) => ({
      path: hit.object.userData.owner,
      point: hit.point.toArray(),
      normal: hit.face.normal.clone().transformDirection(hit.object.matrixWorld).toArray(),
    }));
  };

  /** Paths under a pointer, nearest first. */
  stage.pick = (event) => [...new Set(stage.hits(event).map((hit) => hit.path))];

  /** Tell that something was clicked: what lies under the pointer, and whether it is the second time. */
  stage.click = (event) => {
    if (event.button !== 0) return;
    if (stage.pointing) return stage.pointing(event);
    const [path] = stage.pick(event);
    const again = path !== undefined && path === clicked.path && event.timeStamp - clicked.at < DOUBLE;
    clicked = { path, at: event.timeStamp };
    box.dispatchEvent(new CustomEvent("picked", { detail: { path, again, add: event.ctrlKey || event.metaKey || event.shiftKey } }));
  };

  stage.ray = (event) => {
    const place = canvas.getBoundingClientRect();
    const caster = new THREE.Raycaster();
    caster.setFromCamera(
      new THREE.Vector2(
        ((event.clientX - place.left) / place.width) * 2 - 1,
        1 - ((event.clientY - place.top) / place.height) * 2,
      ),
      stage.camera,
    );
    return caster.ray;
  };

  canvas.addEventListener("pointerdown", (down) => {
    if (down.shiftKey) return;
    const up = (event) => {
      canvas.removeEventListener("pointerup", up);
      if (Math.hypot(event.clientX - down.clientX, event.clientY - down.clientY) <= CLICK) stage.click(event);
    };
    canvas.addEventListener("pointerup", up);
  });
}
