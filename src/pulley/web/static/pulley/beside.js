// Two teardowns side by side: one camera and one instant for both.

import { createStage } from "./canvas/stage.js";
import { createTrails } from "./canvas/trails.js";
import { createPlayer } from "./player.js";

const boxes = [...document.querySelectorAll(".beside-canvas")];
const pairs = boxes.map((box) => {
  const stage = createStage(box, box.querySelector("canvas"));
  const trails = createTrails(stage);
  return { box, stage, trails, player: createPlayer(stage, trails, () => {}) };
});

function follow(from, to) {
  let busy = false;
  from.heed("change", () => {
    if (busy || to.following) return;
    busy = from.following = true;
    to.setView(from.view());
    busy = from.following = false;
  });
}

await Promise.all(pairs.map(async ({ box, stage, trails, player }) => {
  const state = JSON.parse(box.dataset.json);
  await stage.load(box.dataset.model);
  trails.scaleTo(stage.bounds([...stage.items.keys()]));
  player.load(state.score, state.trails, state.hidden);
  player.seek(state.score.duration, false);
  stage.quarter();
  stage.canvas.addEventListener("drawn", () => { box.dataset.ready = "true"; }, { once: true });
}));
follow(pairs[0].stage, pairs[1].stage);
follow(pairs[1].stage, pairs[0].stage);
document.querySelector("#both-time").addEventListener("input", (event) => {
  for (const { player } of pairs) player.seek(Number(event.target.value) * player.score.duration, false);
});
