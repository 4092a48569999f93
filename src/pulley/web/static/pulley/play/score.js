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
  const turn = spread === 1 ? slerp(q, r, part) : partOf(segment, s, spread);
  const pivot = turned(turn, segment.pivot);
  return { offset: mix(from, to, part).map((v, k) => v * spread + (segment.pivot[k] - pivot[k])), turn };
}

/** A factor on the rotation of a segment at a share of its way, whole turns counted: from pose to pose its axis stays. */
function partOf({ poses }, s, factor) {
  const vector = [0, 0, 0];
  for (let k = 0; k + 1 < poses.length; k += 1) {
    const [[a, , q], [b, , r]] = [poses[k], poses[k + 1]];
    const part = Math.min(Math.max((s - a) / Math.max(b - a, 1e-12), 0), 1);
    const step = product(r, [-q[0], -q[1], -q[2], q[3]]);
    const sine = Math.hypot(step[0], step[1], step[2]);
    if (sine < 1e-12) continue;
    const angle = 2 * Math.atan2(sine, Math.abs(step[3])) * Math.sign(step[3] || 1);
    for (const axis of [0, 1, 2]) vector[axis] += (step[axis] / sine) * angle * part;
  }
  const angle = Math.hypot(...vector) * factor;
  if (Math.abs(angle) < 1e-12) return STILL;
  const size = Math.hypot(...vector);
  return [...vector.map((v) => (v / size) * Math.sin(angle / 2)), Math.cos(angle / 2)];
}

const isStill = (q) => q[0] === 0 && q[1] === 0 && q[2] === 0;

/**
 * Product of two quaternions (x, y, z, w).
 * @param {number[]} p
 * @param {number[]} q
 */
function product(p, q) {
  const [[a, b, c, d], [e, f, g, h]] = [p, q];
  return [d * e + a * h + b * g - c * f, d * f - a * g + b * h + c * e, d * g + a * f - b * e + c * h, d * h - a * e - b * f - c * g];
}

/** A vector turned by a quaternion. */
function turned(q, v) {
  if (isStill(q)) return v;
  const [x, y, z] = product(product(q, [...v, 0]), [-q[0], -q[1], -q[2], q[3]]);
  return [x, y, z];
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

/** Where a pose has brought a point at home. */
export function placeOf({ offset, turn }, point) {
  return turned(turn, point).map((v, k) => v + offset[k]);
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

/** A view on the way from one to another, as core mixes them. */
export function mixViews(a, b, s) {
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
    aspect: a.aspect + s * (b.aspect - a.aspect),
  };
}
