// Turning the view by hand; Escape brings back the view that there was.

import { begun } from "../underway.js";

/** `onTurned()` hears of each time the view was turned. */
export function wireTurning(stage, onTurned) {
  let forget = () => {};
  let before = stage.view();
  stage.heed("start", () => {
    before = stage.view();
    forget = begun(() => {
      stage.letTurn(false); // until the pointer is let go
      stage.setView(before);
    });
  });
  stage.heed("end", () => {
    forget();
    const moved = stage.view().eye.some((v, k) => Math.abs(v - before.eye[k]) > 1e-6); // a click turns nothing
    if (stage.turns() && moved) onTurned();
    stage.letTurn(true);
  });
}
