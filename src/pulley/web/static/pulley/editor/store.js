// What the editor knows of the teardown, as the server last said it; and who wants to hear when that changes.

import { find } from "../dom.js";
import { recall } from "./remembered.js";

/** By which name the browser remembers what is held still in this teardown: it belongs to whoever works here. */
export const heldName = () => `still ${find("#editor").dataset.atState}`;

const UNITS = { mm: 1, cm: 10, in: 25.4 };

/**
 * `take()` reads what the server has drawn into the page. Then is heard, in this order: `changed` when the teardown or
 * how it is shown has changed, `opened` when another step's card is open, and `drawn` always.
 */
export function createStore() {
  const heard = { changed: [], opened: [], drawn: [] };
  const store = { state: null, open: "", snags: {}, crossings: [], still: recall(heldName(), []) };
  let text = "";

  store.on = (name, act) => heard[name].push(act);

  store.take = () => {
    const { json, snags, crossings } = find("#state").dataset;
    const open = find("#page-state [name=open]").value;
    const news = { changed: json !== text, opened: open !== store.open, before: store.state };
    text = json;
    Object.assign(store, { open, state: JSON.parse(json), snags: JSON.parse(snags), crossings: JSON.parse(crossings) });
    for (const name of ["changed", "opened", "drawn"]) {
      if (name === "drawn" || news[name]) for (const act of heard[name]) act(news);
    }
  };

  /** What the open step moves, and its bar on the time axis. */
  store.members = () => store.state.members[store.open] ?? [];
  store.bar = () => store.state.score.steps.find((step) => step.id === store.open);

  /** A length in mm in the user's unit, with its name. */
  store.words = (mm) => `${Math.round((mm / UNITS[store.state.unit]) * 1e4) / 1e4} ${store.state.unit}`;
  return store;
}
