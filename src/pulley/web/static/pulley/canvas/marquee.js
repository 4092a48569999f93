// A box drawn with Shift and a drag: it selects the components that lie wholly within it.

import { follow } from "../underway.js";
import { cornersOf } from "./model.js";

const LEAST = 5; // pixels; a shorter drag is a click

/** `onBox(paths, add)` hears what a box holds; with Ctrl it is to be added. */
export function createMarquee(box, stage, onBox) {
  const frame = document.createElement("div");
  frame.className = "marquee";
  frame.hidden = true;
  box.append(frame);

  stage.canvas.addEventListener("pointerdown", (down) => {
    if (down.button !== 0 || !down.shiftKey) return;
    down.stopImmediatePropagation();
    const place = box.getBoundingClientRect();
    const from = [down.clientX - place.left, down.clientY - place.top];
    let to = from;
    const hide = () => {
      frame.hidden = true;
    };
    follow(stage.canvas, down, {
      move: (event) => {
        to = [event.clientX - place.left, event.clientY - place.top];
        frame.hidden = false;
        draw(from, to);
      },
      done: (event) => {
        hide();
        if (Math.hypot(to[0] - from[0], to[1] - from[1]) < LEAST) return stage.click(event);
        return onBox(within(from, to), event.ctrlKey || event.metaKey);
      },
      cancel: hide,
    });
  }, { capture: true });

  function draw(from, to) {
    const [[a, b], [c, d]] = [from, to];
    Object.assign(frame.style, { left: `${Math.min(a, c)}px`, top: `${Math.min(b, d)}px`, width: `${Math.abs(c - a)}px`, height: `${Math.abs(d - b)}px` });
  }

  function within(from, to) {
    const [[a, b], [c, d]] = [from, to];
    const [left, right, top, low] = [Math.min(a, c), Math.max(a, c), Math.min(b, d), Math.max(b, d)];
    return [...stage.items].filter(([path, item]) => item.object.visible && cornersOf(stage.bounds([path])).every((corner) => {
      const { x, y, ahead } = stage.project(corner);
      return ahead && x >= left && x <= right && y >= top && y <= low;
    })).map(([path]) => path);
  }
}
