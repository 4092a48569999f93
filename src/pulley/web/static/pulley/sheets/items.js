// The parts list beside the paper: names typed in place, rows and pages dragged into another order, columns.

import Sortable from "../../vendor/sortablejs/sortable.min.js";
import { find, onClick, targetOf } from "../dom.js";
import { closeMenu } from "../menus.js";
import { pressing } from "../underway.js";

export function createItems(desk, picked, send) {
  const room = find("#editor");
  let sortables = [];
  const keyOf = (element) => element.closest(".item").dataset.withKey;

  /** Let what is in a list be dragged by its number; `moved(key, to)` hears what was, by its name, and where to. */
  function sorted(list, handle, named, moved) {
    let key = ""; // of what was taken up: the row may stand for another one when it is let go
    const onStart = ({ item }) => { key = named(item); };
    const onEnd = ({ newIndex, oldIndex }) => { if (newIndex !== oldIndex) moved(key, String(newIndex)); };
    return Sortable.create(list, { handle, animation: 0, ...pressing, onStart, onEnd });
  }

  /** Rows and pages can be dragged, as long as their lists stand; each row knows its balloons. */
  function wire() {
    const lists = desk.frozen() ? [] : [find("#items"), find("#page-list")];
    if (lists.length !== sortables.length || lists.some((list, k) => sortables[k].el !== list)) {
      for (const each of sortables) each.destroy();
      const [rows, pages] = lists;
      sortables = rows ? [
        sorted(rows, ".item-number", keyOf, (key, to) => send("move-row", { key, to })),
        sorted(pages, ".page-number", (page) => page.dataset.page, (id, to) => send("move-page", { id, to })),
      ] : [];
    }
    const numbers = new Map();
    for (const text of desk.svg().querySelectorAll('g[data-tag^="balloon:"] > text')) {
      const [id] = (text.parentNode.dataset.tag ?? "").slice(8).split("/");
      numbers.set(text.textContent, [...(numbers.get(text.textContent) ?? []), `balloon:${id}`]);
    }
    for (const row of document.querySelectorAll(".item")) {
      row.setAttribute("data-balloons", (numbers.get(find(".item-number", row).textContent.trim()) ?? []).join(" "));
    }
  }

  room.addEventListener("change", (event) => {
    const field = targetOf(event);
    if (field.matches("[data-new-column]")) setColumn(field.value, { title: field.value, shown: "1" });
    else if (field.matches("[data-column-shown]")) setColumn(columnOf(field), { shown: field.checked ? "1" : "0" });
    else if (field.matches("[data-column-title]")) setColumn(columnOf(field), { title: field.value });
    else if (field.matches("[data-column-width]")) setColumn(columnOf(field), { width: field.value });
  });
  const columnOf = (element) => element.closest(".column").dataset.key;
  const setColumn = (key, values) => send("set-column", { id: picked.keys()[0]?.split(":")[1] ?? "", key, ...values });

  onClick(room, {
    "[data-everywhere]": (button) => send("name-everywhere", { key: keyOf(button), value: find(".item-name", button.closest(".item")).value }),
    "[data-merge-up]": (button) => {
      const row = button.closest(".item");
      send("merge-rows", { keys: JSON.stringify([keyOf(row.previousElementSibling), keyOf(row)]) });
    },
    "[data-column-left]": (button) => {
      const column = button.closest(".column");
      const place = [...column.parentNode.children].indexOf(column);
      setColumn(column.dataset.key, { to: String(Math.max(place - 1, 0)) });
    },
    ".item-menu button": (button) => closeMenu(button.closest("details")),
    "[data-select-row]": (button) => {
      const own = (button.closest(".item").getAttribute("data-balloons") ?? "").split(" ").filter(Boolean);
      picked.set(own);
    },
  });
  return { wire };
}
