// The run chart by hand: bars dragged to another time or stretched, by mouse or keyboard; zoom along the time axis.

import { snapped } from "../canvas/pull.js";
import { follow } from "../underway.js";

const TICK = 0.1; // seconds
const LONG = 1; // seconds an arrow key moves with Ctrl
const ENOUGH = 3; // pixels that a drag is more than a click
const MOST = 32; // times as wide

/** Wire the chart in `panel`; `edit(verb, values)` asks for a change, `open(id)` opens a card. */
export function wireRunChart(panel, edit, open) {
  let zoom = 1;
  let focused = "";

  const chart = () => panel.querySelector("#chart");
  const inner = () => panel.querySelector(".chart-inner");
  const seconds = () => Number(chart().dataset.duration) || 1;
  const numbers = (bar) => [Number(bar.dataset.start), Number(bar.dataset.end)];

  function place(bar, start, end) {
    bar.setAttribute("x", `${(100 * start) / seconds()}%`);
    bar.setAttribute("width", `${(100 * Math.max(end - start, 0.02)) / seconds()}%`);
  }

  panel.addEventListener("pointerdown", (event) => {
    const bar = event.target.closest("[data-bar]");
    if (bar && event.button === 0) drag(bar, event);
  });

  function drag(bar, down) {
    bar.focus();
    const [start, end] = numbers(bar);
    const scale = seconds() / bar.parentElement.getBoundingClientRect().width;
    const stretch = down.target.matches(".end");
    const step = bar.dataset.bar;
    let by = 0;
    follow(bar, down, {
      move: (event) => {
        const pixels = event.clientX - down.clientX;
        by = Math.abs(pixels) < ENOUGH && !by ? 0 : snapped(pixels * scale, TICK);
        if (stretch) place(bar, start, Math.max(end + by, start + TICK));
        else place(bar, Math.max(start + by, 0), Math.max(end + by, end - start));
      },
      done: () => {
        if (!by) return open(step);
        return stretch ? edit("stretch", { step, value: Math.max(end - start + by, TICK) }) : edit("bar", { step, value: Math.max(start + by, 0) });
      },
      cancel: () => place(bar, start, end),
    });
  }

  panel.addEventListener("keydown", (event) => {
    const bar = event.target.closest("[data-bar]");
    if (!bar) return;
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const [start, end] = numbers(bar);
    const id = bar.dataset.bar;
    const step = event.ctrlKey ? LONG : TICK;
    if (by && event.altKey) return; // another place in the order: the list of commands has that
    if (by && event.shiftKey) edit("stretch", { step: id, value: Math.max(end - start + by * step, TICK) });
    else if (by) edit("bar", { step: id, value: Math.max(start + by * step, 0) });
    else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      const bars = [...panel.querySelectorAll("[data-bar]")];
      bars[(bars.indexOf(bar) + (event.key === "ArrowDown" ? 1 : -1) + bars.length) % bars.length].focus();
    } else if (event.key === "Enter") open(id);
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  panel.addEventListener("focusin", (event) => {
    const bar = event.target.closest("[data-bar]");
    if (!bar) return;
    focused = bar.dataset.bar;
    for (const other of panel.querySelectorAll("[data-bar]")) other.setAttribute("tabindex", other === bar ? "0" : "-1");
  });

  function setZoom(wanted, at = 0.5) {
    const middle = (chart().scrollLeft + chart().clientWidth * at) / inner().offsetWidth;
    zoom = Math.min(Math.max(wanted, 1), MOST);
    inner().style.width = `${zoom * 100}%`;
    chart().scrollLeft = middle * inner().offsetWidth - chart().clientWidth * at;
    chart().dataset.zoom = String(zoom);
  }
  panel.querySelector("#chart-in").addEventListener("click", () => setZoom(zoom * 2));
  panel.querySelector("#chart-out").addEventListener("click", () => setZoom(zoom / 2));
  panel.addEventListener("wheel", (event) => {
    if (!event.ctrlKey || !event.target.closest("#chart")) return;
    event.preventDefault();
    const box = chart().getBoundingClientRect();
    setZoom(zoom * (event.deltaY < 0 ? 1.25 : 0.8), (event.clientX - box.left) / box.width);
  }, { passive: false });

  /** The chart was drawn anew. */
  return () => {
    if (zoom > 1) inner().style.width = `${zoom * 100}%`;
    const bar = focused && panel.querySelector(`[data-bar="${CSS.escape(focused)}"]`);
    if (!bar) return;
    for (const other of panel.querySelectorAll("[data-bar]")) other.setAttribute("tabindex", other === bar ? "0" : "-1");
  };
}
