// The room in which an assembly is put together: puts its parts together, and hears of presses and keys.

import * as THREE from "../vendor/three/three.min.js";
import { ask } from "./ask.js";
import { createGhost } from "./canvas/ghost.js";
import { createLook } from "./canvas/look.js";
import { createPointing } from "./canvas/pointing.js";
import { createRose } from "./canvas/rose.js";
import { createSilhouettes } from "./canvas/silhouettes.js";
import { createStage } from "./canvas/stage.js";
import { mayUpdate, wireChanges } from "./changing.js";
import { find, isTyped, onClick, targetOf } from "./dom.js";
import { say } from "./page.js";
import { begun } from "./underway.js";

const LOOK = { display: "edges", shadows: false, paper: false };
const QUARTER = [1, -1, 0.7]; // from where it is seen at first
const MARGIN = 1.2; // of the tightest fit
const SIDES = { top: [0, 0, 1], bottom: [0, 0, -1], front: [0, -1, 0], back: [0, 1, 0], right: [1, 0, 0], left: [-1, 0, 0] };

const room = find("#editor");
const canvas = find("#canvas");
const overlay = find("#overlay");
const stage = createStage(canvas, find("#drawing"));
const silhouettes = createSilhouettes(stage);
const look = createLook(stage, silhouettes);
const ghost = createGhost(stage);
let moved = null; // the first of two places, once it was pointed at
const pointing = createPointing(find("#pointing"), overlay, stage, (values) => ask(room.dataset.atPoint, moved ? { ...values, moved: JSON.stringify(moved) } : values));
createRose(find("#rose"), stage).directions = SIDES;
let forget = null; // that Escape ends pointing, while it is under way

const field = () => find("#page-state [name=selected]");
const selected = () => JSON.parse(field().value || "[]");
const state = () => JSON.parse(find("#state").dataset.json);

/** Have a change made, of what is selected, however long it waits for those before it. */
function send(verb, values, notice = "#notice") {
  const sent = { selected: field().value, ...values };
  return window.htmx.ajax("POST", room.dataset.atEdit.replace("VERB", verb), { source: "#editor", swap: "none", values: sent, headers: { "X-Notice": notice } }).catch(() => {});
}

/** Put every piece where the page says; one that the canvas lacks asks for the model anew. */
function show() {
  const { poses, tints } = state();
  const here = Object.keys(poses);
  if (here.some((id) => !stage.items.has(id))) return location.reload();
  for (const id of stage.items.keys()) stage.show(id, id in poses);
  for (const id of here) stage.move(id, new THREE.Matrix4().fromArray(poses[id]).transpose());
  look.apply(LOOK, tints);
  return mark();
}

const fit = () => stage.fit([...stage.items.keys()], QUARTER);

/** Outline what is selected, and mark its lines in the tree. */
function mark() {
  const now = new Set(selected());
  stage.lit = new Set([...now].filter((id) => stage.items.has(id)));
  for (const line of document.querySelectorAll("[data-ids]")) {
    const ids = JSON.parse(/** @type {HTMLElement} */ (line).dataset.ids);
    line.setAttribute("aria-pressed", String(ids.length > 0 && ids.every((id) => now.has(id))));
  }
  stage.refresh();
}

/** Select pieces, and show what can be done with them. */
function select(ids) {
  field().value = JSON.stringify(ids);
  mark();
  return window.htmx.ajax("GET", room.dataset.atPiece, { source: "#editor", target: "#piece", swap: "morph:outerHTML", values: { selected: field().value } });
}

function chosen(ids, add) {
  const now = selected();
  if (!add) return ids;
  return ids.every((id) => now.includes(id)) ? now.filter((id) => !ids.includes(id)) : [...new Set([...now, ...ids])];
}

/** Ask for two places, one after the other, until it is stopped: the first comes onto the second. */
function startPlacing() {
  stopPlacing();
  forget = begun(stopPlacing);
  find("#place").setAttribute("aria-pressed", "true");
  pointing.start({
    prompt: "Point at a place on the component that moves: a face, a round face, an edge or a corner.",
    onSeen: (feature) => ghost.show(feature?.goes ?? {}),
    onTake: (feature) => {
      if (!moved) {
        moved = feature;
        pointing.keep(feature);
        pointing.tell(`Now at the place where the ${feature.words} of ${feature.name} goes.`);
      } else if (feature.component === moved.component) {
        pointing.complain(new Error("That is the same component. Point at another one."));
      } else {
        send("place", { moved: JSON.stringify(moved), target: JSON.stringify(feature) }, "#pointing-error").then(startPlacing);
      }
    },
  });
}

function stopPlacing() {
  forget?.();
  forget = null;
  moved = null;
  ghost.show({});
  pointing.stop();
  find("#place").setAttribute("aria-pressed", "false");
}

function nudge(direction) {
  const touch = find("#nudge-touch").checked ? "1" : "";
  send("nudge", { direction, by: find("#nudge-by").value, touch }, "#piece-error");
}

wireChanges(room, async (verb, values, notice) => {
  await send(verb, values, notice);
  if (verb === "lay-out") fit();
});
window.Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, element) => mayUpdate(name, element);
onClick(room, {
  "[data-ids]": (line, event) => select(chosen(JSON.parse(line.dataset.ids), event.ctrlKey || event.metaKey || event.shiftKey)),
  "[data-nudge]": (button) => nudge(button.dataset.nudge),
  "#place": () => (pointing.active() ? stopPlacing() : startPlacing()),
  "#pointing-stop": stopPlacing,
  "#fit": fit,
});
canvas.addEventListener("picked", ({ detail: { path, add } }) => select(path ? chosen([path], add) : []));
document.body.addEventListener("teardown-changed", show);
document.body.addEventListener("htmx:afterSettle", ({ detail }) => targetOf(detail).id === "piece" && mark());

document.addEventListener("keydown", (event) => {
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && key === "z" && !isTyped(event.target)) {
    event.preventDefault();
    return window.htmx.trigger(event.shiftKey ? "#redoer" : "#undoer", event.shiftKey ? "redo-asked" : "undo-asked");
  }
  if (isTyped(event.target) || targetOf(event).matches("select") || event.ctrlKey || event.altKey || event.metaKey) return undefined;
  if (key === "p") return pointing.active() ? stopPlacing() : startPlacing();
  if (key === "f") return fit();
  if (key === "x") return find('#piece [data-edit="flip"]')?.click();
  if (key === "delete") return find('#piece [data-edit="take-out"]')?.click();
  if (key === "escape" && selected().length) return select([]);
  return undefined;
});
document.addEventListener("visibilitychange", () => {
  if (document.hidden) return;
  const have = find("#page-state [name=revision]").value;
  window.htmx.ajax("GET", room.dataset.atState, { source: "#editor", swap: "none", values: { have } });
});

stage.setMargin(MARGIN);
try {
  await stage.load(find("#state").dataset.model);
  silhouettes.begin();
  show();
  fit();
  stage.canvas.addEventListener("drawn", () => { canvas.dataset.ready = "true"; }, { once: true });
  stage.invalidate();
} catch {
  say("The model could not be loaded. Reload the page.");
}
window.pulley = { stage, pointing }; // for the curious and for tests; nothing here reads it
