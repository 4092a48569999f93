// A teardown on a page that stands alone, opened from a disk or an e-mail: to be turned, played and stepped through.

import * as THREE from "../vendor/three/three.min.js";
import { find, onClick, targetOf } from "./dom.js";
import { showInstant, wirePlayback } from "./play/playback.js";
import { createScene } from "./play/scene.js";

const state = JSON.parse(find("#state").textContent);
const scene = createScene(find("#canvas"), find("#drawing"), showTime);
const { stage, player } = scene;
const go = wirePlayback(player);
const KEYS = { e: player.explode, c: player.collapse, b: player.thereAndBack, " ": () => player.toggle(), Home: () => go("start"), End: () => go("end"), ArrowRight: () => go("on"), ArrowLeft: () => go("back"), Escape: () => light([]) };

function showTime(time) {
  showInstant(player, time);
  const now = player.score.steps.findLast((step) => step.start < time - 1e-9);
  for (const button of document.querySelectorAll("[data-step]")) {
    if (button.getAttribute("data-step") === now?.id) button.setAttribute("aria-current", "step");
    else button.removeAttribute("aria-current");
  }
}

/** Outline components, and mark the row of the parts list that counts them. */
function light(paths) {
  stage.lit = new Set(paths);
  for (const row of document.querySelectorAll("[data-part]")) {
    const own = JSON.parse(row.getAttribute("data-part"));
    row.setAttribute("aria-pressed", String(paths.length > 0 && own.some((path) => stage.lit.has(path))));
  }
  stage.invalidate();
}

onClick(document, {
  "[data-at]": ({ dataset }) => {
    player.pause();
    player.seek(Number(dataset.at));
  },
  "[data-camera]": ({ dataset }) => stage.setView(state.cameras[Number(dataset.camera)]),
  "[data-part]": (row) => light(row.getAttribute("aria-pressed") === "true" ? [] : JSON.parse(row.dataset.part)),
  "#fit": () => stage.fit(),
});
find("#canvas").addEventListener("picked", ({ detail }) => light(detail.path ? [detail.path] : []));
document.addEventListener("keydown", (event) => {
  if (targetOf(event).matches("input, select") || event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === " " && targetOf(event).closest("button, summary")) return;
  const act = KEYS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!act) return;
  event.preventDefault();
  act();
});

/** The model of this page: packed as gzip (RFC 1952), written in base64. */
function unpacked() {
  const text = atob(find("#model").textContent.trim());
  return THREE.gunzipSync(Uint8Array.from(text, (letter) => letter.charCodeAt(0))).buffer;
}

async function begin() {
  try {
    await scene.load(unpacked());
  } catch {
    find("#loading").textContent = "The model in this file is damaged. Ask for it again.";
    return;
  }
  scene.take(state);
  scene.begin(state);
  player.seek(0, false);
  find("#loading").hidden = true;
  window.pulley = { stage, player }; // for the curious and for tests; nothing here reads it
}

begin();
