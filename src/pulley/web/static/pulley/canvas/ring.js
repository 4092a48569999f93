// The ring round an axis: drag its knob to turn the selection.

import * as THREE from "../../vendor/three/three.min.js";
import { follow } from "../underway.js";
import { grainOf, snapped } from "./pull.js";
import { set, svg } from "./svg.js";

const PIECES = 72;
const PITCH = 5; // degrees that a drag snaps to

/** A ring; `onMove(axis, angle)` previews degrees, `onDone(axis, angle)` asks for the step. */
export function createRing(overlay, stage, { onMove, onDone }) {
  let held = null;

  function show(axis, paths, turns) {
    clear();
    const along = new THREE.Vector3(...axis.direction).normalize();
    const bounds = stage.bounds(paths);
    const middle = bounds.getCenter(new THREE.Vector3());
    const origin = new THREE.Vector3(...axis.origin);
    const centre = origin.clone().addScaledVector(along, middle.clone().sub(origin).dot(along));
    const out = middle.clone().sub(centre);
    const size = bounds.getSize(new THREE.Vector3()).length() / 2;
    const u = out.length() > size * 0.05 ? out.clone().normalize() : anySide(along);
    const [line, knob, label] = [svg("path"), svg("circle", { r: 9 }), svg("text", { class: "rail-label" })];
    const group = svg("g", { class: "turn-ring" }, line, knob, label);
    overlay.append(group);
    const radius = Math.max(out.length(), size) * 1.15;
    held = { axis, group, line, knob, label, centre, along, u, v: new THREE.Vector3().crossVectors(along, u), radius, turns, angle: 0 };
    knob.addEventListener("pointerdown", drag);
    place();
  }

  const anySide = (along) => new THREE.Vector3(0, 0, 1).cross(along).lengthSq() > 0.01 ? new THREE.Vector3(0, 0, 1).cross(along).normalize() : new THREE.Vector3(1, 0, 0);

  function spot(angle) {
    const radians = THREE.MathUtils.degToRad(angle);
    return held.centre.clone().addScaledVector(held.u, held.radius * Math.cos(radians)).addScaledVector(held.v, held.radius * Math.sin(radians));
  }

  function place() {
    if (!held) return;
    const points = Array.from({ length: PIECES + 1 }, (_, k) => stage.project(spot((360 * k) / PIECES)));
    held.line.setAttribute("d", points.map(({ x, y }, k) => `${k ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join(""));
    const { x, y } = stage.project(spot(held.angle));
    set(held.knob, { cx: x, cy: y });
    set(held.label, { x: x + 14, y: y - 8 });
    held.label.textContent = held.angle ? `${held.angle}°` : "";
  }

  function drag(down) {
    let last = angleAt(down) ?? 0;
    let gone = 0;
    const turnTo = (angle) => {
      held.angle = angle;
      onMove(held.axis, angle);
      place();
    };
    follow(held.knob, down, {
      move: (event) => {
        const now = angleAt(event) ?? last;
        gone += ((now - last + 540) % 360) - 180;
        last = now;
        turnTo(angleOf(gone, event));
      },
      done: (event) => {
        const { axis, angle } = held;
        if (angle) return onDone(axis, angle);
        turnTo(0);
        return stage.click(event);
      },
      cancel: () => turnTo(0),
    });
  }

  /** Where on the ring, in degrees, the pointer's ray meets its plane. */
  function angleAt(event) {
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(held.along, held.centre);
    const hit = stage.ray(event).intersectPlane(plane, new THREE.Vector3());
    if (!hit) return null;
    const arm = hit.sub(held.centre);
    return THREE.MathUtils.radToDeg(Math.atan2(arm.dot(held.v), arm.dot(held.u)));
  }

  /** Degrees on the pitch, or whole ones with Alt; they end at the contact unless Shift pulls through. */
  function angleOf(angle, event) {
    const round = snapped(angle, grainOf(event, PITCH, 1));
    const { free } = held.turns[round < 0 ? 1 : 0];
    if (free === null || event.shiftKey || Math.abs(round) <= free) return round;
    return Math.sign(round) * Math.floor(free * 10) / 10;
  }

  function clear() {
    held?.group.remove();
    held = null;
  }

  stage.canvas.addEventListener("drawn", place);
  return { show, clear };
}
