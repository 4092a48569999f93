// Selecting more than what was clicked: all of a part, what lies under, what Python works out; and changes to a selection.

import { find, onClick, targetOf } from "../dom.js";
import { say } from "../page.js";
import { remember } from "./remembered.js";
import { heldName } from "./store.js";

export function createChoosing({ store, stage, player, selection, server }) {
  let pointer = null;
  let under = 0;
  let before = null; // what was hidden before only the selection was shown
  const members = () => JSON.stringify(selection.paths());
  const shown = () => [...stage.items.keys()].filter((path) => !store.state.hidden.includes(path));
  const partOf = (path) => stage.items.get(path)?.object.userData.part;

  const choosing = { members };

  const isStill = (path) => store.still.some((held) => path === held || path.startsWith(`${held}/`));

  /** Lines of what is held still say so. */
  function markStill() {
    stage.box.dataset.still = JSON.stringify(store.still);
    for (const line of document.querySelectorAll("#ledger [data-members]")) {
      const held = JSON.parse(line.getAttribute("data-members")).every(isStill);
      line.classList.toggle("is-still", held && store.still.length > 0);
    }
  }
  store.on("drawn", markStill);

  /** How many components are selected, when all are of one part. */
  choosing.alike = () => {
    const leaves = stage.leaves(selection.paths());
    return new Set(leaves.map(partOf)).size === 1 ? leaves.length : 0;
  };
  choosing.samePart = () => {
    const wanted = new Set(stage.leaves(selection.paths()).map(partOf));
    if (wanted.size) selection.choose(shown().filter((path) => wanted.has(partOf(path))));
  };
  choosing.all = () => selection.choose(shown().filter((path) => !isStill(path)));

  /** What lies under the pointer, each time the next one behind. */
  choosing.under = () => {
    const paths = pointer ? stage.pick(pointer) : [];
    if (!paths.length) return;
    under = selection.paths()[0] === paths[under % paths.length] ? under + 1 : 0;
    selection.choose([paths[under % paths.length]]);
  };
  choosing.level = () => {
    const paths = selection.paths();
    if (paths.length) choosing.set(paths.some((path) => !stage.items.has(path)) ? "inside" : "holder");
  };

  /** A selection that Python works out from the present one. */
  choosing.set = async (what, values = {}) => {
    const about = { members: members(), after: player.stepsDone(), still: JSON.stringify(store.still) };
    try {
      const { members: found } = await server.question("Choose", { ...about, ...values }, what);
      const more = found.some((path) => !selection.paths().includes(path)) || found.length < selection.paths().length;
      if (found.length && more) selection.choose(found);
      else say(what === "riders" ? "Nothing sits on it that it would carry along." : "There is nothing there to select.");
    } catch (error) {
      say(error.message);
    }
  };

  choosing.holdStill = () => {
    const chosen = selection.paths();
    store.still = chosen.length && chosen.every(isStill) ? store.still.filter((path) => !chosen.includes(path)) : chosen;
    remember(heldName(), store.still);
    markStill();
    say(store.still.length ? "Held still: fans, Select everything and Bring along leave it where it is." : "Nothing is held still any more.");
  };
  choosing.showOnly = () => {
    if (before) {
      server.edit("only-back", { members: JSON.stringify(before) });
      before = null;
    } else if (selection.paths().length) {
      before = store.state.hidden;
      server.edit("show-only", { members: members() });
    }
  };

  /** A change to what is selected, from the view menu. */
  function change(control) {
    if (!selection.paths().length) return say("Select a component first.");
    const { ofSelection, withPoints } = control.dataset;
    const values = { members: members(), value: control.value };
    return server.edit(ofSelection, withPoints ? { ...values, points: withPoints } : values, "#look-error");
  }
  onClick(find("#editor"), { "button[data-of-selection]": change });
  find("#editor").addEventListener("change", (event) => targetOf(event).matches("input[data-of-selection]") && change(targetOf(event)));

  stage.box.addEventListener("pointermove", ({ clientX, clientY }) => {
    pointer = { clientX, clientY };
  });
  stage.box.addEventListener("picked", ({ detail: { path, again, add } }) => {
    player.pause();
    under = 0;
    if (again && !add) choosing.samePart();
    else if (path) selection.choose([path], add);
    else if (!add) selection.choose([]);
  });
  return choosing;
}
