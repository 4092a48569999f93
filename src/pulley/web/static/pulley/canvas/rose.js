// The orientation rose: six named petals that turn with the view; each one looks from its side.

import * as THREE from "../../vendor/three/build/three.module.js";

const NS = "http://www.w3.org/2000/svg";
const PETALS = [
  ["top", [0, 0, 1]],
  ["base", [0, 0, -1]],
  ["front", [0, -1, 0]],
  ["back", [0, 1, 0]],
  ["right", [1, 0, 0]],
  ["left", [-1, 0, 0]],
];
const LENGTH = 41;

/** Fill the rose's svg and turn it with every frame. */
export function createRose(svg, stage) {
  const rose = { directions: null };
  const sideOf = (name) => rose.directions?.[name === "base" ? "bottom" : name];
  const ring = document.createElementNS(NS, "circle");
  ring.setAttribute("class", "ring");
  ring.setAttribute("r", "47");
  svg.append(ring);
  const petals = PETALS.map(([name, direction]) => {
    const group = document.createElementNS(NS, "g");
    const [path, text] = [document.createElementNS(NS, "path"), document.createElementNS(NS, "text")];
    for (const [key, value] of Object.entries({ class: "petal", role: "button", tabindex: "0", "aria-label": `Look from the ${name}`, "data-side": name })) {
      group.setAttribute(key, value);
    }
    text.textContent = name;
    group.append(path, text);
    svg.append(group);
    const go = () => stage.lookFrom(sideOf(name) ?? direction);
    group.addEventListener("click", go);
    group.addEventListener("keydown", (event) => {
      if (event.key === "Enter" || event.key === " ") {
        event.preventDefault();
        event.stopPropagation();
        go();
      }
    });
    return { name, group, path, text, direction: new THREE.Vector3(...direction) };
  });

  stage.canvas.addEventListener("drawn", () => {
    const turn = stage.camera.matrixWorldInverse;
    for (const petal of petals) {
      const side = sideOf(petal.name);
      if (side) petal.direction.set(...side);
      const seen = petal.direction.clone().transformDirection(turn);
      const [x, y] = [seen.x * LENGTH, -seen.y * LENGTH];
      const [sx, sy] = [-y * 0.42, x * 0.42];
      petal.path.setAttribute("d", `M0 0C${x * 0.35 + sx} ${y * 0.35 + sy} ${x * 0.8 + sx} ${y * 0.8 + sy} ${x} ${y}C${x * 0.8 - sx} ${y * 0.8 - sy} ${x * 0.35 - sx} ${y * 0.35 - sy} 0 0z`);
      petal.text.setAttribute("x", x * 0.72);
      petal.text.setAttribute("y", y * 0.72 + 3);
      petal.group.classList.toggle("far", seen.z < -0.15);
      petal.group.style.display = seen.z < -0.92 ? "none" : "";
      petal.depth = seen.z;
    }
    const focused = document.activeElement;
    const order = [...petals].sort((a, b) => a.depth - b.depth).map((petal) => petal.group);
    if (order.some((group, k) => svg.children[k + 1] !== group)) {
      if (svg.contains(focused)) return;
      svg.append(...order);
    }
  });
  return rose;
}
