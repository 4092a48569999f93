// Turning the view by hand; Escape brings back the view that there was.

import { begun } from "../underway.js";

/** `onTurned()` hears of each time the view was turned. */
export function wireTurning(stage, onTurned) {
  let forget = () => {};
  stage.heed("start", () => {
    const before = stage.view();
    forget = begun(() => {
      stage.letTurn(false); // until the pointer is let go
      stage.setView(before);
    });
  });
  stage.heed("end", () => {
    forget();
    if (stage.turns()) onTurned();
    stage.letTurn(true);
  });
}
