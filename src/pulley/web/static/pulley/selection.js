// Which components are selected, and showing that in the ledger.

/** A selection of leaf or subassembly paths; `onChange(paths)` is told when the user changed it. */
export function createSelection(onChange) {
  let chosen = [];

  function mark() {
    const have = new Set(chosen);
    const carried = (path) => {
      for (let at = path.length; at > 0; at = path.lastIndexOf("/", at - 1)) if (have.has(path.slice(0, at))) return true;
      return false;
    };
    for (const line of document.querySelectorAll("#ledger [data-members]")) {
      const members = JSON.parse(line.dataset.members);
      const selected = members.length > 0 && members.every(carried);
      line.classList.toggle("selected", selected);
      line.querySelector(".row-name").setAttribute("aria-pressed", String(selected));
    }
  }

  /** Select `paths`; with `add`, put them to what is selected, or take them out if all were. */
  function choose(paths, add = false, tell = true) {
    const have = new Set(chosen);
    if (!add) chosen = [...paths];
    else if (paths.every((path) => have.has(path))) chosen = chosen.filter((path) => !paths.includes(path));
    else chosen = [...new Set([...chosen, ...paths])];
    mark();
    if (tell) onChange(chosen);
  }
  return { choose, mark, paths: () => chosen };
}

/** Clicks, folds, eyes, bundles and the search in the ledger; folds and what is searched stay when it is drawn anew. */
export function wireLedger(selection, edit) {
  const unfolded = new Set();
  let wanted = "";
  const panel = document.querySelector(".right");

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
    const lines = [...panel.querySelectorAll("[data-members]")].filter((line) => line.querySelector(".row-name").textContent.toLowerCase().includes(letters));
    return [...new Set(lines.flatMap((line) => JSON.parse(line.dataset.members)))];
  }

  panel.addEventListener("input", (event) => {
    if (event.target.id !== "search") return;
    wanted = event.target.value;
    filter();
  });
  panel.addEventListener("keydown", (event) => {
    if (event.target.id !== "search") return;
    if (event.key === "Enter" && wanted.trim()) {
      selection.choose(found(), event.ctrlKey || event.metaKey);
      event.target.blur();
    } else if (event.key === "Escape") {
      wanted = "";
      filter();
    }
  });
  panel.addEventListener("click", (event) => {
    const bundle = event.target.closest("[data-bundle]");
    const tie = event.target.closest("[data-tie]");
    if (bundle) selection.choose(JSON.parse(bundle.dataset.bundle), event.ctrlKey || event.metaKey || event.shiftKey);
    if (tie) edit("tie", { name: tie.dataset.tie, members: JSON.stringify(selection.paths()) });
    const line = event.target.closest("[data-members]");
    if (!line) return;
    if (event.target.closest(".fold")) {
      const open = line.nextElementSibling.hidden;
      unfolded[open ? "add" : "delete"](line.dataset.members);
      fold(line, open);
    } else if (event.target.closest(".eye")) {
      edit(line.classList.contains("is-hidden") ? "show" : "hide", { members: line.dataset.members });
    } else if (event.target.closest(".row-name")) {
      selection.choose(JSON.parse(line.dataset.members), event.ctrlKey || event.metaKey || event.shiftKey);
    }
  });
  return () => {
    for (const line of panel.querySelectorAll("[data-members]")) {
      if (unfolded.has(line.dataset.members)) fold(line, true);
    }
    filter();
    selection.mark();
  };
}
