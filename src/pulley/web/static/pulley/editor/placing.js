// Where a panel beside a spot of the canvas covers as little as it can of the lines that are drawn there.

const LOW = 44; // pixels kept free at the foot of the canvas, and 48 at its top

/** Put `box` near `spot`, in pixels of `area`; `lines` are lists of places that should stay uncovered. */
export function placeBeside(box, area, spot, lines) {
  const [width, height] = [box.offsetWidth, box.offsetHeight];
  const right = area.clientWidth - width - 12;
  const low = area.clientHeight - height - LOW;
  /** @returns {[number, number]} */
  const within = (x, y) => [Math.max(12, Math.min(x, right)), Math.max(48, Math.min(y, low))];
  const places = [90, -90 - width].flatMap((x) => [-60, 60, -60 - height].map((y) => within(spot.x + x, spot.y + y)));
  places.push(within(right, 170), within(12, 52), within(12, low), within(right, low));
  const seen = (p) => p.x >= 0 && p.x <= area.clientWidth && p.y >= 0 && p.y <= area.clientHeight;
  const shown = lines.map((line) => line.filter(seen)).filter((line) => line.length);
  const under = (p, x, y) => p.x > x - 8 && p.x < x + width + 8 && p.y > y - 8 && p.y < y + height + 8;
  // of each line the share that is covered counts, so that none vanishes under the panel for the sake of a longer one
  const covered = ([x, y]) => shown.reduce((sum, line) => sum + line.filter((p) => under(p, x, y)).length / line.length, 0);
  const [x, y] = places.reduce((best, place) => (covered(place) < covered(best) ? place : best));
  box.style.left = `${x}px`;
  box.style.top = `${y}px`;
}
