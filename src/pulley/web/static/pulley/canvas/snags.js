// Snags of the open step: a ring round each contact point, with a sign and a number.

import * as THREE from "../../vendor/three/three.min.js";
import { svg } from "./svg.js";

const MOST = 12;
const [LETTER, LINE] = [7, 15]; // pixels, about: a letter's width, a line's height

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
      return { group, label, point: new THREE.Vector3(...snag.point) };
    });
    place();
  }

  /** Rings at their points; of words that would lie on one another the first are shown. */
  function place() {
    const taken = [];
    for (const { group, label, point } of marks) {
      const { x, y } = stage.project(point);
      group.setAttribute("transform", `translate(${x} ${y})`);
      const wide = 20 + LETTER * label.textContent.length;
      const free = !taken.some((other) => Math.abs(other.y - y) < LINE && x < other.x + other.wide && other.x < x + wide);
      label.style.display = free ? "" : "none";
      if (free) taken.push({ x, y, wide });
    }
  }
  stage.canvas.addEventListener("drawn", place);
  return { show };
}
