// Doglegs of a trail line by hand: its middle dragged aside so that it runs round what is in its way, its ends along it.

import * as THREE from "../../vendor/three/three.min.js";
import { follow } from "../underway.js";
import { grainOf, snapped } from "./pull.js";
import { svg } from "./svg.js";

const SPAN = [0.3, 0.7]; // of what is free of a leg: where a new dogleg leaves it and comes back
const LEAST = 0.02; // share of a leg that a dogleg takes at least
const AXES = [[1, 0, 0], [0, 1, 0], [0, 0, 1]].map((axis) => new THREE.Vector3(...axis));

/** `show(trail, points)` puts handles on each leg; `onDone(leg, span, offset)` asks for the dogleg. */
export function createDoglegs(overlay, stage, onDone) {
  let held = [];
  let inHand = false; // one is being dragged: what a contact check has found in the meantime takes none away

  function clear() {
    if (inHand) return;
    for (const { group } of held) group.remove();
    held = [];
  }

  function show(trail, points, pitch) {
    if (inHand) return;
    clear();
    for (let leg = 0; leg + 1 < points.length; leg += 1) {
      const [a, b] = [points[leg], points[leg + 1]].map((point) => new THREE.Vector3(...point));
      if (a.distanceTo(b) < 1e-6) continue;
      for (const jog of jogsOf(trail, leg)) held.push(make({ a, b, leg, ...jog }, pitch));
    }
    place();
  }

  /** The doglegs of a leg as they are, and one that is not yet in the widest part that is free of them. */
  function jogsOf(trail, leg) {
    const made = trail.jogs.filter((jog) => jog.leg === leg).sort((p, q) => p.start - q.start);
    const gaps = [...made, null].map((jog, k) => [made[k - 1]?.end ?? 0, jog?.start ?? 1]);
    const kept = made.map((jog, k) => ({ span: [jog.start, jog.end], room: [gaps[k][0], gaps[k + 1][1]], offset: new THREE.Vector3(...jog.offset), made: true }));
    const [low, high] = gaps.reduce((widest, gap) => (gap[1] - gap[0] > widest[1] - widest[0] ? gap : widest));
    if (high - low < 10 * LEAST) return kept;
    return [...kept, { span: SPAN.map((share) => low + share * (high - low)), room: [low, high], offset: new THREE.Vector3(), made: false }];
  }

  function make(jog, pitch) {
    const preview = svg("polyline", { class: "dogleg-preview" });
    const knob = svg("path", { class: "middle", d: "M-8 0L0 -8L8 0L0 8z" });
    const ends = jog.made ? [0, 1].map(() => svg("circle", { class: "end", r: 5 })) : [];
    const group = svg("g", { class: "dogleg", "data-leg": jog.leg }, preview, knob, ...ends);
    overlay.append(group);
    const one = { ...jog, group, preview, knob, ends };
    knob.addEventListener("pointerdown", (down) => drag(one, down, aside(one, down, pitch)));
    ends.forEach((end, k) => end.addEventListener("pointerdown", (down) => drag(one, down, along(one, down, k))));
    return one;
  }

  const at = ({ a, b, span, offset }, share, off) => a.clone().lerp(b, span[0] + share * (span[1] - span[0])).addScaledVector(offset, off);

  function place() {
    for (const one of held) {
      const spots = [[0, 0], [0, 1], [0.5, 1], [1, 1], [1, 0]].map(([share, off]) => stage.project(at(one, share, off)));
      one.preview.setAttribute("points", spots.map((spot) => `${spot.x},${spot.y}`).join(" "));
      one.knob.setAttribute("transform", `translate(${spots[2].x} ${spots[2].y})`);
      one.ends.forEach((end, k) => end.setAttribute("transform", `translate(${spots[k ? 3 : 1].x} ${spots[k ? 3 : 1].y})`));
    }
  }

  /** Follow the pointer with `change(event)` until it is let go; what has become of the dogleg is then asked for. */
  function drag(one, down, change) {
    const [span, offset] = [[...one.span], one.offset.clone()];
    inHand = true;
    follow(down.currentTarget, down, {
      move: (event) => {
        change(event);
        place();
      },
      done: () => {
        inHand = false;
        const changed = one.span.some((share, k) => share !== span[k]) || !one.offset.equals(offset);
        if (changed && one.offset.length() > 1e-6) onDone(one.leg, one.span, one.offset.toArray());
      },
      cancel: () => {
        inHand = false;
        Object.assign(one, { span });
        one.offset.copy(offset);
        place();
      },
    });
  }

  /** How a direction in space is seen: pixels a mm at a point, in x and y. */
  function seenAs(direction, point) {
    const far = 40 * stage.grain(point.toArray());
    const [p, q] = [stage.project(point), stage.project(point.clone().addScaledVector(direction, far))];
    return { direction, x: (q.x - p.x) / far, y: (q.y - p.y) / far };
  }

  /** How far in mm a drag by (x, y) pixels goes along a direction as it is seen, and how many pixels of it do. */
  function reach(seen, x, y) {
    const size = seen.x ** 2 + seen.y ** 2;
    const dot = x * seen.x + y * seen.y;
    return size > 1e-9 ? { by: dot / size, pixels: Math.abs(dot) / Math.sqrt(size) } : { by: 0, pixels: 0 };
  }

  /** Aside along the one of the assembly's axes, square to the leg, that the pointer follows. */
  function aside(one, down, pitch) {
    const leg = one.b.clone().sub(one.a).normalize();
    const begun = one.offset.clone();
    const middle = at(one, 0.5, 0);
    const square = AXES.map((axis) => axis.clone().addScaledVector(leg, -axis.dot(leg))).filter((axis) => axis.length() > 0.5);
    const seen = square.map((axis) => seenAs(axis.normalize(), middle));
    return (event) => {
      const fits = seen.map((each) => ({ ...each, ...reach(each, event.clientX - down.clientX, event.clientY - down.clientY) }));
      const best = fits.reduce((p, q) => (q.pixels > p.pixels ? q : p));
      one.offset.copy(begun).addScaledVector(best.direction, snapped(best.by, grainOf(event, pitch)));
    };
  }

  /** An end of the dogleg along its leg, as far as the next one. */
  function along(one, down, k) {
    const [span, length] = [[...one.span], one.a.distanceTo(one.b)];
    const seen = seenAs(one.b.clone().sub(one.a).normalize(), at(one, k, 1));
    const [low, high] = k ? [span[0] + LEAST, one.room[1]] : [one.room[0], span[1] - LEAST];
    return (event) => {
      const { by } = reach(seen, event.clientX - down.clientX, event.clientY - down.clientY);
      one.span[k] = Math.min(Math.max(span[k] + by / length, low), high);
    };
  }

  stage.canvas.addEventListener("drawn", place);
  return { show, clear };
}
