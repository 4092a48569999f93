// The keyboard: one key an action, never while something is being typed.

import { find, targetOf } from "../dom.js";

/** What was pressed, as the commands write it: `Ctrl+Shift+Z`, `?`, `Alt+ArrowUp`. */
function pressed(event) {
  const digit = /^Digit(\d)$/.exec(event.code)?.[1];
  const key = event.shiftKey && digit ? digit : event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const sign = key.length === 1 && !/[A-Z0-9]/.test(key);
  const parts = [(event.ctrlKey || event.metaKey) && "Ctrl", event.altKey && "Alt", event.shiftKey && !sign && "Shift", key];
  return parts.filter(Boolean).join("+");
}

/** Listen for keys on the whole page. A digit while the ways out are shown begins a distance. */
export function wireKeys(commands, ways) {
  const known = new Map(commands.map((command) => [command.keys, command.run]));
  document.addEventListener("keydown", (event) => {
    const typing = targetOf(event).matches("input:not([type=range], [type=checkbox]), select, textarea");
    const keys = pressed(event);
    if (typing) return;
    if (/^[0-9.]$/.test(event.key) && !event.shiftKey && !event.ctrlKey && !event.altKey && ways.open()) {
      const field = find("#way-distance, #way-angle");
      field?.focus();
      return;
    }
    const run = known.get(keys);
    if (!run) return;
    if ((keys === "Space" || keys === "Enter") && targetOf(event).closest("button, a, summary, [role=button], [type=checkbox]")) return;
    event.preventDefault();
    run();
  });
}
