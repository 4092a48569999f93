// Can it be seen? Shares of components in the present view, marked in the ledger; and views that show more.

import { ask } from "./ask.js";
import { say } from "./page.js";

const { htmx } = window;

/** `seen.look()` asks about the present view, `seen.better(step)` for another one; `redraw` marks the ledger anew. */
export function createSeen(app, box) {
  let shares = null;
  let hidden = new Set();
  const button = document.querySelector("#seen-here");
  const values = () => ({ view: JSON.stringify(app.stage.view()), time: JSON.stringify(app.player.time) });

  function mark() {
    for (const line of document.querySelectorAll("#ledger [data-members]")) {
      line.querySelector(".share")?.remove();
      if (!shares) continue;
      const known = app.leaves(JSON.parse(line.dataset.members)).filter((path) => path in shares);
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
    button.setAttribute("aria-pressed", "false");
    mark();
  }

  async function look() {
    if (shares) return clear();
    app.ways.close();
    try {
      const found = await ask(app.editor.dataset.atSeen, values());
      shares = found.shares;
      hidden = new Set(found.hidden);
      const [words, more, result] = ["span", "button", "div"].map((name) => document.createElement(name));
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
      button.setAttribute("aria-pressed", "true");
      mark();
    } catch (error) {
      say(error.message);
    }
  }

  function better(step) {
    const target = document.getElementById(`better-${step}`);
    target.textContent = "Looking from 26 directions …";
    htmx.ajax("POST", app.editor.dataset.atBetter, { source: target, target, swap: "innerHTML", values: { step, ...values() } });
  }

  button.addEventListener("click", look);
  return { look, better, clear, redraw: mark };
}
