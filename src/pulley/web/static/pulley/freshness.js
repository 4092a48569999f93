// What is shown is what is kept: the page asks when it may be older, after sleep, a restored tab, or others' work.

import { waiting } from "./outbox.js";

const { htmx } = window;
const EVERY = 30_000; // milliseconds between two looks

/** Keep an editor's page as it is kept; what waits to be sent comes first. */
export function keepFresh(app) {
  const look = () => {
    if (document.hidden || waiting()) return;
    const values = { have: app.state.revision };
    htmx.ajax("GET", app.editor.dataset.atState, { source: app.editor, swap: "none", values }).catch(() => {});
  };
  for (const name of ["pageshow", "focus", "online"]) window.addEventListener(name, look);
  document.addEventListener("visibilitychange", look);
  setInterval(look, EVERY);
}
