// Elements of the overlay over the canvas.

const NS = "http://www.w3.org/2000/svg";

/** An element of a name with attributes, holding others. */
export function svg(name, attributes = {}, ...children) {
  const made = document.createElementNS(NS, name);
  set(made, attributes);
  made.append(...children);
  return made;
}

/** Give an element attributes. */
export function set(element, attributes) {
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
}
