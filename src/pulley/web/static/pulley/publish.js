// The publish page: what was made is looked at in its place.

import { find, onClick } from "./dom.js";

/** A film with its controls, or a picture. */
function looked({ look, address, name }) {
  const element = document.createElement(look === "video" ? "video" : "img");
  if (element instanceof HTMLVideoElement) {
    element.controls = true;
    element.setAttribute("aria-label", name);
  } else {
    element.alt = name;
  }
  element.src = address;
  return element;
}

onClick(document, {
  "[data-look]": (button) => {
    const place = find(`#${button.dataset.into}`);
    const open = place.childElementCount > 0;
    place.replaceChildren(...(open ? [] : [looked(button.dataset)]));
    button.setAttribute("aria-expanded", String(!open));
  },
});
