// Pointing at the model: hover shows the face, edge or corner that Python finds there, a click takes it.

import * as THREE from "../../vendor/three/three.min.js";
import { set, svg } from "./svg.js";

const NEAR = 7; // pixels within which an edge or a corner is meant
const REST = 60; // milliseconds between questions while the pointer moves

/** `start({ prompt, typed, accepts, onTake, onSeen })` begins; what is taken is a feature, or only a path. */
export function createPointing(bar, overlay, stage, question) {
  let job = null;
  let last = null;
  let seen = null;
  let timer = 0;
  const [dot, ray, label] = [svg("circle", { r: 5 }), svg("path"), svg("text", { class: "rail-label" })];
  const mark = svg("g", { class: "pointed" }, ray, dot, label);
  const held = svg("g", { class: "pointed held" }); // what was picked before, and what was found of it
  let spots = []; // places in mm that stay marked
  let line = null; // between two of them, with its words

  function start(what) {
    forget();
    job = what;
    seen = null;
    bar.querySelector(".prompt").textContent = what.prompt;
    bar.querySelector("#pointing-typed").hidden = !what.typed;
    bar.querySelector("#pointing-typed").value = "";
    bar.querySelector(".flip").hidden = !what.flip;
    bar.querySelector("#pointing-error").textContent = "";
    bar.hidden = false;
    stage.box.dataset.pointing = what.prompt;
    overlay.append(mark);
    stage.pointing = take;
  }

  /** Keep the place of a feature marked until the task is over. */
  function keep({ origin }) {
    spots.push(new THREE.Vector3(...origin));
    overlay.append(held);
    stage.refresh();
  }

  /** Say what was found, on a line from one place to another where it has places. */
  function tell(words, from, to) {
    bar.querySelector(".prompt").textContent = words;
    line = from && { from: new THREE.Vector3(...from), to: new THREE.Vector3(...to), words };
    overlay.append(held);
    stage.refresh();
  }

  function forget() {
    [spots, line] = [[], null];
    held.replaceChildren();
    held.remove();
  }

  function drawHeld() {
    held.replaceChildren(...spots.map((spot) => {
      const { x, y } = stage.project(spot);
      return svg("circle", { r: 5, cx: x, cy: y });
    }));
    if (!line) return;
    const [a, b] = [stage.project(line.from), stage.project(line.to)];
    const text = svg("text", { class: "rail-label", x: (a.x + b.x) / 2 + 10, y: (a.y + b.y) / 2 - 8 });
    text.textContent = line.words.split(",")[0];
    held.append(svg("path", { d: `M${a.x} ${a.y}L${b.x} ${b.y}` }), text);
  }

  /** A component was picked in a list: taken where only that is asked for. */
  function takePath(path) {
    if (job.accepts === "component") return job.onTake({ component: path });
    return complain(new Error("Point at the model itself: this needs a place on it."));
  }

  function stop() {
    if (!job) return;
    job = null;
    stage.pointing = null;
    bar.hidden = true;
    mark.remove();
    forget();
    delete stage.box.dataset.pointing;
    stage.refresh();
  }

  async function look(event) {
    const [hit] = stage.hits(event);
    if (!hit) return null;
    if (job.accepts === "component") return { component: hit.path };
    const reach = NEAR * stage.grain(hit.point);
    const values = { path: hit.path, point: JSON.stringify(hit.point), normal: JSON.stringify(hit.normal), reach };
    return question(values);
  }

  stage.canvas.addEventListener("pointermove", (event) => {
    if (!job || event.buttons) return;
    last = event;
    if (timer) return;
    timer = setTimeout(async () => {
      timer = 0;
      if (!job) return;
      const now = job;
      seen = await look(last).catch(() => null);
      if (now !== job) return;
      draw();
      job.onSeen?.(seen);
    }, REST);
  });

  async function take(event) {
    const now = job;
    try {
      const feature = await look(event);
      if (!feature || now !== job) return;
      seen = feature;
      draw();
      now.onTake(feature, event);
    } catch (error) {
      complain(error);
    }
  }

  const complain = (error) => {
    bar.querySelector("#pointing-error").textContent = error.message;
  };

  function draw() {
    const shown = job && seen?.origin;
    mark.style.display = shown ? "" : "none";
    if (!shown) return;
    const origin = new THREE.Vector3(...seen.origin);
    const { x, y } = stage.project(origin);
    set(dot, { cx: x, cy: y });
    set(label, { x: x + 12, y: y - 10 });
    label.textContent = `${seen.words}, ${seen.name}`;
    const size = 70 * stage.grain(seen.origin);
    const end = seen.direction ? stage.project(origin.clone().addScaledVector(new THREE.Vector3(...seen.direction), size)) : { x, y };
    ray.setAttribute("d", `M${x} ${y}L${end.x} ${end.y}`);
  }
  stage.canvas.addEventListener("drawn", () => {
    draw();
    if (job) drawHeld();
  });

  bar.querySelector("#pointing-stop").addEventListener("click", stop);
  bar.querySelector("#pointing-typed").addEventListener("keydown", async (event) => {
    if (event.key !== "Enter" || !job) return;
    const now = job;
    try {
      now.onTake(await question({ typed: event.target.value }), event);
    } catch (error) {
      complain(error);
    }
  });
  return { start, stop, active: () => job !== null, complain, keep, tell, takePath };
}
