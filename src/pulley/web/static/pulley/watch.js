// A shared teardown: to be turned, played and looked at step by step, and nothing else.

import { createRose } from "./canvas/rose.js";
import { find, onClick, targetOf } from "./dom.js";
import { showInstant, wirePlayback } from "./play/playback.js";
import { createScene } from "./play/scene.js";

const state = JSON.parse(find("#state").dataset.json);
const scene = createScene(find("#canvas"), find("#drawing"), showTime);
const { stage, player } = scene;
const rose = createRose(find("#rose"), stage);
const go = wirePlayback(player);
const KEYS = { e: player.explode, c: player.collapse, b: player.thereAndBack, " ": () => player.toggle(), Home: () => go("start"), End: () => go("end"), ArrowRight: () => go("on"), ArrowLeft: () => go("back") };

function showTime(time) {
  showInstant(player, time);
  const now = player.score.steps.findLast((step) => step.start < time - 1e-9);
  for (const button of document.querySelectorAll(".watch-step")) {
    if (button.getAttribute("data-step") === now?.id) button.setAttribute("aria-current", "step");
    else button.removeAttribute("aria-current");
  }
}

onClick(document, {
  "[data-at]": ({ dataset }) => {
    player.pause();
    player.seek(Number(dataset.at));
  },
  "[data-camera]": ({ dataset }) => stage.setView(state.cameras[Number(dataset.camera)]),
  "#fit": () => stage.fit(),
});
document.addEventListener("keydown", (event) => {
  if (targetOf(event).matches("input, select") || event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === " " && targetOf(event).closest("button")) return;
  const act = KEYS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!act) return;
  event.preventDefault();
  act();
});

async function begin() {
  try {
    await scene.load(find("#watch").dataset.model);
  } catch {
    find("#loading").textContent = "The model could not be loaded. Reload the page.";
    return;
  }
  scene.take(state);
  rose.directions = state.directions;
  scene.begin(state);
  player.seek(0, false);
  find("#loading").hidden = true;
  window.pulley = { stage, player }; // for the curious and for tests; nothing here reads it
}

begin();
