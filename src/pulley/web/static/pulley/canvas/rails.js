// Ways out as rails: a line for each direction with a stop where the contact is. Drag along one to move.

import * as THREE from "../../vendor/three/three.min.js";
import { follow } from "../underway.js";
import { alongLine, grainOf, snapped } from "./pull.js";

const NS = "http://www.w3.org/2000/svg";
const BAR = 9; // pixels, half the width of a stop
const HOLD = 24; // pixels that can be taken hold of, however short the rail
const EDGE = 16; // pixels between an arrowhead and the edge of the canvas
const TIP = 8; // pixels, length of an arrowhead

/**
 * Rails for a selection.
 * `onMove(way, travel)` previews while dragging and may say what to write, `onDone(way, travel)` asks for the
 * step; a click that drags nothing counts as a click on what lies below.
 */
export function createRails(svg, stage, { onMove, onDone, words }) {
  let rails = [];
  let pitch = 5;
  let endless = false; // a fan's rails say where, not how far

  function show(ways, paths, snap, leaves, noStops) {
    clear();
    [pitch, endless] = [snap, noStops];
    rails = ways.map((way) => {
      const bounds = stage.bounds(way.only ? leaves(way.only) : paths);
      const middle = bounds.getCenter(new THREE.Vector3());
      const half = bounds.getSize(new THREE.Vector3()).multiplyScalar(0.5);
      const along = new THREE.Vector3(...way.direction);
      const out = Math.abs(along.x) * half.x + Math.abs(along.y) * half.y + Math.abs(along.z) * half.z;
      return make(way, middle.clone().addScaledVector(along, out), along);
    });
    place();
  }

  function make(way, start, along) {
    const group = document.createElementNS(NS, "g");
    group.setAttribute("class", "rail-group");
    group.dataset.axis = way.axis;
    const part = (name, kind) => {
      const element = document.createElementNS(NS, name);
      element.setAttribute("class", kind);
      group.append(element);
      return element;
    };
    const line = part("path", `rail ${way.state}`);
    const grip = part("line", "rail-grip");
    const ruler = part("path", "rail-ruler");
    const label = part("text", "rail-label");
    const rail = { way, start, along, group, line, grip, ruler, label, travel: null, text: "" };
    grip.addEventListener("pointerdown", (event) => drag(rail, event));
    svg.append(group);
    return rail;
  }

  function place() {
    for (const rail of rails) {
      const length = rail.way.free ?? rail.way.suggested;
      const a = stage.project(rail.start);
      const b = rail.way.free === null ? visibleEnd(rail, length) : stage.project(rail.start.clone().addScaledVector(rail.along, length));
      const c = stage.project(rail.start.clone().addScaledVector(rail.along, stage.bounds([...stage.items.keys()], true).getSize(new THREE.Vector3()).length() * 0.01));
      const span = Math.hypot(c.x - a.x, c.y - a.y) || 1;
      const [ux, uy] = [(c.x - a.x) / span, (c.y - a.y) / span];
      const end = rail.way.free === null
        ? `M${b.x - TIP * ux - TIP * 0.7 * uy} ${b.y - TIP * uy + TIP * 0.7 * ux}L${b.x} ${b.y}L${b.x - TIP * ux + TIP * 0.7 * uy} ${b.y - TIP * uy - TIP * 0.7 * ux}`
        : `M${b.x - BAR * uy} ${b.y + BAR * ux}L${b.x + BAR * uy} ${b.y - BAR * ux}`;
      rail.line.setAttribute("d", `M${a.x} ${a.y}L${b.x} ${b.y}${end}`);
      const hold = Math.max(Math.hypot(b.x - a.x, b.y - a.y), HOLD);
      const grip = { x1: a.x, y1: a.y, x2: a.x + ux * hold, y2: a.y + uy * hold };
      for (const [key, value] of Object.entries(grip)) rail.grip.setAttribute(key, value);
      rail.label.setAttribute("x", b.x + 10);
      rail.label.setAttribute("y", b.y - 6);
      rail.label.textContent = rail.travel === null ? "" : rail.text || words(rail.travel);
      rail.ruler.setAttribute("d", rail.travel === null ? "" : marksOf(rail, [-uy, ux]));
    }
  }

  /** Marks along a rail that is being dragged: one a pitch, or fewer where they would crowd; each fifth longer. */
  function marksOf(rail, [nx, ny]) {
    const at = (mm) => stage.project(rail.start.clone().addScaledVector(rail.along, mm));
    const [a, b] = [at(0), at(pitch || 1)];
    const apart = Math.max(Math.hypot(b.x - a.x, b.y - a.y), 1e-3);
    const step = (pitch || 1) * [1, 2, 5, 10, 20, 50, 100].find((n, k, all) => apart * n >= 7 || k === all.length - 1);
    const marks = Math.min(Math.ceil(rail.travel / step) + 10, 200);
    return Array.from({ length: marks + 1 }, (_, k) => {
      const { x, y } = at(k * step);
      const long = k % 5 ? 5 : 9;
      return `M${x} ${y}l${nx * long} ${ny * long}`;
    }).join("");
  }

  /** The end of a clear rail, or the farthest place on it that the canvas shows. */
  function visibleEnd(rail, length) {
    let end = null;
    for (let share = 1; share > 0.15; share -= 0.1) {
      end = stage.project(rail.start.clone().addScaledVector(rail.along, length * share));
      const inside = end.x > EDGE && end.y > EDGE && end.x < stage.box.clientWidth - EDGE && end.y < stage.box.clientHeight - EDGE;
      if (inside && end.ahead) break;
    }
    return end;
  }

  function drag(rail, down) {
    const base = along(rail, down);
    rail.group.classList.add("held");
    const letGo = () => {
      const { travel } = rail;
      rail.group.classList.remove("held");
      rail.travel = null;
      return travel;
    };
    const back = () => {
      onMove(rail.way, 0);
      place();
    };
    follow(rail.grip, down, {
      move: (event) => {
        rail.travel = travelOf(rail.way, along(rail, event) - base, event);
        rail.text = onMove(rail.way, rail.travel) ?? "";
        place();
      },
      done: (event) => {
        const travel = letGo();
        if (travel > 0) return onDone(rail.way, travel);
        back();
        if (travel === null) stage.click(event);
      },
      cancel: () => {
        letGo();
        back();
      },
    });
  }

  /** Place along a rail's line, in mm, nearest to the pointer's ray. */
  const along = (rail, event) => alongLine(stage.ray(event), rail.start, rail.along) ?? 0;

  /** A travel on the pitch that Python gave, or free with Alt; it ends at the stop unless Shift pulls it through. */
  function travelOf(way, travel, event) {
    const wanted = Math.max(travel, 0);
    const round = snapped(wanted, grainOf(event, pitch));
    if (way.stop === null || event.shiftKey || endless) return round;
    return wanted >= way.stop - 1e-9 || round > way.stop ? way.stop : round;
  }

  function clear() {
    for (const rail of rails) rail.group.remove();
    rails = [];
  }

  stage.canvas.addEventListener("drawn", place);
  return { show, clear, list: () => rails.map((rail) => rail.way) };
}
