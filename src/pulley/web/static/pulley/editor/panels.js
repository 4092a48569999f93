// Panels that the server draws anew: what is pressed or typed in them becomes a change, and what is being done in them stays.

import { pageState } from "../ask.js";
import { find, isTyped, onClick, targetOf } from "../dom.js";
import { closeMenus, mayUpdate } from "../menus.js";
import { inHand } from "../underway.js";

const { htmx, Idiomorph } = window;

/** What an element with `data-edit` sends: its own name and value, its step, and every `data-with-…`. */
function valuesOf(at) {
  const more = Object.entries(at.dataset).filter(([key]) => key.startsWith("with"));
  const values = Object.fromEntries(more.map(([key, value]) => [key.slice(4).toLowerCase(), value]));
  if (at.name) values[at.name] = at.value;
  const step = at.closest(".step-card")?.dataset.step;
  return step ? { step, ...values } : values;
}

let checked = false; // what comes is only what a contact check has found: what is typed, and what is said of it, stays

/** Wire `root`; `edit(verb, values, notice)` asks for a change, `open(id)` opens a card. */
export function wirePanels(root, edit, open) {
  const sent = new WeakMap(); // field -> what it asked for: the answer may write it in another way

  function send(at) {
    if (isTyped(at) && at.value === at.defaultValue) return; // typed and taken back
    if (isTyped(at)) sent.set(at, at.value);
    edit(at.dataset.edit, valuesOf(at), at.closest("[data-errors]")?.dataset.errors);
  }

  root.addEventListener("click", (event) => {
    const at = targetOf(event).closest("button[data-edit], [data-open]");
    if (at && "open" in at.dataset) open(at.dataset.open);
    else if (at) send(at);
    closeMenus(event.target);
  });
  onClick(root, { "[data-ask]": ({ dataset }) => htmx.trigger(`#${dataset.ask}er`, `${dataset.ask}-asked`) });
  root.addEventListener("change", (event) => {
    const field = targetOf(event);
    if (field.matches("input[data-edit], select[data-edit], textarea[data-edit]")) send(field);
  });
  document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
    const field = find(":focus") ?? document.body;
    if (detail.xhr.status >= 400) sent.delete(field); // refused: what was typed stays
    Idiomorph.defaults.ignoreActiveValue = isTyped(field) && field.value !== field.defaultValue && field.value !== sent.get(field);
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
