// Changes that were not carried out stay here, in their order, and are sent again: once somebody is signed in, once the
// server is back, or when the user says so. A change counts as carried out when the server's answer shows it.

import { newId } from "./ask.js";
import { find, targetOf } from "./dom.js";
import { sayHere, sentenceOf, signInHere, signingIn, token } from "./session.js";

const { htmx } = window;
const SOON = 2000; // milliseconds until the first try
const SELDOM = 15000; // milliseconds between tries in the end
const SLOW = 700; // milliseconds after which a change under way is worth a word
const REFUSED = [400, 409, 422]; // it was looked at and not made, and the page says why
const GONE = 404; // a teardown may be brought back; what else is gone takes no change any more
const PASSES = [0, 401, 403, 408, 429, 502, 503, 504, 507]; // what may pass without anybody's doing
const OF_PAGE = ["revision", "entry", "at"]; // what the page says of its state when a change is sent
const EDITS = /\/(edit\/[\w-]+|undo|redo|return\/\d+)$/;
const WHY = { 0: "Pulley does not answer", 401: "you are signed out", 413: "it is more than Pulley takes" };

const queue = []; // of { path, values, elt, headers, why }
const bar = find("#waiting");
let refused = null; // the latest change that was refused, to be made all the same
let held = false; // a refusal is on the page: what comes after it waits for the user
let timer = 0;
let pause = SOON;
let under = 0; // changes that are under way
let handed = false; // the first one was handed to htmx, which may wait with it: it is not sent twice

/** How many changes are not kept. */
export const waiting = () => queue.length;

const isChange = ({ verb, elt }) => verb === "post" && !elt.closest("[data-asks], .sign-in-here");
/** Whether its refusal would stand in the page's notice; what a panel asks for by itself leaves there what is said. */
const mayBeRefused = (config) => isChange(config) || config.headers["X-Notice"] === "#notice";
const again = (config) => config.headers["X-Again"] === "true";
const valuesOf = (config) => Object.fromEntries([...config.formData.entries()]);
const itemOf = (config, why) => ({ config, path: config.path, values: valuesOf(config), elt: config.elt, headers: config.headers, why });

function stripped({ path, values, elt, headers }) {
  const left = Object.fromEntries(Object.entries(values).filter(([name]) => !OF_PAGE.includes(name)));
  return { path, values: left, elt, headers, why: "" };
}

/** Say how many changes wait, and why; on the editor's page also where it else says that all is kept. */
export function tell() {
  const count = queue.length;
  const words = `${count} change${count === 1 ? " is" : "s are"} not kept`;
  const kept = document.querySelector("#kept");
  if (kept) {
    kept.className = count ? "snag-text kept" : "clear-text kept";
    kept.textContent = count ? `▲ ${words}` : under ? "… being kept" : "✓ all kept";
  }
  bar.hidden = !count;
  if (!count) return;
  const line = `▲ ${words} yet: ${queue[0].why || "one before is not"}. ${count === 1 ? "It stays" : "They stay"} here until sent.`;
  const text = bar.querySelector("[role=status]");
  if (text.textContent !== line) text.textContent = line;
}

function keep(config, status, sentence) {
  const item = itemOf(config, (sentence ?? WHY[status] ?? `Pulley answered with ${status}`).replace(/\.$/, ""));
  if (again(config)) queue.shift();
  queue.unshift(item);
  if (!again(config) && queue.length > 1) queue.push(queue.shift()); // it was sent beside another one
  item.status = status;
  tell();
  if (PASSES.includes(queue[0].status)) sendLater();
}

function sendLater() {
  clearTimeout(timer);
  timer = setTimeout(sendFirst, pause);
  pause = Math.min(pause * 1.5, SELDOM);
}

function sendFirst() {
  clearTimeout(timer);
  const [first] = queue;
  if (!first || held) return;
  if (under || handed) return sendLater();
  handed = true;
  const here = first.elt.isConnected;
  const editor = document.querySelector("#editor");
  const place = here ? { source: first.elt } : { source: editor ?? document.body, swap: "none" };
  if (first.elt === editor) place.swap = "none";
  htmx.ajax("POST", first.path, { ...place, values: first.values, headers: { "X-Notice": first.headers["X-Notice"] ?? "#notice", "X-Again": "true" } }).catch(() => {}).finally(() => { handed = false; });
}

/** Send what waits, as something has happened that may let it through. */
function sendNow() {
  pause = SOON;
  sendFirst();
}

function settled(config, refusal) {
  if (refusal) refused = stripped(itemOf(config));
  if (!again(config)) return;
  queue.shift();
  pause = SOON;
  held = refusal && queue.length > 0;
  tell();
  if (!held) sendFirst();
  if (!queue.length && !config.elt.isConnected) htmx.trigger(document.body, "teardown-behind");
}

/** Whether an answer is the one that a change that was carried out gets: not another page that stands in for it. */
function carriedOut(config, xhr) {
  if (xhr.status < 200 || xhr.status >= 300) return false;
  if (new URL(xhr.responseURL).pathname !== new URL(config.path, location.href).pathname) return false;
  return !EDITS.test(config.path) || (xhr.getResponseHeader("HX-Trigger-After-Settle") ?? "").includes("teardown-changed");
}

document.body.addEventListener("htmx:configRequest", (event) => {
  const { detail } = event;
  detail.headers["X-CSRFToken"] = token();
  detail.formData.delete("csrfmiddlewaretoken"); // it is as old as the page
  if (!isChange(detail)) return;
  if (EDITS.test(detail.path) && !detail.formData.get("asked")) detail.formData.set("asked", newId());
  if (again(detail) || !queue.length) return;
  event.preventDefault(); // what was asked for before comes first
  queue.push(stripped(itemOf(detail)));
  tell();
  sendNow();
});
document.body.addEventListener("htmx:beforeRequest", ({ detail: { elt, requestConfig: config, xhr } }) => {
  hearOut(elt, config, xhr, isChange(config));
  if (mayBeRefused(config) && !again(config) && !held && !signingIn()) document.querySelector("#notice").replaceChildren();
  if (!isChange(config)) return;
  under += 1;
  if (again(config)) handed = false;
  setTimeout(tell, SLOW);
  xhr.addEventListener("loadend", () => {
    judge(config, xhr); // where what asked has left the page, nothing below hears of it
    tell();
  });
});

/**
 * What answers something that has left the page meanwhile with an error: htmx would look for the notice beside that, and
 * not find it. That a change was refused is said; that nothing was found for what is gone tells nobody anything.
 */
function hearOut(elt, config, xhr, change) {
  const hear = (event) => {
    if (event.detail.xhr !== xhr || elt.isConnected || xhr.status < 400) return;
    event.preventDefault();
    if (xhr.status === 401) signInHere(xhr.response);
    else if (change && wasRefused(config, xhr)) sayHere(xhr.response);
  };
  elt.addEventListener("htmx:beforeOnLoad", hear);
  xhr.addEventListener("loadend", () => elt.removeEventListener("htmx:beforeOnLoad", hear));
}

/** Whether a change was looked at and not made, and will not be. */
function wasRefused(config, xhr) {
  return REFUSED.includes(xhr.status) || (xhr.status === GONE && !EDITS.test(config.path) && sentenceOf(xhr.response) !== undefined);
}

/** What has become of a change: carried out, refused, or neither and kept; whether the page may take the answer on. */
function judge(config, xhr) {
  if (config.judged) return true;
  config.judged = true;
  under -= 1;
  const refusal = wasRefused(config, xhr);
  if (refusal || carriedOut(config, xhr)) settled(config, refusal);
  else keep(config, xhr.status < 300 ? 0 : xhr.status, xhr.status === 401 ? WHY[401] : sentenceOf(xhr.response));
  return !queue.some((item) => item.config === config);
}

document.body.addEventListener("htmx:beforeOnLoad", (event) => {
  const { requestConfig: config, xhr } = event.detail;
  if (xhr.status === 401) {
    event.preventDefault();
    signInHere(xhr.response);
  }
  if (isChange(config) && !judge(config, xhr)) event.preventDefault();
});
for (const failure of /** @type {const} */ (["htmx:sendError", "htmx:timeout"])) {
  document.body.addEventListener(failure, (event) => {
    const { requestConfig: config, xhr } = event.detail;
    if (!isChange(config)) return;
    event.detail.handled = true;
    judge(config, xhr);
  }, { capture: true });
}

document.addEventListener("click", (event) => {
  if (targetOf(event).closest("#waiting-send")) {
    held = false;
    return sendNow();
  }
  if (targetOf(event).closest("#waiting-drop")) {
    queue.length = 0;
    held = false;
    tell();
    return htmx.trigger(document.body, "teardown-behind");
  }
  const more = targetOf(event).closest("[data-again]");
  if (!more && !targetOf(event).closest("[data-dismiss]")) return;
  if (more && refused) {
    if (more.dataset.again === "sure") refused.values.sure = "1";
    delete refused.values.asked;
    queue.unshift({ ...refused, values: { ...refused.values } });
    more.closest(".notice-line").remove();
  }
  if (!more && !held) return;
  held = false;
  sendNow();
});
document.body.addEventListener("signed-in", () => {
  document.querySelector("#notice").replaceChildren();
  if (queue.length) sendNow();
  else htmx.trigger(document.body, "teardown-behind");
});
const others = new BroadcastChannel("pulley"); // a page that opens in another tab may have been signed in to
others.postMessage("here");
others.addEventListener("message", () => queue.length && sendNow());
for (const name of ["online", "focus", "pageshow"]) window.addEventListener(name, () => queue.length && sendNow());
document.addEventListener("visibilitychange", () => document.hidden || !queue.length || sendNow());
// htmx gives a request that had to queue a promise that nobody holds: that it failed has been dealt with above
window.addEventListener("unhandledrejection", (event) => event.reason === undefined && event.preventDefault());
window.addEventListener("beforeunload", (event) => queue.length && event.preventDefault());
