// Which components are outlined: those that a line in a list is about while it is pointed at, else the selection.

import { targetOf } from "../dom.js";

export function createLights(stage, selection) {
  let pointed = null; // the line that is pointed at, and what it is about

  /** Outline anew, as what is selected or what a list says may have changed. */
  function show() {
    if (pointed && !pointed.line.isConnected) pointed = null;
    stage.lit = new Set(stage.leaves(pointed ? pointed.about() : selection.paths()));
    stage.refresh();
  }

  /** Outline what lines in `root` are about, while the pointer or the keyboard is on them. */
  function follow(root, selector, membersOf) {
    const point = (line) => {
      pointed = line && { line, about: () => membersOf(line) };
      show();
    };
    for (const name of ["pointerover", "focusin"]) {
      root.addEventListener(name, (event) => {
        const line = targetOf(event).closest(selector);
        if (line) point(line);
      });
    }
    for (const name of ["pointerout", "focusout"]) {
      root.addEventListener(name, (event) => targetOf(event).closest(selector) && point(null));
    }
  }

  selection.heed(show);
  return { show, follow };
}
