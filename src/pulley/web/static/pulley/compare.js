// Two teardowns side by side: one camera and one instant for both.

import { pair } from "./canvas/paired.js";
import { find, targetOf } from "./dom.js";
import { createScene } from "./play/scene.js";

const boxes = [...document.querySelectorAll(".beside-canvas")].map((box) => /** @type {HTMLElement} */ (box));
const scenes = boxes.map((box) => createScene(box, find("canvas", box)));

await Promise.all(boxes.map(async ({ dataset }, k) => {
  const state = JSON.parse(dataset.json);
  await scenes[k].load(dataset.model);
  scenes[k].take(state);
  scenes[k].begin(state);
}));
const views = scenes.map(({ stage }) => stage.view());
const distance = ({ eye, target }) => Math.hypot(...eye.map((v, k) => v - target[k]));
const wider = distance(views[0]) > distance(views[1]) ? views[0] : views[1]; // both models fit into it
for (const { stage } of scenes) stage.setView(wider);
pair(scenes[0].stage, scenes[1].stage);
window.pulley = { scenes }; // for the curious and for tests; nothing here reads it
find("#both-time").addEventListener("input", (event) => {
  for (const { player } of scenes) player.seek(Number(targetOf(event).value) * player.score.duration, false);
});
