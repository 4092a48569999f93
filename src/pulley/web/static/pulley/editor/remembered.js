// What the browser remembers by itself: what depends on the screen, or on who sits before it. Where it keeps nothing, what
// is chosen holds as long as the page.

/** What was remembered by a name, or what there is `otherwise`. */
export function recall(name, otherwise) {
  try {
    return JSON.parse(localStorage.getItem(`pulley.${name}`)) ?? otherwise;
  } catch {
    return otherwise;
  }
}

export function remember(name, value) {
  try {
    localStorage.setItem(`pulley.${name}`, JSON.stringify(value));
  } catch { /* see above */ }
}
