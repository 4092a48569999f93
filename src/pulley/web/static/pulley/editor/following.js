// Always in view: after a change, and at either end, the view eases so that all that moved is seen; it can be switched off.

import { ease, mixViews } from "../play/score.js";
import { begun } from "../underway.js";

const MOVE = 350; // milliseconds

/** `room.follows()` says whether that is wanted. */
export function createFollowing({ store, stage, player, room }) {
  const calm = matchMedia("(prefers-reduced-motion: reduce)");
  let under = null; // what takes the move that is under way back

  /** Ease to a view; a hand on the view, or Escape, breaks it off. */
  function easeTo(view) {
    under?.();
    const from = stage.view();
    const since = performance.now();
    let stopped = false;
    const forget = begun(() => { stopped = true; });
    under = () => {
      stopped = true;
      forget();
    };
    const step = (now) => {
      if (stopped) return;
      const share = calm.matches ? 1 : Math.min((now - since) / MOVE, 1);
      stage.setView(mixViews(from, view, ease(share)));
      stage.box.dataset.easing = share < 1 ? "true" : "";
      if (share < 1) requestAnimationFrame(step);
      else forget();
    };
    requestAnimationFrame(step);
  }
  stage.heed("start", () => under?.());

  /** See everything that is shown, from where one looks, if components stand where they cannot be seen. */
  function show(paths) {
    if (!room.follows() || !paths.length || player.playing) return;
    if (!stage.seesAll(stage.corners(paths))) easeTo(stage.fitted(stage.corners()));
  }

  /** What stands elsewhere at the end than it did before a change. */
  function moved(before) {
    const { tracks } = store.state.score;
    const were = before.score.tracks;
    return Object.keys(tracks).filter((path) => JSON.stringify(tracks[path]) !== JSON.stringify(were[path]));
  }
  store.on("changed", ({ before }) => before && show(moved(before)));
  return { atAnEnd: () => !player.score.shots.length && room.follows() && easeTo(stage.fitted(stage.corners())) };
}
