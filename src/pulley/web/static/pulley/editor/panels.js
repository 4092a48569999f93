// Panels that the server draws anew: what is pressed or typed in them becomes a change, and what is being done in them stays.

import { pageState } from "../ask.js";
import { mayUpdate, wireChanges } from "../changing.js";
import { isTyped } from "../dom.js";
import { inHand } from "../underway.js";

const { htmx, Idiomorph } = window;

let checked = false; // what comes is only what a contact check has found: what is typed, and what is said of it, stays

/** Wire `root`; `edit(verb, values, notice)` asks for a change, `open(id)` opens a card. */
export function wirePanels(root, edit, open) {
  wireChanges(root, edit, open);
  document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
    const { elt: asker, parameters } = detail.requestConfig ?? {};
    checked = asker?.classList?.contains("checker") ?? false;
    if (!checked || (stateSent(parameters) === stateSent(pageState()) && !inHand())) return;
    detail.shouldSwap = false; // about what is no more, as the page has gone on since it asked; or something is in hand
  });
}

const STATE = ["revision", "entry", "open", "grouping", "ledger", "unit", "at"];
const stateSent = (values) => JSON.stringify(STATE.map((name) => values[name] ?? ""));
let awaited = ""; // the state of the page whose check is asked for
let pause = 0; // ms until it is asked for again: longer each time

/** Ask what a contact check finds, while the page says that one goes on; each asker stays until its answer is there. */
export function askVerdict(editor) {
  const state = stateSent(pageState());
  if (!document.querySelector("#checking") || awaited === state) return;
  pause = 100;
  ask(editor, state);
}

async function ask(editor, state) {
  awaited = state;
  const asker = document.createElement("span");
  asker.className = "checker";
  asker.setAttribute("hx-sync", "this:queue last");
  editor.append(asker);
  await htmx.ajax("GET", editor.dataset.atVerdict, { source: asker, swap: "none" }).catch(() => {});
  asker.remove();
  if (awaited !== state) return; // another one is under way
  awaited = "";
  pause = Math.min(pause * 1.4, 2000);
  const again = () => awaited === "" && document.querySelector("#checking") && ask(editor, stateSent(pageState()));
  if (document.querySelector("#checking")) setTimeout(again, pause);
}

const asked = (element) => (element.getAttribute?.("hx-target") === "this" ? element.getAttribute("hx-get") : null);

Object.assign(Idiomorph.defaults.callbacks, {
  // what an element fetched for itself stays while it would ask for the same
  beforeNodeMorphed: (old, now) =>
    !(asked(old) && asked(old) === asked(now) && old.childElementCount) && !(checked && old.classList?.contains("field-error")),
  // a picture that was shown stays until the next is there
  beforeAttributeUpdated: (name, element, what) =>
    mayUpdate(name, element) &&
    !(name === "src" && what === "remove" && element.localName === "img") && !(checked && name === "value" && isTyped(element)),
});
