// Fields and buttons with `data-edit` ask for a change; what is typed meanwhile stays until it was sent.

import { find, isTyped, onClick, targetOf } from "./dom.js";
import { closeMenus, menuStays } from "./menus.js";

const { htmx, Idiomorph } = window;

const sent = new WeakMap(); // field -> what it asked for: the answer may write it in another way

/** What is in a field was asked for: the answer may take its place. */
export const nowSent = (field) => sent.set(field, field.value);

/** Whether something was typed into a field that nobody has asked for yet. */
const isNew = (field) => isTyped(field) && field.value !== field.defaultValue && field.value !== sent.get(field);

/** What an element sends: its own name and value, and every `data-with-…` of its own and of what it stands in. */
function valuesOf(at) {
  let values = at.name ? { [at.name]: at.type === "checkbox" && !at.checked ? "" : at.value } : {};
  for (let each = at; each; each = each.parentElement) {
    const more = Object.entries(each.dataset).filter(([key]) => key.startsWith("with"));
    values = { ...Object.fromEntries(more.map(([key, value]) => [key.slice(4).toLowerCase(), value])), ...values };
  }
  return values;
}

/** Wire `root`; `edit(verb, values, notice)` asks for a change, `open(id)` hears what is to be opened. */
export function wireChanges(root, edit, open = null) {
  function send(at) {
    if (isTyped(at) && at.value === at.defaultValue) return; // typed and taken back
    if (isTyped(at)) nowSent(at);
    edit(at.dataset.edit, valuesOf(at), at.closest("[data-errors]")?.dataset.errors);
  }

  root.addEventListener("click", (event) => {
    const at = targetOf(event).closest("button[data-edit], [data-open]");
    if (at && "open" in at.dataset) open?.(at.dataset.open);
    else if (at) send(at);
    closeMenus(event.target);
  });
  onClick(root, { "[data-ask]": ({ dataset }) => htmx.trigger(`#${dataset.ask}er`, `${dataset.ask}-asked`) });
  root.addEventListener("change", (event) => {
    const field = targetOf(event);
    if (field.matches("input[data-edit], select[data-edit], textarea[data-edit]")) send(field);
  });
  root.addEventListener("submit", (event) => {
    for (const field of targetOf(event).elements) nowSent(field);
  });
  document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
    const field = find(":focus") ?? document.body;
    if (detail.xhr.status >= 400) sent.delete(field); // refused: what was typed stays
    Idiomorph.defaults.ignoreActiveValue = isNew(field);
  });
}

/** Whether the server's answer may change an attribute: a menu stays open, a form that is being filled in stays filled. */
export const mayUpdate = (name, element) =>
  !(name === "open" && menuStays(element)) && !(name === "value" && element.form?.matches("[hx-post]") && isNew(element));
