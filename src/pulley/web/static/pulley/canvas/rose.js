// The orientation rose: six named petals that turn with the view; each one looks from its side.

import * as THREE from "../../vendor/three/three.min.js";
import { set, svg } from "./svg.js";

const PETALS = ["top", "bottom", "front", "back", "right", "left"];
const LENGTH = 41;

/** Fill the rose's svg and turn it with every frame; its `directions` are those that the server says. */
export function createRose(box, stage) {
  const rose = { directions: null };
  box.append(svg("circle", { class: "ring", r: 47 }));
  const petals = PETALS.map((name) => {
    const word = name === "bottom" ? "base" : name; // shorter on a petal
    const [path, text] = [svg("path"), svg("text")];
    const group = svg("g", { class: "petal", role: "button", tabindex: 0, "aria-label": `Look from the ${word}`, "data-side": word }, path, text);
    text.textContent = word;
    box.append(group);
    const go = () => rose.directions && stage.lookFrom(rose.directions[name]);
    group.addEventListener("click", go);
    group.addEventListener("keydown", (event) => {
      if (event.key === "Enter" || event.key === " ") {
        event.preventDefault();
        event.stopPropagation();
        go();
      }
    });
    return { name, group, path, text, depth: 0 };
  });

  stage.canvas.addEventListener("drawn", () => {
    if (!rose.directions) return;
    const turn = stage.camera.matrixWorldInverse;
    for (const petal of petals) {
      const seen = new THREE.Vector3(...rose.directions[petal.name]).transformDirection(turn);
      const [x, y] = [seen.x * LENGTH, -seen.y * LENGTH];
      const [sx, sy] = [-y * 0.42, x * 0.42];
      petal.path.setAttribute("d", `M0 0C${x * 0.35 + sx} ${y * 0.35 + sy} ${x * 0.8 + sx} ${y * 0.8 + sy} ${x} ${y}C${x * 0.8 - sx} ${y * 0.8 - sy} ${x * 0.35 - sx} ${y * 0.35 - sy} 0 0z`);
      set(petal.text, { x: x * 0.72, y: y * 0.72 + 3 });
      petal.group.classList.toggle("far", seen.z < -0.15);
      petal.group.style.display = seen.z < -0.92 ? "none" : "";
      petal.depth = seen.z;
    }
    const focused = document.activeElement;
    const order = [...petals].sort((a, b) => a.depth - b.depth).map((petal) => petal.group);
    if (order.some((group, k) => box.children[k + 1] !== group)) {
      if (box.contains(focused)) return;
      box.append(...order);
    }
  });
  return rose;
}
