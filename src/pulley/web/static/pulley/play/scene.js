// A model on a page: the stage with its trail lines, its look and a player, set up from what the server says.

import { createLook } from "../canvas/look.js";
import { createSilhouettes } from "../canvas/silhouettes.js";
import { createStage } from "../canvas/stage.js";
import { createTrails } from "../canvas/trails.js";
import { createPlayer } from "./player.js";

/**
 * A scene in `canvas`, which fills `box`; `onTime(time)` is told of every instant that is shown.
 * @param {(time: number) => void} onTime
 */
export function createScene(box, canvas, onTime = () => {}) {
  const stage = createStage(box, canvas);
  const trails = createTrails(stage);
  const silhouettes = createSilhouettes(stage);
  const look = createLook(stage, silhouettes);
  const player = createPlayer(stage, trails, onTime);

  async function load(model) {
    await stage.load(model);
    trails.scaleTo(stage.bounds([...stage.items.keys()]));
    silhouettes.begin();
  }

  /** Take on a teardown: which way is up, how it is drawn, and its Score. */
  function take(state) {
    stage.setMargin(state.fitting.margin);
    stage.setUp(state.up);
    trails.style(state.line, state.look.paper);
    look.apply(state.look, state.tints);
    player.load(state.score, state.trails, state.hidden);
  }

  /** The view that a film starts from: the saved one, else a quarter view of everything, assembled and exploded. */
  function showHome({ home, fitting }) {
    if (home) return stage.setView(home);
    const instants = [0, player.score.duration];
    const places = instants.flatMap((time) => stage.corners(undefined, (path) => player.matrixOf(path, time)));
    return stage.fitTo(places, fitting.direction, fitting.fov);
  }

  /** Show it exploded from its home view; the box is marked once a first picture is drawn. */
  function begin(state) {
    player.seek(player.score.duration, false);
    showHome(state);
    stage.canvas.addEventListener("drawn", () => { box.dataset.ready = "true"; }, { once: true });
    stage.invalidate();
  }
  return { stage, player, load, take, showHome, begin };
}
