// The table of all travels: typed in like a spreadsheet; what is pasted fills downward.

const { htmx } = window;

/** The table in `box`. */
export function createTable(app, box) {
  const table = {};
  let focus = null; // step and column that has the focus while the table is drawn anew
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
    const field = document.activeElement?.closest?.("#table [data-column]");
    focus = field ? { step: field.closest("tr").dataset.step, column: field.dataset.column } : focus;
    notice()?.replaceChildren();
    htmx.ajax("GET", app.editor.dataset.atTable, { source: box, target: box, swap: "innerHTML" });
  };

  const column = (field) => [...box.querySelectorAll(`[data-column="${field.dataset.column}"]`)];

  function send(pairs) {
    const cells = pairs.map(([field, text]) => [field.closest("tr").dataset.step, field.dataset.column, text]);
    if (cells.length) app.edit("cells", { cells: JSON.stringify(cells) }, "#table-error");
  }

  box.addEventListener("change", (event) => {
    if (event.target.dataset.column) send([[event.target, event.target.value]]);
  });
  box.addEventListener("paste", (event) => {
    const field = event.target.closest("[data-column]");
    const lines = event.clipboardData.getData("text").trim().split(/\r?\n/);
    if (!field || lines.length < 2) return;
    event.preventDefault();
    const below = column(field);
    send(lines.map((line, k) => [below[below.indexOf(field) + k], line.split("\t")[0].trim()]).filter(([target]) => target));
  });
  box.addEventListener("keydown", (event) => {
    const field = event.target.closest("[data-column]");
    if (event.key === "Escape") return table.close();
    const by = { Enter: 1, ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!field || !by) return;
    const next = column(field)[column(field).indexOf(field) + by];
    event.preventDefault();
    if (!next) return field.blur();
    focus = { step: next.closest("tr").dataset.step, column: next.dataset.column };
    next.focus();
    next.select();
  });
  box.addEventListener("click", (event) => event.target.closest("#close-table") && table.close());
  box.addEventListener("htmx:afterSwap", ({ detail }) => {
    if (detail.target !== box) return;
    const row = focus && box.querySelector(`tr[data-step="${CSS.escape(focus.step)}"]`);
    row?.querySelector(`[data-column="${focus.column}"]`)?.focus();
  });
  return table;
}
