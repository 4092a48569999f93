// The list of components: folding, searching, hiding, and selecting by name.

import { onClick, targetOf } from "../dom.js";

/** Clicks, folds, eyes, bundles and the search in the ledger; folds and what is searched stay when it is drawn anew. */
export function wireLedger({ store, selection, server, pointing }, panel) {
  const unfolded = new Set();
  let wanted = "";

  function fold(line, open) {
    line.querySelector(".fold").setAttribute("aria-expanded", String(open));
    line.nextElementSibling.hidden = !open;
  }

  /** Show only lines with the searched letters in their names, or below or above one that has them. */
  function filter() {
    const search = panel.querySelector("#search");
    if (search.value !== wanted) search.value = wanted;
    const letters = wanted.trim().toLowerCase();
    const visit = (list, above) => [...list.children].filter((item) => {
      const line = item.querySelector(":scope > [data-members]");
      const hit = above || line.querySelector(".row-name").textContent.toLowerCase().includes(letters);
      const below = item.querySelector(":scope > ul");
      const inside = below ? visit(below, hit) : false;
      item.hidden = !(hit || inside);
      if (letters && inside && !hit) fold(line, true);
      return hit || inside;
    }).length > 0;
    visit(panel.querySelector(".rows"), !letters);
  }

  /** Everything that the search shows: the topmost lines whose own names have the letters. */
  function found() {
    const letters = wanted.trim().toLowerCase();
    const lines = [...panel.querySelectorAll("#ledger [data-members]")].filter((line) => line.querySelector(".row-name").textContent.toLowerCase().includes(letters));
    return [...new Set(lines.flatMap((line) => JSON.parse(line.dataset.members)))];
  }

  panel.addEventListener("input", (event) => {
    const { id, value } = targetOf(event);
    if (id !== "search") return;
    wanted = value;
    filter();
  });
  panel.addEventListener("keydown", (event) => {
    const field = targetOf(event);
    if (field.id !== "search") return;
    if (event.key === "Enter" && wanted.trim()) {
      selection.choose(found(), event.ctrlKey || event.metaKey);
      field.blur();
    } else if (event.key === "Escape") {
      wanted = "";
      filter();
    }
  });
  const adding = (event) => event.ctrlKey || event.metaKey || event.shiftKey;
  const lineOf = (button) => button.closest("[data-members]");
  onClick(panel, {
    "[data-bundle]": (button, event) => selection.choose(JSON.parse(button.dataset.bundle), adding(event)),
    "[data-tie]": (button) => server.edit("tie", { name: button.dataset.tie, members: JSON.stringify(selection.paths()) }),
    "[data-members] .fold": (button) => {
      const line = lineOf(button);
      const open = line.nextElementSibling.hidden;
      unfolded[open ? "add" : "delete"](line.dataset.members);
      fold(line, open);
    },
    "[data-members] .eye": (button) => {
      const line = lineOf(button);
      server.edit(line.classList.contains("is-hidden") ? "show" : "hide", { members: line.dataset.members });
    },
    "[data-members] .row-name": (button, event) => {
      const members = JSON.parse(lineOf(button).dataset.members);
      if (pointing.active()) pointing.takePath(members[0]);
      else selection.choose(members, adding(event));
    },
  });
  store.on("drawn", () => {
    for (const line of panel.querySelectorAll("#ledger [data-members]")) {
      if (unfolded.has(line.dataset.members)) fold(line, true);
    }
    filter();
    selection.mark();
  });
}
