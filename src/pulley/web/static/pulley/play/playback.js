// The controls of playing, in the editor and for those who only watch.

import { find as $, onClick, targetOf } from "../dom.js";
import { captionAt } from "./frame.js";

/** Show an instant on the controls and the canvas: clock, scrubber, caption. */
export function showInstant(player, time) {
  const { duration } = player.score;
  $("#scrub").max = duration;
  $("#scrub").value = time;
  $("#spread").value = Math.round(player.spread * 100);
  $("#spread-shown").textContent = `${Math.round(player.spread * 100)} %`;
  $("#clock").textContent = `${time.toFixed(1)} / ${duration.toFixed(1)} s`;
  $("#playing").textContent = player.playing > 0 ? "exploding" : player.playing < 0 ? "collapsing" : "";
  for (const id of ["explode", "collapse", "both"]) $(`#${id}`).disabled = !duration;
  $("#pause").disabled = !player.playing;
  const words = captionAt(player.score, time);
  if ($("#caption").textContent !== words) $("#caption").textContent = words;
  $("#caption").hidden = !words;
  const { dataset } = $("#canvas");
  dataset.time = time.toFixed(3);
  dataset.playing = String(player.playing);
  dataset.trails = String(player.trailPieces ?? 0);
}

/** Wire the controls; `before()` is told ahead of every use, `after(where)` of having gone somewhere. The returned function goes to the start, the end, on or back. */
export function wirePlayback(player, before = () => {}, after = /** @param {string} where */ (where) => void where) {
  const go = (where) => {
    before();
    player.go(where);
    after(where);
  };
  for (const [id, act] of [["explode", player.explode], ["collapse", player.collapse], ["both", player.thereAndBack], ["pause", player.pause]]) {
    $(`#${id}`).addEventListener("click", () => {
      before();
      act();
    });
  }
  onClick(document, { "[data-go]": (button) => go(button.dataset.go) });
  $("#loop").addEventListener("click", () => {
    player.loop = !player.loop;
    $("#loop").setAttribute("aria-pressed", String(player.loop));
  });
  $("#speed").addEventListener("change", () => {
    player.speed = Number($("#speed").value);
  });
  $("#spread").addEventListener("input", () => {
    before();
    player.setSpread(Number($("#spread").value) / 100);
  });
  document.addEventListener("input", (event) => {
    const { id, value } = targetOf(event);
    if (id !== "scrub") return;
    before();
    player.pause();
    player.seek(Number(value));
  });
  return go;
}
