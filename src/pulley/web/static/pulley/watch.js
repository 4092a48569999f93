// A shared teardown: to be turned, played and looked at step by step, and nothing else.

import { createLook } from "./canvas/look.js";
import { createRose } from "./canvas/rose.js";
import { createStage } from "./canvas/stage.js";
import { createTrails } from "./canvas/trails.js";
import { showInstant, wirePlayback } from "./playback.js";
import { createPlayer } from "./player.js";

const $ = (selector) => document.querySelector(selector);
const state = JSON.parse($("#state").dataset.json);
const stage = createStage($("#canvas"), $("#drawing"));
const trails = createTrails(stage);
const player = createPlayer(stage, trails, showTime);
const rose = createRose($("#rose"), stage);
const playback = wirePlayback(player);
const KEYS = { e: player.explode, c: player.collapse, b: player.thereAndBack, " ": () => player.toggle(), Home: () => playback.go("start"), End: () => playback.go("end"), ArrowRight: () => playback.go("on"), ArrowLeft: () => playback.go("back") };

function showTime(time) {
  showInstant(player, time);
  const now = player.score.steps.findLast((step) => step.start < time - 1e-9);
  for (const button of document.querySelectorAll(".watch-step")) {
    if (button.dataset.step === now?.id) button.setAttribute("aria-current", "step");
    else button.removeAttribute("aria-current");
  }
}

document.addEventListener("click", (event) => {
  const step = event.target.closest("[data-at]");
  const view = event.target.closest("[data-camera]");
  if (step) {
    player.pause();
    player.seek(Number(step.dataset.at));
  } else if (view) stage.setView(state.cameras[Number(view.dataset.camera)]);
});
document.addEventListener("keydown", (event) => {
  if (event.target.matches("input, select") || event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === " " && event.target.closest("button")) return;
  const act = KEYS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!act) return;
  event.preventDefault();
  act();
});
$("#fit").addEventListener("click", () => stage.fit());

async function begin() {
  try {
    await stage.load($("#watch").dataset.model);
  } catch {
    $("#loading").textContent = "The model could not be loaded. Reload the page.";
    return;
  }
  trails.scaleTo(stage.bounds([...stage.items.keys()]));
  stage.setUp(state.up);
  rose.directions = state.directions;
  trails.style(state.line);
  createLook(stage).apply(state.look, state.tints);
  player.load(state.score, state.trails, state.hidden);
  player.seek(player.score.duration, false);
  stage.quarter();
  player.seek(0, false);
  $("#loading").hidden = true;
  $("#drawing").addEventListener("drawn", () => { $("#canvas").dataset.ready = "true"; }, { once: true });
  stage.invalidate();
  window.pulley = { stage, player }; // for the curious and for tests; nothing here reads it
}

begin();
