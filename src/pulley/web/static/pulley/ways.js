// The list of ways out beside the selection: asking for it, and making a step from a click, a drag or a typed distance.

import * as THREE from "../vendor/three/build/three.module.js";
import { createGrip } from "./canvas/grip.js";
import { createNumbers } from "./canvas/numbers.js";
import { createRails } from "./canvas/rails.js";
import { snapped } from "./canvas/pull.js";
import { createRing } from "./canvas/ring.js";

const { htmx } = window;
const UP = [0, 0, 1];

/** The panel `box` of ways out, with its rails, ring and grip in the overlay `svg`. */
export function createWays(app, box, svg) {
  const { stage, player, canvas } = app;
  const ways = { kind: "straight", axis: null, legs: [], direction: null, aim: UP };
  const numbers = createNumbers(svg, stage);
  const rails = createRails(svg, stage, { onMove: moveAlong, onDone: doneAlong, words: app.words });
  const ring = createRing(svg, stage, { onMove: moveRound, onDone: doneRound });
  const grip = createGrip(svg, stage, { onMove: (by) => move(by), onDone: doneFree, words: app.words });
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
    box.replaceChildren();
    for (const thing of [rails, ring, grip, numbers]) thing.clear();
    canvas.dataset.ways = "";
  };

  /** Ask for the ways out of what is selected, after the steps that have been played. */
  ways.ask = (more = {}) => {
    const paths = app.selection.paths();
    if (!paths.length) return ways.close();
    if (player.spread !== 1) app.setSpread(1);
    const done = player.stepsDone();
    const end = done ? Math.max(...app.state.score.steps.slice(0, done).map((step) => step.end)) : 0;
    if (Math.abs(end - player.time) > 1e-6) player.seek(end, false);
    ways.aim = UP;
    asked = JSON.stringify(paths);
    askedAt = performance.now();
    canvas.dataset.ways = "";
    const values = { members: asked, after: done, kind: ways.kind, waypoints: JSON.stringify(ways.legs), ...more };
    if (ways.axis) values.axis = JSON.stringify(ways.axis);
    if (ways.direction) values.direction = JSON.stringify(ways.direction);
    return htmx.ajax("POST", app.editor.dataset.atWays, { source: box, target: box, swap: "morph:innerHTML", values, headers: ways.inner() ? { "X-Notice": "#way-error" } : {} });
  };

  ways.setKind = (kind) => {
    Object.assign(ways, { kind, axis: null, direction: null });
    if (kind !== "path") ways.legs = [];
    ways.ask();
  };

  /** Show what has come, unless something else is selected by now. */
  function show() {
    const inner = ways.inner();
    if (!inner || JSON.stringify(ways.members()) !== JSON.stringify(known(JSON.parse(asked || "[]")))) return box.replaceChildren();
    canvas.dataset.waysMs = (performance.now() - askedAt).toFixed(1);
    const chosen = app.leaves(app.selection.paths());
    const legs = JSON.parse(inner.dataset.legs);
    if (legs.length !== ways.legs.length) box.querySelector("#way-distance").value = ""; // the leg that was typed is made
    ways.legs = legs;
    const offset = ways.legs.at(-1) ?? [0, 0, 0];
    base = new Map(chosen.map((path) => [path, player.matrixOf(path).premultiply(new THREE.Matrix4().makeTranslation(...offset))]));
    move([0, 0, 0]);
    rails.show(JSON.parse(inner.dataset.rails), chosen, app.state.pitch, app.leaves, ways.kind === "fan");
    numbers.clear();
    ring.clear();
    grip.clear();
    if (ways.kind === "turn" && inner.dataset.axis) ring.show(JSON.parse(inner.dataset.axis), chosen, JSON.parse(inner.dataset.turns));
    if (ways.kind === "straight") grip.show(chosen, app.state.pitch);
    if (ways.kind === "fan") number(rails.list()[0]);
    box.hidden = false;
    placeBeside(stage.project(stage.bounds(chosen).getCenter(new THREE.Vector3())));
    canvas.dataset.ways = "shown";
    app.waysShown();
  }

  /** What the server keeps of a selection: nothing that another of it carries. */
  const known = (paths) => paths.filter((path, k) => paths.indexOf(path) === k && !paths.some((other) => path.startsWith(`${other}/`)));

  const rose = () => [20, 60, 100].flatMap((x) => [20, 60, 100].map((y) => ({ x: canvas.clientWidth - x, y })));

  /** Put the list near the selection, where it covers as little of the rails as it can. */
  function placeBeside(spot) {
    const [width, height] = [box.offsetWidth, box.offsetHeight];
    const right = canvas.clientWidth - width - 12;
    const low = canvas.clientHeight - height - 44;
    const within = (x, y) => [Math.max(12, Math.min(x, right)), Math.max(48, Math.min(y, low))];
    const places = [90, -90 - width].flatMap((x) => [-60, 60, -60 - height].map((y) => within(spot.x + x, spot.y + y)));
    places.push(within(right, 170), within(12, 52), within(12, low), within(right, low));
    const seen = (p) => p.x >= 0 && p.x <= canvas.clientWidth && p.y >= 0 && p.y <= canvas.clientHeight;
    const lines = [...rails.lines(), rose(), [spot]].map((line) => line.filter(seen)).filter((line) => line.length);
    const under = (p, x, y) => p.x > x - 8 && p.x < x + width + 8 && p.y > y - 8 && p.y < y + height + 8;
    // of each line the share that is covered counts, so that none vanishes under the list for the sake of a longer one
    const covered = ([x, y]) => lines.reduce((sum, line) => sum + line.filter((p) => under(p, x, y)).length / line.length, 0);
    const [x, y] = places.reduce((best, place) => (covered(place) < covered(best) ? place : best));
    box.style.left = `${x}px`;
    box.style.top = `${y}px`;
  }

  function carry(paths, matrix) {
    for (const path of paths) stage.move(path, matrix.clone().multiply(base.get(path)));
  }

  function move(by, paths = [...base.keys()]) {
    carry(paths, new THREE.Matrix4().makeTranslation(...by));
  }

  const scaled = (direction, travel) => direction.map((v) => v * travel);

  /** The spacing that a drag of a fan's rail means: the farthest layer stays under the pointer. */
  function spacing(way, travel) {
    const pitch = app.state.pitch || 0.1;
    return Math.max(snapped(travel / way.layers.length, pitch), pitch);
  }

  function moveAlong(way, travel) {
    if (ways.kind === "outward") {
      for (const ray of rails.list()) move(scaled(ray.direction, travel), app.leaves(ray.only));
      return `${app.words(travel)}`;
    }
    if (ways.kind !== "fan") return move(scaled(way.direction, travel));
    const pitch = travel > 0 ? spacing(way, travel) : 0;
    way.layers.forEach((layer, k) => move(scaled(way.direction, pitch * (k + 1)), app.leaves(layer)));
    number(way);
    return `${way.layers.length} × ${app.words(pitch)}`;
  }

  function number(way) {
    if (way?.layers) numbers.show(way.layers.map((layer, k) => ({ paths: app.leaves(layer), text: String(k + 1) })));
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
    make("turn", { angle, advance: document.querySelector("#way-advance")?.value ?? "" });
  }

  function addLeg(direction, distance, typedLength = "") {
    ways.direction = null;
    ways.ask({ leg: JSON.stringify(direction), distance, typed: typedLength });
  }

  /** Ask for the step; what was typed counts before what a drag or a suggestion says. */
  function make(verb, values) {
    const { members, after, axis, legs } = ways.inner().dataset;
    const about = ["outward", "turn"].includes(verb) ? { axis } : {};
    const route = verb === "path" ? { waypoints: legs } : {};
    app.edit(verb, { members, after, ...about, ...route, ...values }, "#way-error");
  }

  function typed() {
    return document.querySelector("#way-distance")?.value.trim() ?? "";
  }

  ways.makeFrom = (button) => {
    const { make: kind, direction, distance, angle } = button.dataset;
    if (kind === "straight" && /[,;].*[,;]/.test(typed())) return make("move", { typed: typed() });
    if (kind === "turn") return make("turn", turnTyped(angle));
    if (kind === "path") return addLeg(JSON.parse(direction), distance, typed());
    const wanted = kind === "fan" ? ways.inner().dataset.spacing : distance;
    return make(kind === "straight" ? "add" : kind, { direction, distance: wanted, typed: typed() });
  };

  /** What a turn asks for: the angle that the button offers, and what was typed, whose sense the server works out. */
  const turnTyped = (angle) => ({ angle, typed: document.querySelector("#way-angle").value, advance: document.querySelector("#way-advance").value });

  box.addEventListener("htmx:afterSwap", (event) => {
    if (event.target === box) show();
    else if (event.target.id === "way-error") canvas.dataset.ways = "shown"; // refused: what was shown stays
  });
  box.addEventListener("change", (event) => {
    if (event.target.id === "way-advance") ways.ask({ advance: event.target.value, angle: document.querySelector("#way-angle").value });
  });
  box.addEventListener("click", (event) => {
    const at = (selector) => event.target.closest(selector);
    if (at("#close-ways")) app.selection.choose([]);
    else if (at(".kind")) ways.setKind(at(".kind").dataset.kind);
    else if (at(".way")) ways.makeFrom(at(".way"));
    else if (at("#make-path")) make("path", {});
    else if (at("#leg-back")) {
      ways.legs = ways.legs.slice(0, -1);
      ways.ask();
    } else if (at("[data-choose]")) app.chooseSet(at("[data-choose]").dataset.choose);
  });
  box.addEventListener("keydown", (event) => {
    const fields = ["way-distance", "way-angle", "way-advance"];
    if (event.key === "Enter" && fields.includes(event.target.id)) {
      event.preventDefault();
      const best = box.querySelector(".way:enabled") ?? box.querySelector(".way"); // what is typed counts, snag or not
      if (best) ways.makeFrom(best);
    } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const list = [...box.querySelectorAll(".way:enabled")];
      const next = list.indexOf(document.activeElement) + (event.key === "ArrowDown" ? 1 : -1);
      list[(next + list.length) % list.length]?.focus();
      event.preventDefault();
    }
  });
  box.addEventListener("focusin", hovered);
  box.addEventListener("pointerover", hovered);
  function hovered(event) {
    const { axis, direction } = event.target.closest(".way")?.dataset ?? {};
    if (direction) ways.aim = JSON.parse(direction); // what "bring along" would go by
    if (ways.kind === "fan" && axis !== undefined) number(rails.list().find((way) => way.axis === axis));
  }
  return ways;
}
