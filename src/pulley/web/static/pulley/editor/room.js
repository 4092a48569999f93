// The room: which columns are open, at which edge the selection has its place, how much of the run chart is shown. The
// browser remembers it, as it depends on the screen; what is asked for by a selection goes with it.

import { find, onClick } from "../dom.js";
import { follow } from "../underway.js";
import { recall, remember } from "./remembered.js";

const DRAG = 60; // pixels that the column is dragged, at least, to go to the other edge

/** The room in `editor`; `asks()` says whether something selected, or looked for, has to be shown in the column. */
export function createRoom(stage, editor, asks) {
  const { dataset } = editor;
  const wide = matchMedia("(min-width: 1500px)");
  const kept = { left: "open", hand: "right", chart: "slim", topics: [], follow: true, pinned: false, folded: false, ...recall("room", {}) };
  let waved = false; // the column was folded while what is selected now is

  function keep(news) {
    Object.assign(kept, news);
    remember("room", kept);
    arrange();
  }

  const docked = () => wide.matches && !kept.folded;
  const shown = () => docked() || kept.pinned || (asks() && !waved);

  function arrange() {
    const open = shown();
    Object.assign(dataset, { left: kept.left, hand: kept.hand, side: docked() ? "docked" : open ? "over" : "rail" });
    find("#bottom").dataset.chart = kept.chart;
    find("#fold-left").setAttribute("aria-expanded", String(kept.left === "open"));
    find("#side-open").setAttribute("aria-expanded", String(open));
    find("#chart-open").setAttribute("aria-expanded", String(kept.chart === "open"));
    find("#follow")?.setAttribute("aria-pressed", String(kept.follow));
    stage.keepFree(docked() ? {} : { [kept.hand]: find("#side").offsetWidth || Number.parseInt(getComputedStyle(editor).getPropertyValue("--side"), 10) });
  }

  /** Show the column with the parts; something in it is wanted. */
  function unfold() {
    keep(wide.matches ? { folded: false } : { pinned: true });
  }

  function fold() {
    waved = true;
    keep(wide.matches ? { folded: true, pinned: false } : { pinned: false });
  }

  /** What is asked for has changed. */
  function heed() {
    waved = waved && asks();
    arrange();
  }

  function dragSide(down) {
    if (down.target.closest("button")) return;
    const side = find("#side");
    const sign = kept.hand === "right" ? -1 : 1;
    let by = 0;
    const back = () => { side.style.transform = ""; };
    follow(down.currentTarget, down, {
      move: (event) => {
        by = event.clientX - down.clientX;
        side.style.transform = `translateX(${by}px)`;
      },
      done: () => {
        back();
        if (by * sign > DRAG) other();
      },
      cancel: back,
    });
  }
  const other = () => keep({ hand: kept.hand === "right" ? "left" : "right" });
  const toggles = {
    left: () => keep({ left: kept.left === "open" ? "rail" : "open" }),
    side: () => (shown() ? fold() : unfold()),
    chart: () => keep({ chart: kept.chart === "open" ? "slim" : "open" }),
    follow: () => keep({ follow: !kept.follow }),
    other,
  };

  /** Topics of the open card are as they were left in the one before. */
  function unfoldTopics() {
    for (const topic of editor.querySelectorAll(".topic")) topic.open = kept.topics.includes(topic.dataset.topic);
    find("#follow")?.setAttribute("aria-pressed", String(kept.follow));
  }
  onClick(editor, {
    "#fold-left": toggles.left,
    "#side-open": toggles.side,
    "#side-fold": fold,
    "#side-over": other,
    "#chart-open": toggles.chart,
    "#follow": toggles.follow,
    ".card-picture, .card-head": () => kept.left === "rail" && toggles.left(),
    ".topic > summary": (summary) => {
      const { topic } = summary.parentElement.dataset;
      const rest = kept.topics.filter((name) => name !== topic);
      keep({ topics: summary.parentElement.open ? rest : [...rest, topic] }); // it is about to turn
    },
  });
  find(".side-head", editor).addEventListener("pointerdown", dragSide);
  wide.addEventListener("change", arrange);
  new ResizeObserver(() => editor.style.setProperty("--foot", `${find("#bottom").offsetHeight}px`)).observe(find("#bottom"));
  arrange();
  return { ...toggles, open: unfold, heed, unfoldTopics, follows: () => kept.follow };
}
