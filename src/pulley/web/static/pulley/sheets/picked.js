// What is selected on the sheet: groups of the drawing that belong to one thing, outlined; the strip says what can be done.

import { find } from "../dom.js";
import { pageState } from "../ask.js";

const KINDS = /^(view|balloon|list|note|dimension|table|centre|title)(:([^/]*))?/;
const GRIP = 3; // mm round what is selected that its outline keeps off

/** The thing that a group stands for: kind, id, and the tag of the whole. */
export function thingOf(group) {
  const tag = group?.dataset.tag ?? "";
  const match = KINDS.exec(tag);
  if (!match) return null;
  return { kind: match[1], id: match[3] ?? "", tag, key: match[3] === undefined ? match[1] : `${match[1]}:${match[3]}` };
}

/** Every group of the drawing that stands for a thing or a part of it. */
export function groupsOf(svg, key) {
  return [...svg.querySelectorAll("g[data-tag]")].filter((group) => thingOf(group)?.key === key);
}

/** The view whose bounds hold a place in the window, the smallest of several; nothing where there is none. */
export function viewUnder(svg, event) {
  const boxes = new Map();
  for (const group of svg.querySelectorAll('g[data-tag^="view:"]')) {
    const thing = thingOf(group);
    const own = group.getBoundingClientRect();
    if (!thing || thing.tag.endsWith("/circle")) continue;
    const box = boxes.get(thing.key) ?? { thing, left: Infinity, right: -Infinity, top: Infinity, bottom: -Infinity };
    Object.assign(box, { left: Math.min(box.left, own.left), right: Math.max(box.right, own.right), top: Math.min(box.top, own.top), bottom: Math.max(box.bottom, own.bottom) });
    boxes.set(thing.key, box);
  }
  const inside = [...boxes.values()].filter((b) => event.clientX >= b.left && event.clientX <= b.right && event.clientY >= b.top && event.clientY <= b.bottom);
  return inside.sort((a, b) => (a.right - a.left) * (a.bottom - a.top) - (b.right - b.left) * (b.bottom - b.top))[0]?.thing ?? null;
}

export function createPicked(desk) {
  let keys = [];

  function show() {
    desk.svg().querySelector(".picked")?.remove();
    const box = document.createElementNS("http://www.w3.org/2000/svg", "g");
    box.setAttribute("class", "picked");
    box.setAttribute("pointer-events", "none");
    for (const key of keys) {
      const boxes = groupsOf(desk.svg(), key).map((group) => group.getBBox()).filter(({ width, height }) => width || height);
      if (!boxes.length) continue;
      const left = Math.min(...boxes.map((b) => b.x)) - GRIP / 2;
      const top = Math.min(...boxes.map((b) => b.y)) - GRIP / 2;
      const right = Math.max(...boxes.map((b) => b.x + b.width)) + GRIP / 2;
      const foot = Math.max(...boxes.map((b) => b.y + b.height)) + GRIP / 2;
      const rect = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      for (const [name, value] of Object.entries({ x: left, y: top, width: right - left, height: foot - top, rx: 1.5 })) rect.setAttribute(name, String(value));
      box.append(rect);
    }
    desk.svg().append(box);
    for (const row of document.querySelectorAll(".item")) {
      const own = row.getAttribute("data-balloons") ?? "";
      row.classList.toggle("is-picked", keys.some((key) => own.split(" ").includes(key)));
    }
  }

  /** Select these things; the strip follows. */
  function set(wanted, quiet = false) {
    keys = wanted;
    find("#page-state [name=selected]").value = text();
    show();
    if (quiet) return undefined;
    return window.htmx.ajax("GET", find("#editor").dataset.atStrip, { source: "#editor", target: "#strip", swap: "outerHTML", values: pageState() });
  }

  /** As the server knows it: ``balloon:b1,b2``. */
  function text() {
    if (!keys.length) return "";
    const [kind] = keys[0].split(":");
    const ids = keys.filter((key) => key.split(":")[0] === kind).map((key) => key.split(":")[1] ?? "");
    return ids[0] ? `${kind}:${ids.join(",")}` : kind;
  }

  /** What the server says is selected. */
  function take() {
    const [kind, ids] = find("#page-state [name=selected]").value.split(":");
    keys = kind ? (ids ? ids.split(",").map((id) => `${kind}:${id}`) : [kind]) : [];
    show();
  }

  return { set, take, show, keys: () => keys, has: (key) => keys.includes(key) };
}
