// What the editor asks of the server: a change, a question, a panel. The addresses stand on the page.

import { ask } from "../ask.js";

const { htmx } = window;

export function createServer(editor) {
  const at = (name, part) => editor.dataset[`at${name}`].replace(/VERB|WHAT|STEP/, part);

  /** Ask for a change; the server answers with every panel, or a refusal in `notice`. */
  const edit = (verb, values, notice = "#notice") =>
    htmx
      .ajax("POST", at("Edit", verb), { source: editor, swap: "none", values, headers: { "X-Notice": notice } })
      .catch(() => {}); // what could not be sent waits, and what was refused says so

  /** A question whose answer is values; `part` says about what, where its address needs that. */
  const question = (name, values, part = "") => ask(at(name, part), values);

  /** Draw a panel anew in `target`; a refusal is said in `notice`. */
  const panel = (verb, name, target, values = {}, notice = "", swap = "innerHTML") =>
    htmx.ajax(verb, at(name, ""), { source: target, target, swap, values, headers: notice ? { "X-Notice": notice } : {} });

  /** Draw every panel anew, with another card open or what else `values` say. */
  const state = (values) => htmx.ajax("GET", at("State", ""), { source: editor, swap: "none", values });

  return { edit, question, panel, state };
}
