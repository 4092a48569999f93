// What is shown is what is kept: the page asks when it may be older, after sleep, a restored tab, or others' work.

import { waiting } from "../outbox.js";

const EVERY = 30_000; // milliseconds between two looks

/** Keep an editor's page as it is kept; what waits to be sent comes first. */
export function keepFresh(store, server) {
  const look = () => {
    if (document.hidden || waiting()) return;
    server.state({ have: store.state.revision }).catch(() => {});
  };
  for (const name of ["pageshow", "focus", "online"]) window.addEventListener(name, look);
  document.addEventListener("visibilitychange", look);
  setInterval(look, EVERY);
}
