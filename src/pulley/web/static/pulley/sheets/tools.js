// Tools that wait for a click on the paper: a balloon, a note, a dimension, centre lines; a circle, and turning a view.

import { find } from "../dom.js";
import { begun, follow } from "../underway.js";
import { viewUnder } from "./picked.js";

const NS = "http://www.w3.org/2000/svg";
const WORDS = {
  balloon: "Click a part: it gets a balloon. Escape ends it.",
  note: "Click where the note stands; on a part it gets a leader. Escape ends it.",
  dimension: "Click the first point: the nearest corner is taken.",
  centre: "Click a round part: it and its like get centre lines. Escape ends it.",
  detail: "Drag a circle round what is to be enlarged. Escape ends it.",
  turn: "Drag on the view to turn it. Escape ends it.",
};
const TURN = 0.4; // degrees a pixel

export function createTools(desk, picked, send) {
  let tool = "";
  let first = null; // the point that a dimension begins at
  let over = () => {};

  const hint = find("#sheet-hint");
  const usual = hint.textContent;
  const fixed = (point, prefix = "") => ({ [`${prefix}x`]: point.x.toFixed(3), [`${prefix}y`]: point.y.toFixed(3) });
  const viewAt = (event) => viewUnder(desk.svg(), event)?.id ?? "";

  /** Take a tool in hand, or put it back. */
  function take(name) {
    over();
    over = () => {};
    tool = name === tool ? "" : name;
    first = null;
    hint.textContent = WORDS[tool] ?? usual;
    desk.paper().classList.toggle("pointing", Boolean(tool));
    for (const button of document.querySelectorAll("[data-tool]")) button.setAttribute("aria-pressed", String(button.getAttribute("data-tool") === tool));
    if (tool) over = begun(() => take(""));
  }

  const shownView = () => picked.keys()[0]?.split(":")[1] ?? "";

  /** A press on the paper while a tool is in hand; whether it was taken. */
  function press(down) {
    if (!tool) return false;
    const at = desk.mm(down);
    if (tool === "detail") circle(down, at);
    else if (tool === "turn") turn(down);
    else click(down, at);
    return true;
  }

  function click(down, at) {
    down.preventDefault();
    const view = viewAt(down);
    if (tool === "balloon") send("add-balloon", { view, ...fixed(at) });
    else if (tool === "centre") send("add-centre-lines", { view, ...fixed(at) });
    else if (tool === "note") {
      take("");
      send("add-note", { view, ...fixed(at), value: "Note" }).then(() => find("#note-text")?.select());
    } else if (!first) {
      first = { view, at };
      hint.textContent = "Click the second point.";
    } else {
      send("add-dimension", { view: first.view, ...fixed(first.at, "a"), ...fixed(at, "b") });
      take("");
    }
  }

  function circle(down, at) {
    const id = shownView();
    const ring = document.createElementNS(NS, "circle");
    ring.setAttribute("class", "guide-line");
    ring.setAttribute("cx", String(at.x));
    ring.setAttribute("cy", String(Number(desk.paper().dataset.height) - at.y));
    let radius = 0;
    follow(desk.table, down, {
      move: (event) => {
        const now = desk.mm(event);
        radius = Math.hypot(now.x - at.x, now.y - at.y);
        ring.setAttribute("r", String(radius));
        desk.svg().append(ring); // at each move: the paper may be another by then
      },
      done: () => {
        ring.remove();
        take("");
        if (radius > 0.5) send("add-detail", { id, ...fixed(at), radius: radius.toFixed(3) });
      },
      cancel: () => ring.remove(),
    });
  }

  function turn(down) {
    const id = shownView();
    let by = { x: 0, y: 0 };
    follow(desk.table, down, {
      move: (event) => {
        by = { x: (event.clientX - down.clientX) * TURN, y: (event.clientY - down.clientY) * TURN };
        hint.textContent = `Turned by ${by.x.toFixed(0)}° and ${by.y.toFixed(0)}°`;
      },
      done: () => {
        hint.textContent = WORDS.turn;
        if (by.x || by.y) send("turn-view", { id, right: by.x.toFixed(2), up: (-by.y).toFixed(2) });
      },
      cancel: () => { hint.textContent = WORDS.turn; },
    });
  }

  return { take, press, viewAt, held: () => tool };
}
