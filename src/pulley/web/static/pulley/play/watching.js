// A teardown that is only watched: its scene with the controls, the keys, the steps and the views of the page.

import { find, onClick, targetOf } from "../dom.js";
import { showInstant, wirePlayback } from "./playback.js";
import { createScene } from "./scene.js";

/** The scene of a page that shows `state`; `keys` are those of the page's own. `open(model)` loads and begins it. */
export function createWatching(state, keys = {}) {
  const scene = createScene(find("#canvas"), find("#drawing"), showTime);
  const { stage, player } = scene;
  const go = wirePlayback(player);
  const acts = { e: player.explode, c: player.collapse, b: player.thereAndBack, " ": () => player.toggle(), Home: () => go("start"), End: () => go("end"), ArrowRight: () => go("on"), ArrowLeft: () => go("back"), ...keys };

  function showTime(time) {
    showInstant(player, time);
    const now = player.score.steps.findLast((step) => step.start < time - 1e-9);
    for (const button of document.querySelectorAll("[data-step]")) {
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
    if (event.key === " " && targetOf(event).closest("button, summary")) return;
    const act = acts[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act) return;
    event.preventDefault();
    act();
  });

  /** Show the model that `found()` gives, an address or bytes; `sorry` is said when there is none. */
  async function open(found, sorry) {
    try {
      await scene.load(found());
    } catch {
      find("#loading").textContent = sorry;
      return;
    }
    scene.take(state);
    scene.begin(state);
    if (state.begins === "assembled") player.seek(0, false);
    find("#loading").hidden = true;
    window.pulley = { stage, player }; // for the curious and for tests; nothing here reads it
  }
  return { stage, player, open };
}
