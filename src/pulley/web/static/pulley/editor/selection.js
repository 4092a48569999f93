// Which components are selected, and showing that in the ledger.

/** A selection of leaf or subassembly paths; `heed(act)` hears of every change that the user makes. */
export function createSelection() {
  const heard = [];
  let chosen = [];
  let last = []; // what was selected when last something was

  function mark() {
    const have = new Set(chosen);
    const carried = (path) => {
      for (let at = path.length; at > 0; at = path.lastIndexOf("/", at - 1)) if (have.has(path.slice(0, at))) return true;
      return false;
    };
    for (const line of document.querySelectorAll("#ledger [data-members]")) {
      const members = JSON.parse(line.getAttribute("data-members"));
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
    if (!tell) return;
    if (chosen.length) last = chosen;
    for (const act of heard) act(chosen);
  }
  return { choose, mark, heed: (act) => heard.push(act), paths: () => chosen, last: () => (chosen.length ? chosen : last) };
}
