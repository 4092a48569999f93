// The publish page: settings open in their place, and what was made is looked at there.

import { find, onClick, targetOf } from "./dom.js";

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

// the form stands below the line of its file, outside of what opens it: opened and closed together
document.addEventListener("toggle", (event) => {
  const settings = targetOf(event).closest?.(".file-settings");
  if (settings) settings.closest(".file").classList.toggle("with-settings", settings.open);
}, { capture: true });
