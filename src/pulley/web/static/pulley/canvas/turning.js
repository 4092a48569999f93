// Turning the view by hand; Escape brings back the view that there was.

import { begun } from "../underway.js";

/** `onTurned()` hears of each time the view was turned. */
export function wireTurning(stage, onTurned) {
  const { controls } = stage;
  let forget = () => {};
  controls.addEventListener("start", () => {
    const before = stage.view();
    forget = begun(() => {
      controls.enabled = false; // until the pointer is let go
      stage.setView(before);
    });
  });
  controls.addEventListener("end", () => {
    forget();
    if (controls.enabled) onTurned();
    controls.enabled = true;
  });
}
