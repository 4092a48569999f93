// How a pointer that drags something is read: what it snaps to, and how far along a line it has come.

/** The grain of a drag: the pitch, or with Alt, and where there is none, the fine one. */
export const grainOf = (event, pitch, fine = 0.1) => (event.altKey || !pitch ? fine : pitch);

/** The multiple of a grain that is nearest, without the dust of binary fractions. */
export const snapped = (value, grain) => Math.round(Math.round(value / grain) * grain * 1e6) / 1e6 + 0;

/** How far along a line from `start` the pointer's ray comes nearest to it; null when one looks along the line. */
export function alongLine(ray, start, along) {
  const between = start.clone().sub(ray.origin);
  const cross = along.dot(ray.direction);
  const flat = 1 - cross * cross;
  return flat < 1e-6 ? null : (cross * between.dot(ray.direction) - between.dot(along)) / flat;
}
