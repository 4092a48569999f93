// Can it be seen? Shares of components in the present view, marked in the ledger; and views that show more.

import { find, onClick } from "../dom.js";
import { say } from "../page.js";

/** `look()` asks about the present view, and asked again takes the marks away; `onAsked()` hears that it is asked. */
export function createSeen({ store, stage, player, server, onAsked, onRoom }, box) {
  let shares = null;
  let hidden = new Set();
  const button = find("#seen-here");
  const values = () => ({ view: JSON.stringify(stage.view()), time: JSON.stringify(player.time) });

  function mark() {
    for (const line of document.querySelectorAll("#ledger [data-members]")) {
      line.querySelector(".share")?.remove();
      if (!shares) continue;
      const known = stage.leaves(JSON.parse(line.getAttribute("data-members"))).filter((path) => path in shares);
      if (!known.length) continue;
      const least = Math.min(...known.map((path) => shares[path]));
      const note = document.createElement("span");
      const lost = known.some((path) => hidden.has(path));
      note.className = lost ? "share snag-text" : "share quiet";
      note.textContent = `${lost ? "▲" : ""}${least} %`;
      note.title = known.length > 1 ? "How much is seen of the one that is seen least" : "How much of it is seen";
      line.querySelector(".row-name").append(note);
    }
  }

  function clear() {
    shares = null;
    box.hidden = true;
    onRoom();
    button.setAttribute("aria-pressed", "false");
    mark();
  }

  async function look() {
    if (shares) return clear();
    onAsked();
    try {
      const found = await server.question("Seen", values());
      shares = found.shares;
      hidden = new Set(found.hidden);
      const [words, more, result] = [document.createElement("span"), document.createElement("button"), document.createElement("div")];
      words.textContent = found.words;
      more.type = "button";
      more.className = "btn btn-sm btn-plain";
      more.dataset.better = "";
      more.textContent = "Find a better view";
      result.id = "better-";
      result.className = "asked";
      result.setAttribute("hx-sync", "this:replace");
      box.replaceChildren(words, more, result);
      box.hidden = false;
      onRoom();
      button.setAttribute("aria-pressed", "true");
      mark();
    } catch (error) {
      say(error.message);
    }
  }

  function better(step) {
    const target = document.getElementById(`better-${step}`);
    target.textContent = "Looking from 26 directions …";
    server.panel("POST", "Better", target, { step, ...values() });
  }

  onClick(find("#editor"), { "#seen-here": look, "[data-better]": (at) => better(at.dataset.better) });
  store.on("drawn", ({ changed }) => (changed ? clear() : mark()));
  return { look };
}
