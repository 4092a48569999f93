// What every page does: close messages, and say so when the server cannot be reached.

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
  event.target.closest("[data-dismiss]")?.closest(".notice-line").remove();
});
for (const failure of ["htmx:sendError", "htmx:timeout"]) {
  document.body.addEventListener(failure, (event) => {
    if (event.detail.handled) return; // it waits to be sent again
    say("Pulley does not answer. Everything up to your last confirmed change is kept; this one was not made. Start Pulley again, then reload the page.");
  });
}
document.body.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.requestConfig.verb === "post") notice.replaceChildren();
});
