// The controls of playing, in the editor and for those who only watch.

import { captionAt } from "./frame.js";

const $ = (selector) => document.querySelector(selector);

/** Show an instant on the controls and the canvas: clock, scrubber, caption. */
export function showInstant(player, time) {
  const { duration } = player.score;
  $("#scrub").value = time;
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

/** Wire the controls; `before()` is told ahead of every use. The returned functions are for keys. */
export function wirePlayback(player, before = () => {}) {
  const go = (where) => {
    before();
    player.go(where);
  };
  const setSpread = (spread) => {
    before();
    $("#spread").value = Math.round(spread * 100);
    $("#spread-shown").textContent = `${Math.round(spread * 100)} %`;
    player.setSpread(spread);
  };
  for (const [id, act] of [["explode", player.explode], ["collapse", player.collapse], ["both", player.thereAndBack], ["pause", player.pause]]) {
    $(`#${id}`).addEventListener("click", () => {
      before();
      act();
    });
  }
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-go]");
    if (button) go(button.dataset.go);
  });
  $("#loop").addEventListener("click", () => {
    player.loop = !player.loop;
    $("#loop").setAttribute("aria-pressed", String(player.loop));
  });
  $("#speed").addEventListener("change", () => {
    player.speed = Number($("#speed").value);
  });
  $("#spread").addEventListener("input", () => setSpread(Number($("#spread").value) / 100));
  document.addEventListener("input", (event) => {
    if (event.target.id !== "scrub") return;
    before();
    player.pause();
    player.seek(Number(event.target.value));
  });
  return { go, setSpread };
}
