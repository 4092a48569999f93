// Snags of the open step: a ring round each contact point, with a sign and a number.

import * as THREE from "../../vendor/three/three.min.js";
import { svg } from "./svg.js";

const MOST = 12;

/** `show` rings the points of snags; they follow the view. */
export function createSnagMarks(overlay, stage, kind = "snag") {
  let marks = [];

  function show(snags) {
    for (const mark of marks) mark.group.remove();
    marks = snags.filter((snag) => snag.point).slice(0, MOST).map((snag) => {
      const label = svg("text", { class: "snag-label", x: 13, y: 4 });
      label.textContent = `▲ ${snag.words ?? `${snag.travel.toFixed(1)} mm`}`;
      const group = svg("g", { class: kind }, svg("circle", { class: "ring-snag", r: 9 }), label);
      overlay.append(group);
      return { group, point: new THREE.Vector3(...snag.point) };
    });
    place();
  }

  function place() {
    for (const { group, point } of marks) {
      const { x, y } = stage.project(point);
      group.setAttribute("transform", `translate(${x} ${y})`);
    }
  }
  stage.canvas.addEventListener("drawn", place);
  return { show };
}
