// Dragging things on the paper: shown at once, kept when let go. Views snap to the middles of others, and a balloon's
// leader follows it.

import { follow } from "../underway.js";
import { groupsOf, thingOf } from "./picked.js";

const SNAP = 2; // mm within which a view lines up with another
const SLIP = 1; // mm that a press may slip and still be a click
const NS = "http://www.w3.org/2000/svg";

/** `send(verb, values)` keeps a change. */
export function createMoving(desk, picked, send) {
  const shifted = (groups, x, y) => groups.forEach((group) => group.setAttribute("transform", `translate(${x} ${-y})`));

  /** The groups that move when a thing does, and the leaders that stretch: with which end. */
  function cast(key) {
    const groups = groupsOf(desk.svg(), key);
    const [kind, id] = key.split(":");
    if (kind === "balloon") {
      const leader = groups.find((group) => group.dataset.tag?.endsWith("/leader"));
      const tip = groups.find((group) => group.dataset.tag?.endsWith("/tip"));
      return { move: groups.filter((group) => group !== leader && group !== tip), leaders: leader ? [leader] : [] };
    }
    if (kind !== "view") return { move: groups, leaders: [] };
    const own = [...desk.svg().querySelectorAll(`g[data-of="${id}"]`)];
    return { move: [...groups, ...own], leaders: [] };
  }

  /** Where a view would be in line with another: what to add to its way, and the line to show. */
  function inLine(key, way) {
    const middle = (k) => {
      const boxes = groupsOf(desk.svg(), k).filter((g) => !g.dataset.tag?.includes("/caption")).map((group) => group.getBBox());
      const left = Math.min(...boxes.map((b) => b.x)), right = Math.max(...boxes.map((b) => b.x + b.width));
      const top = Math.min(...boxes.map((b) => b.y)), foot = Math.max(...boxes.map((b) => b.y + b.height));
      return { x: (left + right) / 2, y: (top + foot) / 2 };
    };
    const keys = new Set([...desk.svg().querySelectorAll('g[data-tag^="view:"]')].map((group) => thingOf(group)?.key));
    const own = middle(key);
    const found = { x: 0, y: 0, lines: [] };
    for (const other of keys) {
      if (!other || other === key) continue;
      const at = middle(other);
      const off = { x: at.x - (own.x + way.x), y: at.y - (own.y - way.y) };
      if (!found.x && Math.abs(off.x) < SNAP) Object.assign(found, { x: off.x, lines: [...found.lines, ["x", at.x]] });
      if (!found.y && Math.abs(off.y) < SNAP) Object.assign(found, { y: -off.y, lines: [...found.lines, ["y", at.y]] });
    }
    return found;
  }

  function guides(lines) {
    desk.svg().querySelectorAll(".guide-line").forEach((line) => line.remove());
    const { width, height } = desk.paper().dataset;
    for (const [axis, value] of lines) {
      const line = document.createElementNS(NS, "path");
      line.setAttribute("class", "guide-line");
      line.setAttribute("d", axis === "x" ? `M${value} 0V${height}` : `M0 ${value}H${width}`);
      desk.svg().append(line);
    }
  }

  /** Both ends of a leader as it was drawn by the server. */
  function endsOf(path) {
    path.dataset.was ??= path.getAttribute("d");
    return path.dataset.was.slice(1).split(/[L ]/).map(Number);
  }

  /** The leader drawn from a balloon that was moved by so much. */
  function stretch(leader, x, y) {
    const path = leader.querySelector("path");
    const [ax, ay, bx, by] = endsOf(path);
    path.setAttribute("d", `M${ax + x} ${ay - y}L${bx} ${by}`);
  }

  /** Follow a drag of what is selected, begun by `down`; `click` is what a press without a drag means. */
  function drag(down, keys, click) {
    const start = desk.mm(down);
    let parts = keys.map(cast);
    const kind = keys[0].split(":")[0];
    let way = { x: 0, y: 0 };
    function draw(x, y) {
      if (!parts[0].move[0]?.isConnected) parts = keys.map(cast); // the paper was drawn anew meanwhile
      for (const { move, leaders } of parts) {
        shifted(move, x, y);
        leaders.forEach((leader) => stretch(leader, x, y));
      }
    }
    follow(desk.table, down, {
      move: (event) => {
        const now = desk.mm(event);
        way = { x: now.x - start.x, y: now.y - start.y };
        if (kind === "view" && keys.length === 1 && !event.altKey) {
          const snap = inLine(keys[0], way);
          way = { x: way.x + snap.x, y: way.y + snap.y };
          guides(snap.lines);
        }
        draw(way.x, way.y);
      },
      done: () => {
        guides([]);
        if (Math.hypot(way.x, way.y) < SLIP) {
          draw(0, 0);
          click();
        } else keep(keys, way);
      },
      cancel: () => {
        guides([]);
        draw(0, 0);
      },
    });
  }

  /** Keep that things were moved by so many mm. */
  function keep(keys, way) {
    const [kind] = keys[0].split(":");
    const ids = keys.map((key) => key.split(":")[1]);
    const by = { x: way.x.toFixed(3), y: way.y.toFixed(3) };
    if (kind === "balloon") send("move-balloons", { ids: JSON.stringify(ids), ...by });
    else if (kind === "view") send("move-view", { id: ids[0], ...by });
    else if (kind !== "centre" && kind !== "title") send("move-item", { id: ids[0], ...by });
  }

  /** Follow the end of a leader, begun by `down`. */
  function dragTip(down, key) {
    let at = null;
    let back = () => {};
    follow(desk.table, down, {
      move: (event) => {
        at = desk.mm(event);
        const path = groupsOf(desk.svg(), key).find((group) => group.dataset.tag?.endsWith("/leader"))?.querySelector("path");
        if (!path) return;
        const [ax, ay] = endsOf(path);
        back = () => path.setAttribute("d", path.dataset.was);
        path.setAttribute("d", `M${ax} ${ay}L${at.x} ${Number(desk.paper().dataset.height) - at.y}`);
      },
      done: () => {
        if (at) send("move-attachment", { id: key.split(":")[1], x: at.x.toFixed(3), y: at.y.toFixed(3) });
      },
      cancel: () => back(),
    });
  }

  return { drag, dragTip, keep };
}
