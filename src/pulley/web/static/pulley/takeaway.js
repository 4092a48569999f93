// A teardown on a page that stands alone, opened from a disk or an e-mail: watched, and its parts told apart.

import * as THREE from "../vendor/three/three.min.js";
import { find, onClick } from "./dom.js";
import { createWatching } from "./play/watching.js";

const { stage, open } = createWatching(JSON.parse(find("#state").textContent), { Escape: () => light([]) });

/** Outline components, and mark the row of the parts list that counts them. */
function light(paths) {
  stage.lit = new Set(paths);
  for (const row of document.querySelectorAll("[data-part]")) {
    const own = JSON.parse(row.getAttribute("data-part"));
    row.setAttribute("aria-pressed", String(paths.length > 0 && own.some((path) => stage.lit.has(path))));
  }
  stage.refresh();
}

onClick(document, { "[data-part]": (row) => light(row.getAttribute("aria-pressed") === "true" ? [] : JSON.parse(row.dataset.part)) });
find("#canvas").addEventListener("picked", ({ detail }) => light(detail.path ? [detail.path] : []));

/** The model of this page: packed as gzip (RFC 1952), written in base64. */
function unpacked() {
  const text = atob(find("#model").textContent.trim());
  return THREE.gunzipSync(Uint8Array.from(text, (letter) => letter.charCodeAt(0))).buffer;
}

open(unpacked, "The model in this file is damaged. Ask for it again.");
