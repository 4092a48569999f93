// The step cards: choosing several, dragging them and their members into another order, doing something to all chosen.

import Sortable from "../vendor/sortablejs/modular/sortable.core.esm.js";
import { waiting } from "./outbox.js";
import { pressing } from "./underway.js";

/** Whether a drag was ended by Escape: the browser then says that nothing was dropped anywhere. */
const brokenOff = (event) => event?.type === "dragend" && event.dataTransfer?.dropEffect === "none";

const CALM = 400; // milliseconds without a change before new pictures are asked for: drawing them is work

/** Pictures of the cards that can be seen, one after the other once all is calm; until then those there were. */
function createPictures(left) {
  let timer = 0;
  let round = 0;

  const stale = () => [...left.querySelectorAll(".card-head img")].filter((img) => img.getAttribute("src") !== img.dataset.src);
  const seen = (img) => {
    const [place, frame] = [img.getBoundingClientRect(), left.getBoundingClientRect()];
    return place.bottom > frame.top - 100 && place.top < frame.bottom + 100;
  };

  async function fetchAll() {
    const mine = (round += 1);
    for (const img of stale()) {
      if (mine !== round) return;
      if (!seen(img)) continue;
      await new Promise((done) => {
        img.onload = img.onerror = done;
        img.src = img.dataset.src;
      });
    }
    if (mine === round) left.dataset.pictures = "drawn";
  }

  function soon() {
    round += 1;
    clearTimeout(timer);
    timer = setTimeout(fetchAll, CALM);
  }
  left.addEventListener("scroll", soon);
  return () => {
    left.dataset.pictures = "";
    soon();
  };
}

const panel = () => document.querySelector("#several");

/** Wire the left panel; the returned function is called whenever it was drawn anew. */
export function wireSteps(app, left) {
  const drawPictures = createPictures(left);
  let chosen = new Set();

  function mark() {
    const cards = [...left.querySelectorAll("[data-pick]")];
    chosen = new Set(cards.map((box) => box.dataset.pick).filter((id) => chosen.has(id)));
    for (const box of cards) {
      box.checked = chosen.has(box.dataset.pick);
      box.closest(".step-card").classList.toggle("chosen", box.checked);
    }
    if (!panel()) return;
    panel().hidden = chosen.size < 2;
    panel().querySelector("#several-count").textContent = chosen.size;
  }

  const ids = () => [...left.querySelectorAll("[data-pick]")].map((box) => box.dataset.pick).filter((id) => chosen.has(id));

  function several(verb, value) {
    app.edit(verb, { steps: JSON.stringify(ids()), value }, "#several-error");
  }

  left.addEventListener("change", (event) => {
    const { pick, several: verb } = event.target.dataset;
    if (pick) {
      chosen[event.target.checked ? "add" : "delete"](pick);
      mark();
    } else if (verb && event.target.value.trim()) several(verb, event.target.value);
  });
  left.addEventListener("click", (event) => {
    const at = (selector) => event.target.closest(selector);
    const head = at(".card-head");
    if (head && (event.ctrlKey || event.metaKey || event.shiftKey)) {
      event.preventDefault();
      event.stopPropagation();
      choose(head.closest("[data-step]").dataset.step, event.shiftKey);
    } else if (at("#several-none")) {
      chosen.clear();
      mark();
    } else if (at("button[data-several]")) several(at("button").dataset.several, at("button").dataset.value ?? "");
    else if (at("[data-add-to]")) app.edit("add-members", { step: at("button").dataset.addTo, members: JSON.stringify(app.lastSelection()) });
    else if (at("[data-matches]")) same(at("[data-matches]"));
    else if (at("[data-point]")) app.point(at("[data-point]").dataset.point, at("[data-point]").dataset.step);
  }, { capture: true });

  /** One more step chosen, or with `span` all from the last one chosen to it. */
  function choose(id, span) {
    const order = [...left.querySelectorAll("[data-pick]")].map((box) => box.dataset.pick);
    const last = order.findLastIndex((other) => chosen.has(other));
    const place = order.indexOf(id);
    if (span && last >= 0) for (const other of order.slice(Math.min(last, place), Math.max(last, place) + 1)) chosen.add(other);
    else if (!chosen.delete(id)) chosen.add(id);
    mark();
  }

  function same(button) {
    const wanted = [...button.parentElement.querySelectorAll("[data-match]:checked")].map((box) => box.dataset.match);
    app.edit("matches", { step: button.dataset.matches, members: JSON.stringify(wanted) });
  }

  left.addEventListener("pointerover", (event) => {
    const offer = event.target.closest("[data-matches], .offer");
    if (offer) app.light([...offer.parentElement.querySelectorAll("[data-match]:checked")].map((box) => box.dataset.match));
  });
  left.addEventListener("pointerout", (event) => {
    if (event.target.closest("[data-matches], .offer")) app.light(app.selection.paths());
  });

  function drawn() {
    mark();
    drawPictures();
    const cards = left.querySelector("#cards");
    if (cards && !Sortable.get(cards)) {
      Sortable.create(cards, {
        handle: ".card-head",
        delay: 120,
        delayOnTouchOnly: true,
        animation: 0,
        ...pressing,
        onEnd: ({ item, oldIndex, newIndex, originalEvent }) => {
          const putBack = () => cards.insertBefore(item, cards.children[oldIndex + (newIndex < oldIndex ? 1 : 0)] ?? null);
          if (oldIndex === newIndex) return;
          if (brokenOff(originalEvent)) return putBack();
          const moving = chosen.has(item.dataset.step) ? ids() : [item.dataset.step];
          const before = app.state.revision;
          const asked = app.edit("before", { steps: JSON.stringify(moving), value: item.nextElementSibling?.dataset.step ?? "" });
          asked.then(() => app.state.revision === before && !waiting() && putBack()); // refused
        },
      });
    }
    for (const chips of left.querySelectorAll("[data-sort]")) {
      if (Sortable.get(chips)) continue;
      Sortable.create(chips, {
        animation: 0,
        ...pressing,
        onEnd: ({ item, oldIndex, newIndex, originalEvent }) => {
          if (oldIndex === newIndex) return;
          if (brokenOff(originalEvent)) return chips.insertBefore(item, chips.children[oldIndex + (newIndex < oldIndex ? 1 : 0)] ?? null);
          const members = [...chips.children].map((chip) => chip.dataset.path);
          app.edit("order", { step: chips.dataset.sort, members: JSON.stringify(members) });
        },
      });
    }
  }
  return drawn;
}
