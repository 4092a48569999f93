// The session as the page sees it: the token that goes with every change, and signing in again where one is.

const notice = document.querySelector("#notice");

/** The token of now: signing in, here or in another tab, gives the browser a new one. */
export function token() {
  const kept = /(?:^|;\s*)csrftoken=([^;]+)/.exec(document.cookie)?.[1];
  return kept ?? JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
}

/** The sentence in an answer that refuses or excuses something; nothing when there is none. */
export const sentenceOf = (html) => new DOMParser().parseFromString(html, "text/html").querySelector(".notice-line span:not([aria-hidden]), .error-page p")?.textContent;

export const signingIn = () => notice.querySelector(".sign-in-here") !== null;

/** Show the form that a 401 came with; one that is being filled in stays. */
export function signInHere(html) {
  if (!signingIn()) sayHere(html);
}

/** Show what an answer says in the page's notice. */
export function sayHere(html) {
  const line = new DOMParser().parseFromString(html, "text/html").querySelector(".notice-line");
  if (!line) return;
  notice.replaceChildren(document.adoptNode(line));
  window.htmx.process(notice);
}
