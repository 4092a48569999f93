// Finding things on the page, and hearing of what is pressed in it.

/**
 * The first element that fits, of any kind.
 * @param {string} selector
 * @param {ParentNode} within
 * @returns {any}
 */
export const find = (selector, within = document) => within.querySelector(selector);

/** What an event happened to, as an element that may have any field. @returns {any} */
export const targetOf = (event) => event.target;

/** Whether something is typed into an element, letter by letter. */
export const isTyped = (element) => Boolean(element?.matches?.("input:not([type=range], [type=checkbox]), textarea"));

/** Hear of clicks in `root`: for each selector that what was clicked is in, its action, with the element that fits. */
export function onClick(root, actions) {
  root.addEventListener("click", (event) => {
    const hit = Object.entries(actions).map(([selector, act]) => [targetOf(event).closest(selector), act]);
    for (const [element, act] of hit) if (element) act(element, event);
  });
}
