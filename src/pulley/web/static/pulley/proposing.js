// Proposed steps: asked for in a menu, shown on the canvas and in a list before they count, taken over or left.

import { newId } from "./ask.js";

const { htmx } = window;

/** `form` asks, `box` shows what comes; `show(score)` plays it on the canvas, `show(null)` what there is again. */
export function createProposing(app, form, box, show) {
  let asked = {};
  let seen = false; // a proposal, whose view is kept while steps of it are ticked and unticked

  function ask(more = {}) {
    const headers = { "X-Notice": "#propose-error" };
    return htmx.ajax("POST", app.editor.dataset.atPropose, { source: box, target: box, swap: "morph:innerHTML", values: { ...asked, ...more }, headers });
  }

  function clear() {
    if (box.hidden) return;
    box.hidden = true;
    seen = false;
    box.replaceChildren();
    app.canvas.dataset.proposal = "";
    show(null);
  }

  form.addEventListener("submit", (event) => {
    event.preventDefault();
    document.querySelector("#propose-error").textContent = "";
    asked = { ...Object.fromEntries(new FormData(form)), run: newId(), members: JSON.stringify(app.selection.paths()), still: JSON.stringify(app.still) };
    ask();
  });
  box.addEventListener("htmx:afterSwap", () => {
    form.closest("details").open = false;
    box.hidden = false;
    box.parentElement.scrollTop = 0;
    const found = box.querySelector("#proposed");
    app.canvas.dataset.proposal = found ? "shown" : "asked";
    if (found) show(JSON.parse(found.dataset.score), !seen);
    seen = Boolean(found);
  });
  box.addEventListener("click", (event) => {
    const what = event.target.closest("[data-proposal]")?.dataset.proposal;
    if (what === "stop") ask({ stop: "1" });
    if (what === "leave") clear();
    if (what === "accept") app.edit("accept", { ...asked, steps: ticked() });
  });
  const ticked = () => JSON.stringify([...box.querySelectorAll("[name=proposed]:checked")].map(({ value }) => value));
  box.addEventListener("change", (event) => event.target.name === "proposed" && ask({ ticked: ticked() }));
  for (const name of ["pointerover", "focusin"]) {
    box.addEventListener(name, (event) => {
      const line = event.target.closest("[data-members]");
      if (line) app.light(JSON.parse(line.dataset.members));
    });
  }
  return { clear, shown: () => !box.hidden };
}
