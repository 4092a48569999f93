// The list of ways out beside the selection: asking for it, and making a step from a click, a drag or a typed distance.

import * as THREE from "../../vendor/three/three.min.js";
import { createGrip } from "../canvas/grip.js";
import { createNumbers } from "../canvas/numbers.js";
import { snapped } from "../canvas/pull.js";
import { createRails } from "../canvas/rails.js";
import { createRing } from "../canvas/ring.js";
import { find, onClick, targetOf } from "../dom.js";

const UP = [0, 0, 1];

/**
 * The panel `box` of ways out, with its rails, ring and grip in the overlay `svg`; `onShown()` hears that they are shown,
 * `onRoom()` that they are or are no more.
 */
export function createWays({ store, stage, player, selection, server, choosing, onShown, onRoom }, box, svg) {
  const { words } = store;
  const marks = stage.box.dataset; // what the canvas says of itself, for styles and tests
  const ways = { kind: "straight", axis: null, legs: [], direction: null, aim: UP };
  const numbers = createNumbers(svg, stage);
  const rails = createRails(svg, stage, { onMove: moveAlong, onDone: doneAlong, words });
  const ring = createRing(svg, stage, { onMove: moveRound, onDone: doneRound });
  const grip = createGrip(svg, stage, { onMove: (by) => move(by), onDone: doneFree, words });
  let asked = "";
  let askedAt = 0;
  let base = new Map(); // path -> where it stands while the ways out are shown

  ways.inner = () => box.querySelector(".ways-inner");
  ways.open = () => !box.hidden;
  ways.members = () => JSON.parse(ways.inner().dataset.members);

  ways.close = () => {
    if (!asked && box.hidden) return;
    asked = "";
    if (ways.legs.length) player.seek(player.time, false);
    Object.assign(ways, { axis: null, legs: [], direction: null });
    box.hidden = true;
    onRoom();
    box.replaceChildren();
    for (const thing of [rails, ring, grip, numbers]) thing.clear();
    marks.ways = "";
  };

  /** Ask for the ways out of what is selected, after the steps that have been played. */
  ways.ask = (more = {}) => {
    const paths = selection.paths();
    if (!paths.length) return ways.close();
    player.setSpread(1);
    const done = player.stepsDone();
    const end = done ? Math.max(...store.state.score.steps.slice(0, done).map((step) => step.end)) : 0;
    if (Math.abs(end - player.time) > 1e-6) player.seek(end, false);
    ways.aim = UP;
    asked = JSON.stringify(paths);
    askedAt = performance.now();
    marks.ways = "";
    const { kind, axis, direction } = ways;
    const values = {
      members: asked,
      after: done,
      still: JSON.stringify(store.still),
      kind,
      waypoints: JSON.stringify(ways.legs),
      ...(axis && { axis: JSON.stringify(axis) }),
      ...(direction && { direction: JSON.stringify(direction) }),
      ...more,
    };
    return server.panel("POST", "Ways", box, values, ways.inner() ? "#way-error" : "", "morph:innerHTML");
  };

  /** A selection that Python works out; what it carries along goes by the way that was pointed at last. */
  ways.choose = (what) => choosing.set(what, { direction: JSON.stringify(ways.aim) });

  ways.setKind = (kind) => {
    Object.assign(ways, { kind, axis: null, direction: null });
    if (kind !== "path") ways.legs = [];
    ways.ask();
  };

  /** Show what has come, unless something else is selected by now. */
  function show() {
    const inner = ways.inner();
    if (!inner || JSON.stringify(ways.members()) !== JSON.stringify(known(JSON.parse(asked || "[]")))) return box.replaceChildren();
    marks.waysMs = (performance.now() - askedAt).toFixed(1);
    const chosen = stage.leaves(selection.paths());
    const legs = JSON.parse(inner.dataset.legs);
    if (legs.length !== ways.legs.length) find("#way-distance", box).value = ""; // the leg that was typed is made
    ways.legs = legs;
    const offset = ways.legs.at(-1) ?? [0, 0, 0];
    base = new Map(chosen.map((path) => [path, player.matrixOf(path).premultiply(new THREE.Matrix4().makeTranslation(offset[0], offset[1], offset[2]))]));
    move([0, 0, 0]);
    rails.show(JSON.parse(inner.dataset.rails), chosen, store.state.pitch, stage.leaves, ways.kind === "fan");
    numbers.clear();
    ring.clear();
    grip.clear();
    if (ways.kind === "turn" && inner.dataset.axis) ring.show(JSON.parse(inner.dataset.axis), chosen, JSON.parse(inner.dataset.turns));
    if (ways.kind === "straight") grip.show(chosen, store.state.pitch);
    if (ways.kind === "fan") number(rails.list()[0]);
    box.hidden = false;
    onRoom();
    marks.ways = "shown";
    onShown();
  }

  /** What the server keeps of a selection: nothing that another of it carries. */
  const known = (paths) => paths.filter((path, k) => paths.indexOf(path) === k && !paths.some((other) => path.startsWith(`${other}/`)));

  function carry(paths, matrix) {
    for (const path of paths) stage.move(path, matrix.clone().multiply(base.get(path)));
  }

  function move(by, paths = [...base.keys()]) {
    carry(paths, new THREE.Matrix4().makeTranslation(by[0], by[1], by[2]));
  }

  const scaled = (direction, travel) => direction.map((v) => v * travel);

  /** The spacing that a drag of a fan's rail means: the farthest layer stays under the pointer. */
  function spacing(way, travel) {
    const pitch = store.state.pitch || 0.1;
    return Math.max(snapped(travel / way.layers.length, pitch), pitch);
  }

  function moveAlong(way, travel) {
    if (ways.kind === "outward") {
      for (const ray of rails.list()) move(scaled(ray.direction, travel), stage.leaves(ray.only));
      return `${words(travel)}`;
    }
    if (ways.kind !== "fan") return move(scaled(way.direction, travel));
    const pitch = travel > 0 ? spacing(way, travel) : 0;
    way.layers.forEach((layer, k) => move(scaled(way.direction, pitch * (k + 1)), stage.leaves(layer)));
    number(way);
    return `${way.layers.length} × ${words(pitch)}`;
  }

  function number(way) {
    if (way?.layers) numbers.show(way.layers.map((layer, k) => ({ paths: stage.leaves(layer), text: String(k + 1) })));
  }

  function doneAlong(way, travel) {
    const direction = JSON.stringify(way.direction);
    if (ways.kind === "fan") return make("fan", { direction, distance: spacing(way, travel) });
    if (ways.kind === "outward") return make("outward", { distance: travel });
    if (ways.kind === "path") return addLeg(way.direction, travel);
    return make("add", { direction, distance: travel });
  }

  function doneFree(by) {
    make("move", { by: JSON.stringify(by) });
  }

  function moveRound(axis, angle) {
    const along = new THREE.Vector3(...axis.direction).normalize();
    const origin = new THREE.Vector3(...axis.origin);
    const turned = new THREE.Matrix4().makeRotationAxis(along, THREE.MathUtils.degToRad(angle));
    const ahead = along.clone().multiplyScalar((Number(ways.inner().dataset.advance) * angle) / 360);
    const shift = origin.clone().add(ahead).sub(origin.clone().applyMatrix4(turned));
    carry([...base.keys()], turned.setPosition(shift));
  }

  function doneRound(axis, angle) {
    make("turn", { angle, advance: find("#way-advance")?.value ?? "" });
  }

  function addLeg(direction, distance, typedLength = "") {
    ways.direction = null;
    ways.ask({ leg: JSON.stringify(direction), distance, typed: typedLength });
  }

  /** Ask for the step; what was typed counts before what a drag or a suggestion says. */
  function make(verb, values) {
    const { moving: members, after, axis, legs } = ways.inner().dataset;
    const about = ["outward", "turn"].includes(verb) ? { axis } : {};
    const route = verb === "path" ? { waypoints: legs } : {};
    server.edit(verb, { members, after, ...about, ...route, ...values }, "#way-error");
  }

  function typed() {
    return find("#way-distance")?.value.trim() ?? "";
  }

  ways.makeFrom = (button) => {
    const { make: kind, direction, distance, angle } = button.dataset;
    if (kind === "straight" && /[,;].*[,;]/.test(typed())) return make("move", { typed: typed() });
    if (button.dataset.about) return make("outward", { axis: button.dataset.about, members: button.dataset.moving, distance, typed: typed() });
    if (button.dataset.waypoints) return make("path", { waypoints: button.dataset.waypoints });
    if (kind === "turn") return make("turn", turnTyped(angle));
    if (kind === "path") return addLeg(JSON.parse(direction), distance, typed());
    const wanted = kind === "fan" ? ways.inner().dataset.spacing : distance;
    return make(kind === "straight" ? "add" : kind, { direction, distance: wanted, typed: typed() });
  };

  /** A step from what was typed: along the best way that is free so far, unless one was pointed at. */
  ways.makeTyped = () => {
    const best = box.querySelector(".way[data-make]:enabled") ?? box.querySelector(".way[data-make]"); // snag or not
    if (!best) return;
    const pick = ways.kind === "straight" && typed() && !ways.direction && !/[,;].*[,;]/.test(typed());
    if (pick) make("add", { typed: typed(), pick: "1" });
    else ways.makeFrom(best);
  };

  /** What a turn asks for: the angle that the button offers, and what was typed, whose sense the server works out. */
  const turnTyped = (angle) => ({ angle, typed: find("#way-angle").value, advance: find("#way-advance").value });

  box.addEventListener("htmx:afterSwap", ({ target }) => {
    if (target === box) show();
    else if (target === find("#way-error")) marks.ways = "shown"; // refused: what was shown stays
  });
  box.addEventListener("change", (event) => {
    const { id, value } = targetOf(event);
    if (id === "way-advance") ways.ask({ advance: value, angle: find("#way-angle").value });
  });
  onClick(box, {
    "#close-ways": () => selection.choose([]),
    "button[data-kind]": (button) => ways.setKind(button.dataset.kind),
    ".way:not([data-kind], [data-take])": (button) => ways.makeFrom(button),
    "[data-take]": (button) => selection.choose(JSON.parse(button.dataset.take)),
    "#make-path": () => make("path", {}),
    "#leg-back": () => {
      ways.legs = ways.legs.slice(0, -1);
      ways.ask();
    },
    "[data-choose]": (button) => ways.choose(button.dataset.choose),
  });
  box.addEventListener("keydown", (event) => {
    const fields = ["way-distance", "way-angle", "way-advance"];
    if (event.key === "Enter" && fields.includes(targetOf(event).id)) {
      event.preventDefault();
      ways.makeTyped();
    } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const list = [...box.querySelectorAll(".way:enabled")];
      const next = list.indexOf(document.activeElement) + (event.key === "ArrowDown" ? 1 : -1);
      list[(next + list.length) % list.length]?.focus();
      event.preventDefault();
    }
  });
  /** Whether all moves, and is shown, as before: what is selected is looked at again. */
  const asBefore = (before) => ["score", "hidden"].every((name) => JSON.stringify(before[name]) === JSON.stringify(store.state[name]));
  store.on("changed", ({ before }) => (ways.open() && asBefore(before) ? ways.ask() : ways.close()));
  store.on("opened", ways.close);
  box.addEventListener("focusin", hovered);
  box.addEventListener("pointerover", hovered);
  function hovered(event) {
    const { axis, direction } = targetOf(event).closest(".way")?.dataset ?? {};
    if (direction) ways.aim = JSON.parse(direction); // what "bring along" would go by
    if (ways.kind === "fan" && axis !== undefined) number(rails.list().find((way) => way.axis === axis));
  }
  return ways;
}
