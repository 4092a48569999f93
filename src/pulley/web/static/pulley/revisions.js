// Two revisions of a model: side by side under one camera, or one over the other, coloured by what became of each component.

import { createLook } from "./canvas/look.js";
import { pair } from "./canvas/paired.js";
import { createSilhouettes } from "./canvas/silhouettes.js";
import { createStage } from "./canvas/stage.js";
import { find, onClick, targetOf } from "./dom.js";
import * as THREE from "../vendor/three/three.min.js";

const LOOK = { display: "edges", shadows: false, paper: false };
const COLOURS = { shape: "#b4553b", moved: "#3c7fa0", renamed: "#d2a93a", regrouped: "#84548c", added: "#6d8b3c", gone: "#55606b" };
const REST = { colour: "#d9d6cf" }; // of what is the same
const QUARTER = [1, -1, 0.7]; // from where both are seen at first
const OLD = "old:"; // before the paths of the old revision where both are in one scene
const BEHIND = { polygonOffsetFactor: 3, polygonOffsetUnits: 3 }; // where both have the same face, the new one is seen
const MARGIN = 1.15; // of the tightest fit
const SEEN = 0.04; // opacity below which nothing is drawn

const room = find("#revisions");
const { models, pairs, frame } = JSON.parse(room.dataset.json);
const boxes = ["#earlier", "#later"].map((id) => find(`${id} .beside-canvas`));
const stages = boxes.map((box) => createStage(box, find("canvas", box)));
const looks = stages.map((stage) => createLook(stage, createSilhouettes(stage)));
const fade = find("#fade");
const over = { on: false, loaded: false };
const shift = new THREE.Matrix4();
if (frame) shift.fromArray(frame.flat()).transpose(); // how the old one lies in the new one

/** Every pair's path in one of the two revisions, 0 or 1, with what became of it. */
const side = (k) => pairs.filter((each) => each[k]).map((each) => ({ path: each[k], kind: each[2] }));
const tintOf = (kind) => (kind === "same" ? REST : { colour: COLOURS[kind] });

/** The lines of the list. @returns {HTMLElement[]} */
const lines = () => [...document.querySelectorAll("[data-pair]")].map((line) => /** @type {HTMLElement} */ (line));

function paint(k, tints) {
  looks[k].apply(LOOK, tints);
}

function paintSides() {
  for (const k of [0, 1]) paint(k, Object.fromEntries(side(k).map(({ path, kind }) => [path, tintOf(kind)])));
}

/** Let the old one fade into the new one, as far as the slider is: what stayed is there throughout. */
function paintOver() {
  const at = Number(fade.value);
  const [before, after] = [Math.min(2 - 2 * at, 1), Math.min(2 * at, 1)];
  const tints = {};
  const lay = (path, tint, opacity) => {
    tints[path] = { ...tint, opacity };
    stages[1].show(path, opacity > SEEN);
  };
  for (const { path, kind } of side(0)) lay(OLD + path, { colour: COLOURS.gone }, kind === "same" || kind === "renamed" ? 0 : before * 0.6);
  for (const { path, kind } of side(1)) lay(path, tintOf(kind), kind === "same" || kind === "renamed" ? 1 : after);
  paint(1, tints);
}

async function showOver(on) {
  over.on = on;
  if (on && !over.loaded) {
    await stages[1].load(models[0], OLD);
    over.loaded = true;
    for (const { path } of side(0)) {
      stages[1].move(OLD + path, shift);
      Object.assign(stages[1].items.get(OLD + path).surface.material, BEHIND);
    }
  }
  find("#earlier").hidden = over.on;
  find("#fade-line").hidden = !over.on;
  find("#later h2").hidden = over.on;
  room.classList.toggle("over", over.on);
  if (over.on) return paintOver();
  for (const { path } of over.loaded ? side(0) : []) stages[1].show(OLD + path, false);
  for (const { path } of side(1)) stages[1].show(path, true);
  return paintSides();
}

/** Outline a pair wherever it is, and mark its line in the list. */
function light(old, now) {
  stages[0].lit = new Set(old ? [old] : []);
  stages[1].lit = new Set([...(now ? [now] : []), ...(old && over.on ? [OLD + old] : [])]);
  for (const stage of stages) stage.refresh();
  for (const line of lines()) line.setAttribute("aria-pressed", String(line.dataset.old === (old ?? "") && line.dataset.new === (now ?? "")));
}

await Promise.all(stages.map((stage, k) => stage.load(models[k])));
for (const { path } of side(0)) stages[0].move(path, shift);
paintSides();
const corners = stages.flatMap((stage) => stage.corners());
for (const stage of stages) {
  stage.setMargin(MARGIN);
  stage.fitTo(corners, QUARTER);
}
pair(stages[0], stages[1]);
for (const [k, box] of boxes.entries()) {
  stages[k].canvas.addEventListener("drawn", () => { box.dataset.ready = "true"; }, { once: true });
  box.addEventListener("picked", ({ detail }) => {
    const own = detail.path?.startsWith(OLD) ? [0, detail.path.slice(OLD.length)] : [k, detail.path];
    const found = pairs.find((each) => own[1] && each[own[0]] === own[1]);
    light(found?.[0], found?.[1]);
    const line = lines().find((each) => each.getAttribute("aria-pressed") === "true");
    line?.closest("details").setAttribute("open", "");
    line?.scrollIntoView({ block: "nearest" });
  });
  stages[k].invalidate();
}
window.pulley = { stages, over }; // for the curious and for tests; nothing here reads it
onClick(document, { "[data-pair]": (line) => light(line.dataset.old || undefined, line.dataset.new || undefined) });
fade.addEventListener("input", paintOver);
find(".arranged").addEventListener("change", (event) => showOver(targetOf(event).value === "over"));
