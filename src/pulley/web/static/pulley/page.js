// What every page does: close messages, say so when the server cannot be reached, and show nothing that is out of date.

import { targetOf } from "./dom.js";
import { token } from "./session.js";
import "./menus.js";
import "./outbox.js";
import "./turns.js";
import "./underway.js";

const notice = document.querySelector("#notice");

/** Show one sentence in the page's notice. */
export function say(message) {
  const line = document.createElement("p");
  line.className = "notice-line";
  const text = document.createElement("span");
  text.textContent = `▲ ${message}`;
  const close = document.createElement("button");
  close.className = "btn-close";
  close.type = "button";
  close.dataset.dismiss = "";
  close.setAttribute("aria-label", "Close this message");
  line.append(text, close);
  notice.replaceChildren(line);
}

document.addEventListener("click", (event) => {
  targetOf(event).closest("[data-dismiss]")?.closest(".notice-line").remove();
});
for (const failure of /** @type {const} */ (["htmx:sendError", "htmx:timeout"])) {
  document.body.addEventListener(failure, (event) => {
    if (event.detail.handled) return; // it waits to be sent again
    say("Pulley does not answer. Everything up to your last confirmed change is kept. Ask again in a moment.");
  });
}
document.addEventListener("submit", (event) => {
  const field = targetOf(event).querySelector("[name=csrfmiddlewaretoken]");
  if (field) field.value = token(); // the page may be older than the session
}, { capture: true });
window.addEventListener("pageshow", (event) => {
  if (event.persisted && !document.querySelector("#editor")) location.reload(); // a copy from before; the editor looks for itself
});
