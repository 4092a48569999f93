// Looking at the model: fitting, standard directions, saved views, camera moves by themselves, the window for it alone.

import { wireTurning } from "../canvas/turning.js";
import { find, onClick, targetOf } from "../dom.js";
import { viewAt } from "../play/score.js";
import { begun } from "../underway.js";

export function createViewing({ store, scene, selection, server, guide }) {
  const { stage, player } = scene;
  const view = () => JSON.stringify(stage.view());
  const presented = () => document.body.classList.contains("presenting");
  const viewing = { presented };

  viewing.fit = (what) => {
    if (what === "home") return scene.showHome(store.state);
    const moving = stage.leaves(store.members());
    return stage.fit(moving.length ? moving : Object.keys(store.state.score.tracks));
  };
  viewing.useHere = () => store.open && server.edit("view-here", { step: store.open, view: view() }, `#error-${store.open}`);

  /** The whole window for the model and its captions; Escape leaves it. */
  viewing.present = () => {
    const on = !presented();
    setPresenting(on);
    if (on) document.documentElement.requestFullscreen?.().catch(() => {}); // where that is refused the window is enough
    else if (document.fullscreenElement) document.exitFullscreen();
  };

  function setPresenting(on) {
    document.body.classList.toggle("presenting", on);
    stage.box.dataset.presenting = String(on);
    if (on) selection.choose([]);
  }

  /** A camera move by itself, without the steps. */
  function tryOrbit(id) {
    const { shots, seconds } = store.state.orbits[id];
    const from = stage.view();
    const since = performance.now();
    let stopped = false;
    const forget = begun(() => {
      stopped = true;
      stage.box.dataset.trying = "";
      stage.setView(from);
    });
    const swing = (now) => {
      if (stopped) return;
      const time = Math.min(((now - since) / 1000) * player.speed, seconds);
      stage.setView(viewAt(shots, Math.max(time, 1e-6), from));
      stage.box.dataset.trying = time < seconds ? id : "";
      if (time < seconds) requestAnimationFrame(swing);
      else forget();
    };
    requestAnimationFrame(swing);
  }

  onClick(find("#editor"), {
    "[data-camera]": (button) => {
      stage.setView(store.state.cameras[button.dataset.camera]);
      button.closest("details.menu")?.removeAttribute("open"); // it lies on what is to be seen
    },
    "[data-save-view]": (button) => server.edit("save-view", { view: view(), camera: button.dataset.saveView }),
    "[data-from]": (button) => stage.lookFrom(store.state.directions[button.dataset.from]),
    "[data-fit]": (button) => viewing.fit(button.dataset.fit),
    "[data-bearing]": (button) => server.edit("bearings", { which: button.dataset.bearing, view: view() }, "#look-error"),
    "[data-home-here]": () => server.edit("home-here", { view: view() }, "#look-error"),
    "[data-look]": (button) => stage.setView(JSON.parse(button.dataset.look)),
    "[data-view-here]": () => viewing.useHere(),
    "[data-try]": (button) => tryOrbit(button.dataset.try),
    "#fit": () => stage.fit(),
    "#projection": () => stage.setProjection(stage.camera.isPerspectiveCamera ? "parallel" : "perspective"),
    "#present": viewing.present,
  });
  find("#editor").addEventListener("change", (event) => {
    const { id, value } = targetOf(event);
    if (id === "scale" && Number(value) > 0) stage.setScale(Number(value));
  });
  stage.box.addEventListener("projection", () => {
    find("#projection").setAttribute("aria-pressed", String(!stage.camera.isPerspectiveCamera));
  });
  document.addEventListener("fullscreenchange", () => document.fullscreenElement || setPresenting(false));
  wireTurning(stage, () => guide.happened("turned"));
  return viewing;
}
