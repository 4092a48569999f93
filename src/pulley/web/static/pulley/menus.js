// Menus that open: one closes when something beside it is pressed; one in which several things are set stays open.

/** Menus that are open close when something beside them is pressed. */
export function closeMenus(pressed) {
  for (const menu of document.querySelectorAll("details.menu[open], .view-menu[open]")) {
    if (!menu.contains(pressed)) menu.removeAttribute("open");
  }
}

/** Close a menu; the keyboard goes back to what opened it. */
export function closeMenu(menu) {
  menu.removeAttribute("open");
  menu.querySelector("summary").focus();
}

/** Whether a menu stays as it is, open or not, when the page is drawn anew. */
export const menuStays = (menu) => "stays" in menu.dataset;

// The menu of a row at the foot of a list opens below what is seen of the list.
document.addEventListener("toggle", ({ target }) => {
  if (target instanceof Element && target.matches(".view-menu[open]")) target.lastElementChild.scrollIntoView({ block: "nearest" });
}, { capture: true });
