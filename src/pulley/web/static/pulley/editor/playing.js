// Playing in the editor: beside the controls, there and back at a stroke, and poses that are kept.

import { find, onClick } from "../dom.js";
import { wirePlayback } from "../play/playback.js";

/** `before()` is told ahead of everything that shows another instant. */
export function createPlaying({ store, player, server, before, atAnEnd }) {
  const go = wirePlayback(player, before, (where) => (where === "start" || where === "end") && atAnEnd());

  function jump(time) {
    before();
    player.pause();
    player.seek(time, false);
  }

  function flip() {
    jump(player.time > 0 ? 0 : player.score.duration);
    atAnEnd();
  }

  /** The step that plays at this instant, and which share of its time has passed. */
  function instant() {
    const bar = player.score.steps.findLast((step) => step.start < player.time - 1e-9 && step.end > step.start);
    return bar ? { at_step: bar.id, share: JSON.stringify([Math.min((player.time - bar.start) / (bar.end - bar.start), 1)]) } : {};
  }

  onClick(find("#editor"), {
    "#keep-pose": () => server.edit("keep-pose", instant()),
    "[data-pose]": (button) => jump(store.state.poses[button.dataset.pose]),
  });
  return { go, flip };
}
