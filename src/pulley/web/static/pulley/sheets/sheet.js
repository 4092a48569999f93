// The sheet page: puts its parts together, and hears of presses and keys.

import { pageState } from "../ask.js";
import { mayUpdate, wireChanges } from "../changing.js";
import { find, isTyped, onClick, targetOf } from "../dom.js";
import { createDesk } from "./desk.js";
import { createItems } from "./items.js";
import { createMoving } from "./moving.js";
import { createPicked, thingOf, viewUnder } from "./picked.js";
import { createTools } from "./tools.js";

const room = find("#editor");
const desk = createDesk(find("#desk"), drawn);
const picked = createPicked(desk);
const moving = createMoving(desk, picked, send);
const tools = createTools(desk, picked, send);
const items = createItems(desk, picked, send);
const WAYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** Have a change made, on the page that is shown now, however long it waits for those before it. */
function send(verb, values) {
  const sent = { page: pageState().page, ...values };
  return window.htmx.ajax("POST", room.dataset.atEdit.replace("VERB", verb), { source: "#editor", swap: "none", values: sent }).catch(() => {});
}

/** The paper was drawn anew. */
function drawn() {
  owned();
  items.wire();
  if (chosenSince) picked.set(picked.keys());
  else picked.take();
}

/** Say of each group which view it goes with when that is dragged: its balloons, dimensions and centre lines. */
function owned() {
  const views = new Map(desk.paper().dataset.of.trim().split(" ").map((pair) => pair.split("=")));
  for (const group of desk.svg().querySelectorAll("g[data-tag]")) {
    const view = views.get(thingOf(group)?.key);
    if (view) group.dataset.of = view;
  }
}

/** The thing under the pointer: balloons and lists before views, an empty spot within a view for the view. */
function hit(event) {
  const found = document.elementsFromPoint(event.clientX, event.clientY).map((element) => thingOf(element.closest("#paper g[data-tag]"))).filter(Boolean);
  return found.find((thing) => thing.kind !== "view") ?? found[0] ?? viewUnder(desk.svg(), event);
}

find("#desk").addEventListener("pointerdown", (event) => {
  if (event.button !== 0) return undefined;
  find("#desk").focus({ preventScroll: true });
  if (!event.target.closest("#paper")) return picked.set([]);
  if (tools.press(event)) return undefined;
  const thing = hit(event);
  if (!thing) return picked.set([]);
  if (desk.frozen()) return picked.set([thing.key]);
  if (thing.tag.endsWith("/tip")) {
    picked.set([thing.key]);
    return moving.dragTip(event, thing.key);
  }
  const keys = event.shiftKey ? toggled(thing.key) : picked.has(thing.key) ? picked.keys() : [thing.key];
  if (!keys.length || thing.kind === "title" || thing.kind === "centre") return picked.set(keys);
  if (keys.join() !== picked.keys().join()) picked.set(keys, true);
  return moving.drag(event, keys, () => picked.set(event.shiftKey ? keys : [thing.key]));
});

let chosenSince = false; // whether something else was selected after what is answered now had been asked for
const selected = () => find("#page-state [name=selected]").value;
document.body.addEventListener("htmx:beforeRequest", ({ detail }) => { detail.requestConfig.selected = selected(); });
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => { chosenSince = detail.requestConfig.selected !== selected(); });
window.Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, element) =>
  mayUpdate(name, element) && !(chosenSince && name === "value" && element.name === "selected");
wireChanges(room, send);

function toggled(key) {
  const kind = key.split(":")[0];
  const same = picked.keys().filter((each) => each.split(":")[0] === kind);
  return same.includes(key) ? same.filter((each) => each !== key) : [...same, key];
}

onClick(room, {
  "[data-tool]": (button) => tools.take(button.dataset.tool),
  "[data-ids-to]": (button) => send(button.dataset.idsTo, { ids: JSON.stringify(picked.keys().map((key) => key.split(":")[1])) }),
});

document.addEventListener("keydown", (event) => {
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && key === "z" && !isTyped(event.target)) {
    event.preventDefault();
    return window.htmx.trigger(event.shiftKey ? "#redoer" : "#undoer", event.shiftKey ? "redo-asked" : "undo-asked");
  }
  if (isTyped(event.target) || targetOf(event).matches("select") || event.ctrlKey || event.altKey || event.metaKey) return undefined;
  return pressed(event, key);
});

/** A key without Ctrl, while nothing is typed. */
function pressed(event, key) {
  const way = WAYS[event.key];
  if (way && targetOf(event).closest("#desk") && picked.keys().length && !desk.frozen()) {
    event.preventDefault();
    const by = event.shiftKey ? 10 : 1;
    return moving.keep(picked.keys(), { x: way[0] * by, y: way[1] * by });
  }
  if (key === "delete" || key === "backspace") return find("#strip [data-remove]")?.click();
  if (key === "escape" && picked.keys().length) return picked.set([]);
  if (key === "f") return desk.fit();
  if (key === "+" || key === "=") return desk.zoomBy(1.25);
  if (key === "-") return desk.zoomBy(0.8);
  if (key === "tab" && targetOf(event).id === "desk" && event.shiftKey === false) return undefined;
  if (key === "n" || key === "p") return step(key === "n" ? 1 : -1);
  return undefined;
}

/** Select the next thing on the paper, or the one before. */
function step(by) {
  const every = [...new Set([...desk.svg().querySelectorAll("g[data-tag]")].map((group) => thingOf(group)?.key).filter(Boolean))];
  const place = every.indexOf(picked.keys()[0]);
  picked.set([every[(place + by + every.length) % every.length]]);
}

document.addEventListener("visibilitychange", () => {
  if (document.hidden) return;
  const have = find("#page-state [name=revision]").value;
  window.htmx.ajax("GET", room.dataset.atState, { source: "#editor", swap: "none", values: { have } });
});
drawn();
room.dataset.ready = "1";
