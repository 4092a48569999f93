// Reading a Score at an instant. Python composed it; nothing here decides where anything goes.

const STILL = [0, 0, 0, 1];

/** Share of the path for a share of the time; the "smootherstep" that core uses. */
export function ease(t) {
  const s = Math.min(Math.max(t, 0), 1);
  return s * s * s * (s * (6 * s - 15) + 10);
}

function share(start, end, time) {
  return end > start ? ease((time - start) / (end - start)) : 1;
}

const mix = (a, b, s) => a.map((v, k) => (s <= 0 ? v : s >= 1 ? b[k] : v + s * (b[k] - v)));

/** Rotation between two quaternions (x, y, z, w), along the shorter way. */
export function slerp(a, b, s) {
  let dot = a.reduce((sum, v, k) => sum + v * b[k], 0);
  const end = dot < 0 ? b.map((v) => -v) : b;
  dot = Math.min(Math.abs(dot), 1);
  if (dot > 0.99999) return mix(a, end, s);
  const angle = Math.acos(dot);
  return a.map((v, k) => (Math.sin((1 - s) * angle) * v + Math.sin(s * angle) * end[k]) / Math.sin(angle));
}

/** Where one segment has brought its component at a share of its way. */
function within(segment, s, spread) {
  const next = segment.poses.findIndex(([at]) => at >= s);
  const [a, from, q] = segment.poses[Math.max(next - 1, 0)];
  const [b, to, r] = segment.poses[next < 0 ? segment.poses.length - 1 : next];
  const part = b > a ? (s - a) / (b - a) : 1;
  const turn = partOf(slerp(q, r, part), spread);
  const swung = turned(turn, segment.pivot);
  return { offset: mix(from, to, part).map((v, k) => v * spread + (segment.pivot[k] - swung[k])), turn };
}

const isStill = (q) => q[0] === 0 && q[1] === 0 && q[2] === 0;

/** Product of two quaternions (x, y, z, w). */
function product([a, b, c, d], [e, f, g, h]) {
  return [d * e + a * h + b * g - c * f, d * f - a * g + b * h + c * e, d * g + a * f - b * e + c * h, d * h - a * e - b * f - c * g];
}

/** A vector turned by a quaternion. */
function turned(q, v) {
  if (isStill(q)) return v;
  const [x, y, z] = product(product(q, [...v, 0]), [-q[0], -q[1], -q[2], q[3]]);
  return [x, y, z];
}

/** A factor on the angle of a rotation. */
function partOf(q, factor) {
  const sine = Math.hypot(q[0], q[1], q[2]);
  if (factor === 1 || sine < 1e-12) return q;
  const half = Math.atan2(sine, q[3]) * factor;
  return [...q.slice(0, 3).map((v) => (v / sine) * Math.sin(half)), Math.cos(half)];
}

/** Offset in mm and rotation of a component, relative to home, at a time in seconds: the product of its segments. */
export function poseAt(track, time, spread = 1) {
  let pose = { offset: [0, 0, 0], turn: STILL };
  for (const segment of track ?? []) {
    if (time <= segment.start) continue;
    const { offset, turn } = within(segment, share(segment.start, segment.end, time), segment.start < 0 ? 1 : spread);
    pose = { offset: turned(turn, pose.offset).map((v, k) => v + offset[k]), turn: isStill(turn) ? pose.turn : product(turn, pose.turn) };
  }
  return pose;
}

/** The trail line of a component at a time: points in mm from home to where its anchor is. */
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

/** How many steps have ended by a time, counted from the first. */
export function stepsDone(score, time) {
  const open = score.steps.findIndex((step) => step.end > time + 1e-6);
  return open < 0 ? score.steps.length : open;
}

/** Where a pose has brought a point at home. */
export function placeOf({ offset, turn }, point) {
  return turned(turn, point).map((v, k) => v + offset[k]);
}

/** The caption at a time: of the latest step that has begun and has one. */
export function captionAt(score, time) {
  const begun = score.steps.filter((step) => step.start < time + 1e-6 && step.end > step.start);
  const now = begun.filter((step) => step.end >= time - 1e-6);
  return (now.length ? now : begun.slice(-1)).findLast((step) => step.caption)?.caption ?? "";
}

/** The view at a time, or null while no step has asked for one; `before` is the view to come from. */
export function viewAt(shots, time, before) {
  let view = null;
  for (const shot of shots) {
    if (time < shot.start) break;
    const from = view ?? before ?? shot.camera;
    const s = share(shot.start, shot.end, time);
    view = shot.camera ? mixViews(from, shot.camera, s) : swung(from, shot, s);
  }
  return view;
}

/** A view swung round an orbit's line by a share of its angle. */
function swung(view, shot, s) {
  const half = ((shot.angle * s) / 2) * (Math.PI / 180);
  const size = Math.hypot(...shot.up);
  const turn = [...shot.up.map((v) => (v / size) * Math.sin(half)), Math.cos(half)];
  const carried = (point) => turned(turn, point.map((v, k) => v - shot.centre[k])).map((v, k) => v + shot.centre[k]);
  return { ...view, eye: carried(view.eye), target: carried(view.target), up: turned(turn, view.up) };
}

function mixViews(a, b, s) {
  if (s >= 1) return b;
  const arm = (view) => view.eye.map((v, k) => v - view.target[k]);
  const length = (v) => Math.hypot(...v);
  const [p, q] = [arm(a), arm(b)];
  const reach = length(p) ** (1 - s) * length(q) ** s;
  const way = mix(p.map((v) => v / length(p)), q.map((v) => v / length(q)), s);
  const target = mix(a.target, b.target, s);
  let span = length(way);
  if (span < 1e-9) {
    way.splice(0, 3, ...b.up); // from one side right to the other: over the top
    span = length(way);
  }
  return {
    ...b,
    target,
    eye: target.map((v, k) => v + (way[k] / span) * reach),
    up: mix(a.up, b.up, s),
    fov: a.fov + s * (b.fov - a.fov),
  };
}
