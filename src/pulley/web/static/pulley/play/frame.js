// The trail lines of a Score at an instant, its caption, and the dashes of a line: as core has them (core/score/frame.py).

import { placeOf, poseAt } from "./score.js";

const SOON = 1e-6; // seconds within which two instants are one
const NOTHING = 1e-9; // mm; shorter lines are none
const ON_LINE = 0.1; // mm within which a line counts as straight
const MOST = 600; // elements of a line pattern in one line; a longer line has a coarser pattern

const sum = (a, b, factor = 1) => a.map((v, k) => v + factor * b[k]);
const dot = (a, b) => a.reduce((total, v, k) => total + v * b[k], 0);
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const length = (a) => Math.hypot(...a);

/** The caption in force: of the latest step that plays and has one; between two steps, of the one that has ended. */
export function captionAt(score, time) {
  if (time <= 0) return "";
  const begun = score.steps.filter((step) => step.start < time - SOON && step.end > step.start);
  const now = begun.filter((step) => step.end >= time - SOON);
  return (now.length ? now : begun.slice(-1)).findLast((step) => step.caption)?.caption ?? "";
}

/** How many steps have ended by a time, counted from the first. */
export function stepsDone(score, time) {
  const open = score.steps.findIndex((step) => step.end > time + SOON);
  return open < 0 ? score.steps.length : open;
}

/** The trail lines at a time as polylines in mm, and the points at which they have end marks. */
export function trailLines(score, time, spread = 1, hidden = new Set()) {
  const [lines, marks, groups] = [[], [], new Map()];
  for (const trail of score.trails) {
    if (hidden.has(trail.component)) continue;
    const polyline = trailAt(trail, score.tracks[trail.component], time, spread);
    if (trail.group >= 0) groups.set(trail.group, { off: trail.off, polylines: [...(groups.get(trail.group)?.polylines ?? []), polyline] });
    else lines.push(...pieces(trail, polyline));
    if (trail.marks && polyline.length > 1) marks.push(polyline[0], polyline.at(-1));
  }
  for (const { polylines, off } of groups.values()) lines.push(...joined(polylines, off));
  if (time > 0) lines.push(...score.routes.map((route) => routeAt(route, score, time, spread)));
  return { lines, marks };
}

/** A trail as far as it has grown: from where it begins, by the ends of its moves, to where its anchor is. */
export function trailAt(trail, track, time, spread = 1) {
  const stand = (instant) => placeOf(poseAt(track, instant, spread), trail.anchor);
  const points = [trail.origin];
  for (const [end, point] of trail.points) {
    if (end >= time) break;
    points.push(spread === 1 ? point : stand(end));
  }
  points.push(stand(time));
  return points;
}

/** What is drawn of a trail: its legs less those that are off, with their doglegs, each run of them one line. */
function pieces(trail, polyline) {
  const stations = [trail.origin, ...trail.points.map(([, point]) => point)];
  const found = [];
  for (let leg = 0; leg + 1 < polyline.length; leg += 1) {
    if (trail.off.includes(leg)) continue;
    const [a, b] = [polyline[leg], polyline[leg + 1]];
    const piece = jogged(a, b, trail.jogs.filter((jog) => jog.leg === leg), grown(stations, leg, a, b));
    if (found.length && !trail.off.includes(leg - 1)) found.at(-1).push(...piece.slice(1));
    else found.push(piece);
  }
  return found;
}

/** The share of its whole length that a leg has by now: its doglegs grow with it. */
function grown(stations, leg, a, b) {
  const whole = leg + 1 < stations.length ? length(sum(stations[leg + 1], stations[leg], -1)) : 0;
  return whole ? Math.min(length(sum(b, a, -1)) / whole, 1) : 1;
}

/** The points of a leg with its doglegs: along the leg, square aside, on, and back. */
function jogged(a, b, jogs, share) {
  const points = [a];
  for (const jog of [...jogs].sort((p, q) => p.start - q.start)) {
    const [leave, back] = [jog.start, jog.end].map((at) => sum(a, sum(b, a, -1), at));
    points.push(leave, sum(leave, jog.offset, share), sum(back, jog.offset, share), back);
  }
  return [...points, b];
}

/** Lines that run on one line: where they overlap they are drawn once, bent ones leg by leg, less those off. */
function joined(polylines, off) {
  if (!off.length && polylines.every(isStraight)) return spansOf(polylines);
  const found = [];
  for (let leg = 0; polylines.some((line) => line.length > leg + 1); leg += 1) {
    const legs = polylines.filter((line) => line.length > leg + 1).map((line) => line.slice(leg, leg + 2));
    if (!off.includes(leg)) found.push(...spansOf(legs));
  }
  return found;
}

function isStraight(line) {
  const way = sum(line.at(-1), line[0], -1);
  const size = length(way);
  return size < NOTHING || line.every((point) => length(cross(sum(point, line[0], -1), way)) < ON_LINE * size);
}

/** Straight lines that lie on one line, those that overlap as one. */
function spansOf(polylines) {
  const origin = polylines[0][0];
  const ways = polylines.map((line) => sum(line.at(-1), line[0], -1));
  const longest = ways.reduce((best, way) => (dot(way, way) > dot(best, best) ? way : best));
  const size = length(longest);
  if (size < NOTHING) return [];
  const along = longest.map((v) => v / size);
  const spans = polylines
    .map((line) => line.map((point) => dot(sum(point, origin, -1), along)))
    .map((places) => [Math.min(...places), Math.max(...places)])
    .sort((p, q) => p[0] - q[0] || p[1] - q[1]);
  const found = [];
  for (const [low, high] of spans) {
    if (found.length && low <= found.at(-1)[1] + 1e-6) found.at(-1)[1] = Math.max(found.at(-1)[1], high);
    else found.push([low, high]);
  }
  return found.map((span) => span.map((place) => sum(origin, along, place)));
}

/** A line through stops as they stand, between two of them along the axes in the order that the Score says. */
function routeAt(route, score, time, spread) {
  const stand = route.stops.map(([path, point]) => placeOf(poseAt(score.tracks[path], time, spread), point));
  const points = [stand[0]];
  route.orders.forEach((order, k) => {
    for (const axis of order) points.push(points.at(-1).map((v, at) => (at === axis ? stand[k + 1][at] : v)));
    if (!order.length) points[points.length - 1] = stand[k + 1];
  });
  return points;
}

/** A line cut into the elements of its type that are drawn, as pairs of points; the pattern runs on round bends. */
export function dashes(line, pattern, width) {
  const spans = line.slice(1).map((point, k) => length(sum(point, line[k], -1)));
  if (!pattern.length) return spans.flatMap((span, k) => (span > NOTHING ? [[line[k], line[k + 1]]] : []));
  const total = (values) => values.reduce((whole, value) => whole + value, 0);
  const scale = Math.max(width, (total(spans) * pattern.length) / (MOST * total(pattern)));
  const found = [];
  let [element, left] = [0, pattern[0] * scale];
  spans.forEach((span, k) => {
    const way = sum(line[k + 1], line[k], -1);
    let at = 0;
    while (at < span - NOTHING) {
      const end = Math.min(at + left, span);
      if (element % 2 === 0) found.push([at, end].map((place) => sum(line[k], way, place / span)));
      left -= end - at;
      at = end;
      if (left > NOTHING) continue;
      element = (element + 1) % pattern.length;
      left = pattern[element] * scale;
    }
  });
  return found;
}
