// Trail lines: in the teardown's line type, hidden where a part covers them or shown through, with doglegs and stops.

import * as THREE from "../../vendor/three/build/three.module.js";
import { LineMaterial } from "../../vendor/three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "../../vendor/three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "../../vendor/three/examples/jsm/lines/LineSegmentsGeometry.js";
import { poseAt, placeOf, trailAt } from "../score.js";

const SHARE = 0.0012; // of the assembly's size: a line's width in the model, for its pattern and its end marks
const PIXELS = 5; // of a line 1 mm wide on paper
const MOST = 600; // pattern elements in one trail; a longer one is drawn with a coarser pattern
const MARK = 6; // widths from the middle of an end mark to its tips

const sum = (a, b, factor = 1) => a.map((v, k) => v + factor * b[k]);
const dot = (a, b) => a.reduce((total, v, k) => total + v * b[k], 0);

/** `update` draws the trails of a Score at a time; `style` takes on the teardown's line. */
export function createTrails(stage) {
  const material = new LineMaterial({ color: 0x55606b, linewidth: 1.25 });
  const lines = new LineSegments2(new LineSegmentsGeometry(), material);
  lines.frustumCulled = false;
  lines.raycast = () => {};
  stage.scene.add(lines);
  let width = 1;
  let pattern = [24, 3, 0.5, 3];

  function update(score, time, shown, hidden, spread) {
    const points = [];
    const groups = new Map();
    for (const trail of shown ? score.trails : []) {
      if (hidden.has(trail.component)) continue;
      const polyline = trailAt(trail, score.tracks[trail.component], time, spread);
      if (trail.group >= 0) groups.set(trail.group, [...(groups.get(trail.group) ?? []), polyline]);
      else for (const piece of pieces(trail, polyline)) dash(piece, points);
      if (trail.marks && polyline.length > 1) for (const end of [polyline[0], polyline.at(-1)]) mark(end, points);
    }
    for (const together of groups.values()) for (const piece of merged(together)) dash(piece, points);
    for (const route of shown && time > 0 ? score.routes : []) dash(run(route, score, time, spread), points);
    lines.visible = points.length > 0;
    if (points.length) {
      lines.geometry.dispose();
      lines.geometry = new LineSegmentsGeometry().setPositions(points);
    }
    stage.invalidate();
    return points.length / 6;
  }

  /** A straight piece, or several, of a trail that are to be drawn: without legs that are off, with doglegs. */
  function pieces(trail, polyline) {
    const found = [];
    for (let leg = 0; leg + 1 < polyline.length; leg += 1) {
      if (trail.off.includes(leg)) continue;
      const [a, b] = [polyline[leg], polyline[leg + 1]];
      const whole = trail.points[leg] ? Math.hypot(...sum(trail.points[leg][1], leg ? trail.points[leg - 1][1] : trail.origin, -1)) : 0;
      const grown = whole ? Math.min(Math.hypot(...sum(b, a, -1)) / whole, 1) : 1;
      const piece = [a];
      for (const jog of trail.jogs.filter((each) => each.leg === leg).sort((p, q) => p.start - q.start)) {
        const [leave, back] = [jog.start, jog.end].map((share) => sum(a, sum(b, a, -1), share));
        piece.push(leave, sum(leave, jog.offset, grown), sum(back, jog.offset, grown), back);
      }
      piece.push(b);
      if (found.length && !trail.off.includes(leg - 1)) found.at(-1).push(...piece.slice(1));
      else found.push(piece);
    }
    return found;
  }

  /** Straight lines on one line, where they overlap drawn once. */
  function merged(polylines) {
    const origin = polylines[0][0];
    const longest = polylines.map((line) => sum(line.at(-1), line[0], -1)).sort((p, q) => dot(q, q) - dot(p, p))[0];
    const length = Math.hypot(...longest);
    if (length < 1e-9) return [];
    const along = longest.map((v) => v / length);
    const spans = polylines.map((line) => {
      const places = line.map((point) => dot(sum(point, origin, -1), along));
      return [Math.min(...places), Math.max(...places)];
    }).sort((p, q) => p[0] - q[0]);
    const joined = [];
    for (const [low, high] of spans) {
      if (joined.length && low <= joined.at(-1)[1] + 1e-6) joined.at(-1)[1] = Math.max(joined.at(-1)[1], high);
      else joined.push([low, high]);
    }
    return joined.map((span) => span.map((place) => sum(origin, along, place)));
  }

  /** A line through stops as they stand, between two of them along the axes in the order that the Score says. */
  function run(route, score, time, spread) {
    const stand = route.stops.map(([path, point]) => placeOf(poseAt(score.tracks[path], time, spread), point));
    const points = [stand[0]];
    route.orders.forEach((order, k) => {
      for (const axis of order) {
        const next = [...points.at(-1)];
        next[axis] = stand[k + 1][axis];
        points.push(next);
      }
      points[points.length - 1] = order.length ? points.at(-1) : stand[k + 1];
    });
    return points;
  }

  function mark(point, points) {
    for (const axis of [0, 1, 2]) {
      const arm = [0, 1, 2].map((k) => (k === axis ? MARK * width : 0));
      points.push(...sum(point, arm, -1), ...sum(point, arm));
    }
  }

  /** Cut a polyline into the dashes of the pattern, which runs on round its bends. */
  function dash(polyline, points) {
    const spans = polyline.slice(1).map((point, k) => Math.hypot(...sum(point, polyline[k], -1)));
    if (!pattern.length) {
      spans.forEach((span, k) => span > 1e-9 && points.push(...polyline[k], ...polyline[k + 1]));
      return;
    }
    const total = spans.reduce((whole, span) => whole + span, 0);
    const period = pattern.reduce((whole, part) => whole + part, 0);
    const scale = Math.max(width, (total * pattern.length) / (MOST * period));
    let [element, left] = [0, pattern[0] * scale];
    spans.forEach((span, k) => {
      let at = 0;
      while (at < span - 1e-9) {
        const end = Math.min(at + left, span);
        if (element % 2 === 0) for (const place of [at, end]) points.push(...sum(polyline[k], sum(polyline[k + 1], polyline[k], -1), place / span));
        left -= end - at;
        at = end;
        if (left <= 1e-9) {
          element = (element + 1) % pattern.length;
          left = pattern[element] * scale;
        }
      }
    });
  }

  function scaleTo(bounds) {
    width = bounds.getSize(new THREE.Vector3()).length() * SHARE;
  }

  function style(line) {
    pattern = line.pattern;
    material.color.set(line.colour);
    material.linewidth = Math.max(line.width * PIXELS, 0.75);
    material.depthTest = !line.through;
    lines.renderOrder = line.through ? 5 : 0;
  }
  return { update, scaleTo, style };
}
