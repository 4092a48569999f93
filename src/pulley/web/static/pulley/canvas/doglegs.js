// The middle of a trail line by hand: dragged aside, the line runs round what is in its way.

import * as THREE from "../../vendor/three/build/three.module.js";
import { svg } from "./svg.js";

const SPAN = [0.3, 0.7]; // of a leg: where a new dogleg leaves it and comes back

/** `show(trail, points)` puts a handle at the middle of each leg; `onDone(leg, span, offset)` asks for the dogleg. */
export function createDoglegs(overlay, stage, onDone) {
  let held = [];

  function clear() {
    for (const { group } of held) group.remove();
    held = [];
  }

  function show(trail, points, pitch) {
    clear();
    for (let leg = 0; leg + 1 < points.length; leg += 1) {
      const [a, b] = [points[leg], points[leg + 1]].map((point) => new THREE.Vector3(...point));
      if (a.distanceTo(b) < 1e-6) continue;
      const jog = trail.jogs.find((each) => each.leg === leg);
      const span = jog ? [jog.start, jog.end] : SPAN;
      const offset = new THREE.Vector3(...(jog?.offset ?? [0, 0, 0]));
      const knob = svg("path", { d: "M-8 0L0 -8L8 0L0 8z" });
      const preview = svg("polyline", { class: "dogleg-preview" });
      const group = svg("g", { class: "dogleg", "data-leg": leg }, preview, knob);
      overlay.append(group);
      const one = { group, knob, preview, a, b, span, offset, leg };
      held.push(one);
      knob.addEventListener("pointerdown", (event) => drag(one, event, pitch));
    }
    place();
  }

  const at = ({ a, b, span, offset }, share, aside) => a.clone().lerp(b, span[0] + share * (span[1] - span[0])).addScaledVector(offset, aside);

  function place() {
    for (const one of held) {
      const { x, y } = stage.project(at(one, 0.5, 1));
      one.knob.setAttribute("transform", `translate(${x} ${y})`);
      const corners = [at(one, 0, 0), at(one, 0, 1), at(one, 1, 1), at(one, 1, 0)].map((point) => stage.project(point));
      one.preview.setAttribute("points", corners.map((spot) => `${spot.x},${spot.y}`).join(" "));
    }
  }

  /** Aside along the one of the assembly's axes, square to the leg, that the pointer follows. */
  function drag(one, down, pitch) {
    down.preventDefault();
    const along = one.b.clone().sub(one.a).normalize();
    const begun = one.offset.clone();
    const middle = at({ ...one, offset: new THREE.Vector3() }, 0.5, 0);
    const grain = stage.grain(middle.toArray());
    one.knob.setPointerCapture(down.pointerId);
    const axes = [[1, 0, 0], [0, 1, 0], [0, 0, 1]].map((axis) => new THREE.Vector3(...axis)).map((axis) => axis.addScaledVector(along, -axis.dot(along)))
      .filter((axis) => axis.length() > 0.5).map((axis) => axis.normalize());
    const seen = axes.map((axis) => {
      const [p, q] = [stage.project(middle), stage.project(middle.clone().addScaledVector(axis, 40 * grain))];
      return { axis, x: (q.x - p.x) / (40 * grain), y: (q.y - p.y) / (40 * grain) };
    });
    const move = (event) => {
      const [x, y] = [event.clientX - down.clientX, event.clientY - down.clientY];
      const fits = seen.map((each) => {
        const size = each.x ** 2 + each.y ** 2;
        return { ...each, by: size > 1e-9 ? (x * each.x + y * each.y) / size : 0, share: size > 1e-9 ? Math.abs(x * each.x + y * each.y) / Math.sqrt(size) : 0 };
      });
      const best = fits.reduce((a, b) => (b.share > a.share ? b : a));
      const snap = event.altKey || !pitch ? 0.1 : pitch;
      one.offset.copy(begun).addScaledVector(best.axis, Math.round(best.by / snap) * snap);
      place();
    };
    one.knob.addEventListener("pointermove", move);
    one.knob.addEventListener("pointerup", () => {
      one.knob.removeEventListener("pointermove", move);
      if (one.offset.distanceTo(begun) > 1e-6 && one.offset.length() > 1e-6) onDone(one.leg, one.span, one.offset.toArray());
    }, { once: true });
  }

  stage.canvas.addEventListener("drawn", place);
  return { show, clear };
}
