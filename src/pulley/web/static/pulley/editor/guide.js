// The first-run guide: five short steps that watch what is done, can be left, and go on where they were.

import { prefer } from "../ask.js";
import { find, onClick } from "../dom.js";

/** The guide in `box`; `happened(what)` tells it what was done that it cannot see for itself. */
export function createGuide(store, box) {
  const pages = [...box.querySelectorAll("[data-page]")];
  const guide = {};
  let now = Number(box.dataset.now);

  function show() {
    box.hidden = now < 1 || now > pages.length;
    for (const page of pages) page.hidden = Number(page.dataset.page) !== now;
    box.querySelector(".guide-count").textContent = `${now} of ${pages.length}`;
  }

  function go(number) {
    now = number;
    show();
    prefer({ guide: number });
  }

  guide.happened = (what) => {
    if (!box.hidden && pages[now - 1]?.dataset.done === what) go(now + 1);
  };
  guide.resume = () => go(now >= 1 && now <= pages.length ? now : 1);
  onClick(box, {
    "#guide-leave": () => {
      box.hidden = true;
      prefer({ guide: 0 });
    },
    "#guide-skip": () => go(now + 1),
  });
  onClick(find("#editor"), { "#undo": () => guide.happened("undone"), "#show-guide": guide.resume });
  store.on("changed", ({ before }) => {
    if (before && store.state.score.steps.length > before.score.steps.length) guide.happened("made");
  });
  show();
  return guide;
}
