// What each user has as they like it: unit, pitch, hints.

import { prefer } from "../ask.js";
import { find, onClick, targetOf } from "../dom.js";
import { wireHints } from "./hints.js";

const CHOICES = { "unit-wanted": "unit_wanted", "pitch-wanted": "pitch" }; // field -> what it is called

export function wirePreferences(editor, store) {
  const hints = () => find("#hints-wanted").getAttribute("aria-pressed") === "true";
  onClick(editor, { "#hints-wanted": () => prefer({ hints: hints() ? "off" : "on" }) });
  editor.addEventListener("change", (event) => {
    const { id, value } = targetOf(event);
    if (CHOICES[id]) prefer({ [CHOICES[id]]: value });
  });
  store.on("drawn", wireHints(find("#hint"), hints));
}
