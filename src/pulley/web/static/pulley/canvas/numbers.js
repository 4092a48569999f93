// Numbers on components: the order in which a fan spreads them.

import * as THREE from "../../vendor/three/three.min.js";
import { svg } from "./svg.js";

/** `show([{ paths, text }])` writes a text on the middle of components; it follows the view. */
export function createNumbers(overlay, stage) {
  let marks = [];

  function show(entries) {
    clear();
    marks = entries.flatMap(({ paths, text }) => paths.map((path) => {
      const label = svg("text", { y: 4.5 });
      label.textContent = text;
      const group = svg("g", { class: "order-mark" }, svg("rect", { x: -10, y: -9, width: 20, height: 18, rx: 4 }), label);
      overlay.append(group);
      return { group, path };
    }));
    place();
  }

  function place() {
    for (const { group, path } of marks) {
      const { x, y } = stage.project(stage.bounds([path], true).getCenter(new THREE.Vector3()));
      group.setAttribute("transform", `translate(${x} ${y})`);
    }
  }

  function clear() {
    for (const { group } of marks) group.remove();
    marks = [];
  }

  stage.canvas.addEventListener("drawn", place);
  return { show, clear };
}
