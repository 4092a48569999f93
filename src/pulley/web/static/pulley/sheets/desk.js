// The page of paper on the desk: where things are on it, in mm, and how large it is shown.

import { find } from "../dom.js";

const STEP = 1.15; // what a turn of the wheel changes the size by

const THIN = 0.6; // pixels that every line has at least, and one more for each mm of its width: no paper, but to be seen

/** The paper in `desk`; `drawn` hears that it was drawn anew. */
export function createDesk(desk, drawn) {
  let zoom = 1;

  const paper = () => find("#paper");
  const svg = () => find("#paper > svg");

  /** Show the whole page. */
  function fit() {
    zoom = 1;
    lay();
  }

  /** Give the page the size that it is to have. */
  function lay() {
    const { width, height } = paper().dataset;
    const room = { x: desk.clientWidth - 48, y: desk.clientHeight - 48 };
    const scale = Math.min(room.x / Number(width), room.y / Number(height)) * zoom;
    svg().setAttribute("width", `${Number(width) * scale}px`);
    svg().setAttribute("height", `${Number(height) * scale}px`);
    for (const line of svg().querySelectorAll("[stroke-width]")) {
      const wide = Number(line.getAttribute("stroke-width"));
      line.style.strokeWidth = String(Math.max(wide, (THIN + wide) / scale));
    }
  }

  /** Mm of paper, from the lower left corner, of a place in the window. */
  function mm(event) {
    const box = svg().getBoundingClientRect();
    const { width, height } = paper().dataset;
    const x = ((event.clientX - box.left) / box.width) * Number(width);
    const y = (1 - (event.clientY - box.top) / box.height) * Number(height);
    return { x, y };
  }

  /** How many pixels a mm of paper has. */
  const perMm = () => svg().getBoundingClientRect().width / Number(paper().dataset.width);

  desk.addEventListener("wheel", (event) => {
    if (!event.ctrlKey) return;
    event.preventDefault();
    zoomBy(event.deltaY < 0 ? STEP : 1 / STEP, event);
  }, { passive: false });

  function zoomBy(factor, at) {
    const before = at && mm(at);
    zoom = Math.min(Math.max(zoom * factor, 0.5), 20);
    lay();
    if (!before) return;
    const box = svg().getBoundingClientRect();
    const { width, height } = paper().dataset;
    desk.scrollLeft += box.left + (before.x / Number(width)) * box.width - at.clientX;
    desk.scrollTop += box.top + (1 - before.y / Number(height)) * box.height - at.clientY;
  }

  new ResizeObserver(lay).observe(desk);
  document.body.addEventListener("htmx:oobAfterSwap", (event) => {
    if (event.detail.target.id !== "paper") return;
    lay();
    drawn();
  });
  lay();
  return { table: desk, svg, paper, mm, perMm, fit, zoomBy, frozen: () => paper().dataset.frozen === "1" };
}
