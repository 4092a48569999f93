// Handles on the open step: drag the end of its travel, or a waypoint of its path, along its leg up to the contact.

import * as THREE from "../../vendor/three/three.min.js";
import { follow } from "../underway.js";
import { alongLine, grainOf, snapped } from "./pull.js";
import { svg } from "./svg.js";

/** `show(legs, paths, pitch)` puts a handle at the end of each leg; `onMove(legs)` previews, `onDone(k, mm)` asks. */
export function createBends(overlay, stage, { onMove, onDone, words }) {
  let held = [];
  let middle = new THREE.Vector3();
  let pitch = 5;

  function show(legs, centre, snap) {
    clear();
    [middle, pitch] = [centre, snap];
    held = legs.map((leg, k) => {
      const knob = svg("rect", { x: -7, y: -7, width: 14, height: 14, rx: 3 });
      const label = svg("text", { class: "rail-label", x: 14 });
      const group = svg("g", { class: "bend", "data-leg": k }, knob, label);
      overlay.append(group);
      knob.addEventListener("pointerdown", (event) => drag(k, event));
      return { ...leg, group, label, now: leg.length };
    });
    place();
  }

  /** Where the legs begin, one after the other, as they are now. */
  function starts() {
    const at = middle.clone();
    return held.map((leg) => {
      const start = at.clone();
      at.addScaledVector(new THREE.Vector3(...leg.direction), leg.now);
      return start;
    });
  }

  function place() {
    const from = starts();
    held.forEach((leg, k) => {
      const { x, y } = stage.project(from[k].clone().addScaledVector(new THREE.Vector3(...leg.direction), leg.now));
      leg.group.setAttribute("transform", `translate(${x} ${y})`);
      leg.label.textContent = leg.now === leg.length ? "" : words(leg.now);
    });
  }

  function drag(k, down) {
    const leg = held[k];
    const along = new THREE.Vector3(...leg.direction);
    const start = starts()[k];
    const setTo = (length) => {
      leg.now = length;
      onMove(held);
      place();
    };
    const move = (event) => {
      const wanted = alongLine(stage.ray(event), start, along);
      if (wanted !== null) setTo(lengthOf(leg, wanted, event));
    };
    const done = (event) => (leg.now !== leg.length ? onDone(k, leg.now, held.length) : stage.click(event));
    follow(down.currentTarget, down, { move, done, cancel: () => setTo(leg.length) });
  }

  function lengthOf(leg, wanted, event) {
    const grain = grainOf(event, pitch);
    const round = Math.max(snapped(wanted, grain), grain);
    return leg.stop === null || event.shiftKey ? round : Math.max(Math.min(round, leg.stop), 0.1);
  }

  function clear() {
    for (const { group } of held) group.remove();
    held = [];
  }
  stage.canvas.addEventListener("drawn", place);
  return { show, clear };
}
