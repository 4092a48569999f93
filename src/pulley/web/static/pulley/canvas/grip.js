// The grip in the middle of a selection: drag it to move freely in the plane that faces the view best, Shift square to it.

import * as THREE from "../../vendor/three/three.min.js";
import { follow } from "../underway.js";
import { alongLine, grainOf, snapped } from "./pull.js";
import { svg } from "./svg.js";

/** A grip; `onMove(by)` previews a displacement in mm, `onDone(by)` asks for the step. */
export function createGrip(overlay, stage, { onMove, onDone, words }) {
  let held = null;

  function show(paths, pitch) {
    clear();
    const knob = svg("path", { d: "M0-9L9 0L0 9L-9 0z" });
    const label = svg("text", { class: "rail-label", x: 16 });
    const group = svg("g", { class: "grip" }, knob, label);
    overlay.append(group);
    held = { group, label, pitch, at: stage.bounds(paths).getCenter(new THREE.Vector3()), by: [0, 0, 0] };
    knob.addEventListener("pointerdown", drag);
    place();
  }

  function place() {
    if (!held) return;
    const { x, y } = stage.project(held.at.clone().add(new THREE.Vector3(...held.by)));
    held.group.setAttribute("transform", `translate(${x} ${y})`);
    const [dx, dy, dz] = held.by;
    held.label.textContent = dx || dy || dz ? `${words(dx)}, ${words(dy)}, ${words(dz)}` : "";
  }

  function drag(down) {
    const view = stage.camera.getWorldDirection(new THREE.Vector3());
    const facing = [view.x, view.y, view.z].map(Math.abs);
    const square = facing.indexOf(Math.max(...facing));
    const moveBy = (by) => {
      held.by = by;
      onMove(by);
      place();
    };
    follow(down.currentTarget, down, {
      move: (event) => moveBy(meant(event, square)),
      done: (event, moved) => {
        const { by } = held;
        if (by.some((v) => v !== 0)) return onDone(by);
        moveBy([0, 0, 0]);
        if (!moved) stage.click(event);
      },
      cancel: () => moveBy([0, 0, 0]),
    });
  }

  /** The displacement that the pointer means: on the plane, or with Shift along the axis square to it. */
  function meant(event, square) {
    const ray = stage.ray(event);
    const normal = new THREE.Vector3().setComponent(square, 1);
    const by = [...held.by];
    if (event.shiftKey) {
      const now = held.at.clone().add(new THREE.Vector3(...by).setComponent(square, 0));
      by[square] = alongLine(ray, now, normal) ?? by[square];
    } else {
      const level = held.at.clone().add(new THREE.Vector3().setComponent(square, by[square]));
      const spot = ray.intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(normal, level), new THREE.Vector3());
      if (spot) spot.sub(held.at).toArray().forEach((v, k) => { if (k !== square) by[k] = v; });
    }
    return by.map((v) => snapped(v, grainOf(event, held.pitch)));
  }

  function clear() {
    held?.group.remove();
    held = null;
  }

  stage.canvas.addEventListener("drawn", place);
  return { show, clear };
}
