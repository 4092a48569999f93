// The step cards: choosing several, dragging them and their members into another order, doing something to all chosen.

import Sortable from "../../vendor/sortablejs/sortable.min.js";
import { find, targetOf } from "../dom.js";
import { waiting } from "../outbox.js";
import { pressing } from "../underway.js";

/** Whether a drag was ended by Escape: the browser then says that nothing was dropped anywhere. */
const brokenOff = (event) => event?.type === "dragend" && event.dataTransfer?.dropEffect === "none";

const CALM = 400; // milliseconds without a change before new pictures are asked for: drawing them is work

/** Pictures of the cards that can be seen, one after the other once all is calm; until then those there were. */
function createPictures(left) {
  let timer = 0;
  let round = 0;

  const stale = () => [...left.querySelectorAll(".card-picture img")].filter((img) => img.getAttribute("src") !== img.dataset.src);
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

const panel = () => find("#several");

/** Wire the left panel; `point(task, step)` begins to point at something for a step. */
export function wireSteps({ store, selection, server, lights, point }, left) {
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
    server.edit(verb, { steps: JSON.stringify(ids()), value }, "#several-error");
  }

  left.addEventListener("change", (event) => {
    const { checked, dataset, value } = targetOf(event);
    const { pick, several: verb } = dataset;
    if (pick) {
      chosen[checked ? "add" : "delete"](pick);
      mark();
    } else if (verb && value.trim()) several(verb, value);
  });
  left.addEventListener("click", (event) => {
    const at = (selector) => targetOf(event).closest(selector);
    const head = at(".card-head");
    if (head && (event.ctrlKey || event.metaKey || event.shiftKey)) {
      event.preventDefault();
      event.stopPropagation();
      choose(head.closest("[data-step]").dataset.step, event.shiftKey);
    } else if (at("#several-none")) {
      chosen.clear();
      mark();
    } else if (at("button[data-several]")) several(at("button").dataset.several, at("button").dataset.value ?? "");
    else if (at("[data-add-to]")) server.edit("add-members", { step: at("button").dataset.addTo, members: JSON.stringify(selection.last()) });
    else if (at("[data-matches]")) same(at("[data-matches]"));
    else if (at("[data-point]")) point(at("[data-point]").dataset.point, at("[data-point]").dataset.step);
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

  /** The matches that are ticked in the offer that something is in. */
  const ticked = (within) => [...within.parentElement.querySelectorAll("[data-match]:checked")].map((box) => box.dataset.match);

  function same(button) {
    server.edit("matches", { step: button.dataset.matches, members: JSON.stringify(ticked(button)) });
  }
  lights.follow(left, "[data-matches], .offer", ticked);
  lights.follow(left, ".chip", (chip) => [chip.dataset.path]);

  /** Sort a list by hand; `onMoved(item, putBack)` hears of another order, unless Escape broke the drag off. */
  function sortable(list, options, onMoved) {
    if (Sortable.get(list)) return;
    Sortable.create(list, {
      animation: 0,
      ...pressing,
      ...options,
      onEnd: (/** @type {any} */ { item, oldIndex, newIndex, originalEvent }) => {
        if (oldIndex === newIndex) return;
        const putBack = () => list.insertBefore(item, list.children[oldIndex + (newIndex < oldIndex ? 1 : 0)] ?? null);
        if (brokenOff(originalEvent)) putBack();
        else onMoved(item, putBack);
      },
    });
  }

  function moveCard(item, putBack) {
    const moving = chosen.has(item.dataset.step) ? ids() : [item.dataset.step];
    const before = store.state.revision;
    const asked = server.edit("before", { steps: JSON.stringify(moving), value: item.nextElementSibling?.dataset.step ?? "" });
    asked.then(() => store.state.revision === before && !waiting() && putBack()); // refused
  }

  store.on("drawn", () => {
    mark();
    drawPictures();
    const cards = left.querySelector("#cards");
    if (cards) sortable(cards, { handle: ".card-head, .card-picture", delay: 120, delayOnTouchOnly: true }, moveCard);
    for (const chips of left.querySelectorAll("[data-sort]")) {
      sortable(chips, chips.matches(".layers") ? { handle: ".place" } : {}, () => {
        const members = [...chips.querySelectorAll("[data-path]")].map((chip) => chip.dataset.path);
        server.edit("order", { step: chips.dataset.sort, members: JSON.stringify(members) });
      });
    }
  });
}
