// The keyboard: one key an action, never while something is being typed.

import { find, isTyped, targetOf } from "../dom.js";

/** What was pressed, as the commands write it: `Ctrl+Shift+Z`, `?`, `Alt+ArrowUp`. */
function pressed(event) {
  const digit = /^Digit(\d)$/.exec(event.code)?.[1];
  const key = event.shiftKey && digit ? digit : event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const sign = key.length === 1 && !/[A-Z0-9]/.test(key);
  const parts = [(event.ctrlKey || event.metaKey) && "Ctrl", event.altKey && "Alt", event.shiftKey && !sign && "Shift", key];
  return parts.filter(Boolean).join("+");
}

/** Whether Enter in a field ends the typing there: not in lines of text, in a table that goes on, nor in a search. */
const isEnded = (field) => isTyped(field) && !field.matches("textarea, [type=search], [data-column]") && !field.form?.matches("[hx-post]");

/** Listen for keys on the whole page. A digit or a sign while the ways out are shown begins a distance. */
export function wireKeys(commands, ways, work) {
  const known = new Map(commands.map((command) => [command.keys, command.run]));
  document.addEventListener("keydown", (event) => {
    const typing = targetOf(event).matches("input:not([type=range], [type=checkbox], [type=radio]), select, textarea");
    const keys = pressed(event);
    if (keys === "Enter" && !event.isComposing && isEnded(targetOf(event))) setTimeout(() => work.focus()); // what is typed was heard by then
    if (typing || (event.key.startsWith("Arrow") && targetOf(event).matches("[type=radio]"))) return;
    if (/^[-0-9.]$/.test(event.key) && !event.shiftKey && !event.ctrlKey && !event.altKey && ways.open()) {
      const field = find("#way-distance, #way-angle");
      field?.focus();
      return;
    }
    const run = known.get(keys);
    if (!run) return;
    if ((keys === "Space" || keys === "Enter") && targetOf(event).closest("button, a, summary, [role=button], [type=checkbox], [type=radio]")) return;
    event.preventDefault();
    run();
  });
}
