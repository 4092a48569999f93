// What is under way can be taken back: Escape undoes the latest of it, a drag, typing or an open menu, and nothing else.

import { targetOf } from "./dom.js";
import { closeMenu } from "./menus.js";

const going = [];

/** Something has begun that Escape takes back by `takeBack()`. The returned function says that it is over. */
export function begun(takeBack) {
  going.push(takeBack);
  return () => {
    const place = going.lastIndexOf(takeBack);
    if (place >= 0) going.splice(place, 1);
  };
}

let pressed = false; // whether Sortable, which follows the pointer itself, has something in hand
window.addEventListener("pointerdown", () => { pressed = false; }, { capture: true }); // what there was before is over

/** For Sortable: something was pressed, and let go. */
export const pressing = { onChoose: () => { pressed = true; }, onUnchoose: () => { pressed = false; } };

/** Whether something is in somebody's hand: what was only found in the meantime waits until it is let go. */
export const inHand = () => going.length > 0 || pressed;

/**
 * Follow a drag that began with `down` until it is let go.
 * `move(event)` hears of every move, `done(event, moved)` of its end; Escape, or what else breaks it off, calls `cancel()`.
 */
export function follow(handle, down, { move, done, cancel }) {
  down.preventDefault();
  handle.setPointerCapture(down.pointerId);
  const over = new AbortController();
  let moved = false;
  const stop = () => {
    over.abort();
    forget();
  };
  const breakOff = () => {
    stop();
    if (handle.hasPointerCapture(down.pointerId)) handle.releasePointerCapture(down.pointerId);
    cancel();
  };
  const forget = begun(breakOff);
  const on = (name, act) => handle.addEventListener(name, act, { signal: over.signal });
  on("pointermove", (event) => {
    moved = true;
    move(event);
  });
  on("pointerup", (event) => {
    stop();
    done(event, moved);
  });
  on("pointercancel", breakOff);
}

const TYPED = "input:not([type=range], [type=checkbox], [type=search], [type=file], [type=color]), textarea";

/** A field goes back to what it held; one in which nothing was typed is left. */
function ofField(field) {
  if (!field.matches?.(TYPED) || field.readOnly) return false;
  if (field.value !== field.defaultValue) field.value = field.defaultValue;
  else if (ofMenu(field)) return true;
  field.blur();
  return true;
}

/** The menu that is open, or the one that holds something, closes. */
function ofMenu(inside) {
  const open = [...document.querySelectorAll("details.menu[open], details.view-menu[open]")];
  const menu = open.findLast((each) => (inside ? each.contains(inside) : true));
  if (!menu) return false;
  closeMenu(menu);
  return true;
}

window.addEventListener("keydown", (event) => {
  if (event.key !== "Escape" || event.isComposing) return;
  if (going.length) going.pop()();
  else if (!ofField(event.target) && (targetOf(event).matches?.("[type=search]") || !ofMenu())) return;
  event.preventDefault();
  event.stopImmediatePropagation();
}, { capture: true });
