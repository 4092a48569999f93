// Menus that open: one closes when something beside it is pressed; one in which several things are set stays open.

/** Menus that are open close when something beside them is pressed. */
export function closeMenus(pressed) {
  for (const menu of document.querySelectorAll("details.menu[open], .view-menu[open]")) {
    if (!menu.contains(pressed)) menu.removeAttribute("open");
  }
}

/** For Idiomorph: whether the server's answer may change an attribute, so not close a menu that `data-stays`. */
export const mayUpdate = (name, element) => !(name === "open" && "stays" in element.dataset);

// The menu of a row at the foot of a list opens below what is seen of the list.
document.addEventListener("toggle", ({ target }) => {
  if (target instanceof Element && target.matches(".view-menu[open]")) target.lastElementChild.scrollIntoView({ block: "nearest" });
}, { capture: true });
