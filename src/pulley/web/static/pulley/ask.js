// Questions to the server whose answers are values, not panels.

import { find } from "./dom.js";
import { sentenceOf, signInHere, token } from "./session.js";

const PATIENCE = 100_000; // milliseconds

/** A name that nothing else has. */
export const newId = () => Array.from(crypto.getRandomValues(new Uint32Array(4)), (part) => part.toString(36)).join("");

/** The page's state as the server knows it: revision, open card and what else every request says. */
export const pageState = () => Object.fromEntries(new FormData(find("#page-state")));

/** Post values with the page's state; the answer as JSON, or an error with a sentence to show. */
export async function ask(address, values) {
  const body = new URLSearchParams({ ...pageState(), ...values });
  const headers = { "X-CSRFToken": token(), "HX-Request": "true" };
  const response = await fetch(address, { method: "POST", body, headers, signal: AbortSignal.timeout(PATIENCE) }).catch(() => {
    throw new Error("Pulley does not answer. Ask again in a moment.");
  });
  if (response.ok && !response.redirected) return response.json();
  const text = await response.text();
  if (response.status === 401) signInHere(text);
  throw new Error(sentenceOf(text) ?? "Pulley gave no answer that fits. Ask again in a moment.");
}

/** Keep a choice of the user's: unit, pitch, hints, step of the guide. */
export function prefer(values) {
  return window.htmx.ajax("POST", find("#editor").dataset.atPreferences, { source: "#editor", swap: "none", values });
}
