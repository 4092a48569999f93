// The table of all travels: typed in like a spreadsheet; what is pasted fills downward.

import { nowSent } from "../changing.js";
import { find, onClick, targetOf } from "../dom.js";

/** The table in `box`. */
export function createTable({ store, server }, box) {
  const table = {};
  const notice = () => box.querySelector("#table-error");

  table.open = () => !box.hidden;
  table.toggle = () => {
    if (table.open()) return table.close();
    box.hidden = false;
    table.draw();
  };
  table.close = () => {
    box.hidden = true;
    box.replaceChildren();
  };
  table.draw = () => {
    if (!table.open()) return;
    notice()?.replaceChildren();
    server.panel("GET", "Table", box, {}, "", "morph:innerHTML"); // a field that is being typed in stays
  };

  const column = (field) => [...box.querySelectorAll(`[data-column="${field.dataset.column}"]`)];

  function send(pairs) {
    const cells = pairs.map(([field, text]) => [field.closest("tr").dataset.step, field.dataset.column, text]);
    if (cells.length) server.edit("cells", { cells: JSON.stringify(cells) }, "#table-error");
  }

  box.addEventListener("change", (event) => {
    const field = targetOf(event);
    if (!field.dataset.column) return;
    nowSent(field);
    send([[field, field.value]]);
  });
  box.addEventListener("paste", (event) => {
    const field = targetOf(event).closest("[data-column]");
    const lines = event.clipboardData.getData("text").trim().split(/\r?\n/);
    if (!field || lines.length < 2) return;
    event.preventDefault();
    const below = column(field);
    send(lines.map((line, k) => [below[below.indexOf(field) + k], line.split("\t")[0].trim()]).filter(([target]) => target));
  });
  box.addEventListener("keydown", (event) => {
    const field = targetOf(event).closest("[data-column]");
    if (event.key === "Escape") return table.close();
    const by = { Enter: 1, ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!field || !by) return;
    const next = column(field)[column(field).indexOf(field) + by];
    event.preventDefault();
    if (!next) return field.blur();
    next.focus();
    next.select();
  });
  onClick(box, { "#close-table": table.close });
  onClick(find("#editor"), { "#open-table": table.toggle });
  store.on("drawn", ({ changed }) => changed && table.draw());
  return table;
}
