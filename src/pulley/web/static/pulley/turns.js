// The requests of a room take turns. One whose element has left the page by its turn is let go, and htmx then forgets
// those behind it: they are sent on here.

let dataOf; // what htmx keeps of an element
window.htmx.defineExtension("turns", { init: (htmx) => { dataOf = htmx.getInternalData; } });

/** Send what waits, if nothing is under way. */
function sendOn() {
  const turns = dataOf(document.querySelector("#editor") ?? document.body);
  while (!turns.xhr && turns.queuedRequests?.length) turns.queuedRequests.shift()();
}

document.body.addEventListener("htmx:beforeRequest", ({ detail: { xhr } }) => xhr.addEventListener("loadend", sendOn));
