// Playing a Score: time runs, the stage follows. What is shown at an instant depends on that instant alone.

import * as THREE from "../../vendor/three/three.min.js";
import { stepsDone } from "./frame.js";
import { poseAt, viewAt } from "./score.js";

/** A player for a stage; `onTime(time)` is told of every change. */
export function createPlayer(stage, trails, onTime) {
  const player = { score: { duration: 0, stops: [0], steps: [], tracks: {}, trails: [], routes: [], shots: [] }, time: 0, playing: 0, speed: 1, spread: 1, loop: false };
  const calm = matchMedia("(prefers-reduced-motion: reduce)");
  let shown = true;
  let hidden = new Set();
  let last = 0;
  let before = null;
  let back = false; // from the far end it goes back
  let there = false; // and, played again and again, there once more

  /** Take on another Score; at the end of the old one means at the end of the new one. */
  player.load = (score, trailsShown, hiddenPaths) => {
    const atEnd = player.time >= player.score.duration - 1e-6;
    player.pause();
    const moved = new Set([...Object.keys(player.score.tracks), ...Object.keys(score.tracks)]);
    [player.score, shown, hidden] = [score, trailsShown, new Set(hiddenPaths)];
    for (const path of stage.items.keys()) stage.show(path, !hidden.has(path));
    for (const path of moved) if (!score.tracks[path]) stage.place(path, [0, 0, 0], [0, 0, 0, 1]);
    player.seek(atEnd ? score.duration : Math.min(player.time, score.duration), false);
  };

  /** Show an instant; with the camera that its step asks for, unless told otherwise. */
  player.seek = (time, withView = true) => {
    player.time = Math.min(Math.max(time, 0), player.score.duration);
    const instant = player.playing && calm.matches ? nearest(player.time) : player.time;
    for (const [path, track] of Object.entries(player.score.tracks)) {
      const { offset, turn } = poseAt(track, instant, player.spread);
      stage.place(path, offset, turn);
    }
    player.trailPieces = trails.update(player.score, instant, shown, hidden, player.spread);
    const view = withView ? viewAt(player.score.shots, instant, before) : null;
    if (view) stage.setView(view);
    onTime(player.time);
  };

  /** Where a component stands, now or at another time, as a matrix from home. */
  player.matrixOf = (path, time = player.time) => {
    const { offset, turn } = poseAt(player.score.tracks[path], time, player.spread);
    return new THREE.Matrix4().makeRotationFromQuaternion(new THREE.Quaternion().fromArray(turn)).setPosition(new THREE.Vector3().fromArray(offset));
  };
  player.setSpread = (spread) => {
    if (spread === player.spread) return;
    player.spread = spread;
    player.seek(player.time, false);
  };

  /** For those who want no motion: while it plays, the end of the step that plays, one after the other. */
  const nearest = (time) => player.score.stops.find((stop) => stop >= time - 1e-9) ?? time;
  player.go = (where) => {
    player.pause();
    const { time } = player;
    if (where === "start") player.seek(0);
    else if (where === "end") player.seek(player.score.duration);
    else if (where === "on") player.seek(player.score.stops.find((stop) => stop > time + 1e-6) ?? time);
    else player.seek(player.score.stops.findLast((stop) => stop < time - 1e-6) ?? time);
  };
  player.stepsDone = () => stepsDone(player.score, player.time);

  function start(direction, thenBack) {
    const { duration } = player.score;
    if (!duration) return;
    if (direction > 0 && player.time >= duration) player.seek(0, false);
    if (direction < 0 && player.time <= 0) player.seek(duration, false);
    before = stage.view();
    [player.playing, back, there, last] = [direction, thenBack, thenBack, 0];
    onTime(player.time);
    requestAnimationFrame(run);
  }

  function run(now) {
    if (!player.playing) return;
    const passed = last ? (now - last) / 1000 : 0; // frames may be dropped, time is not
    last = now;
    player.seek(player.time + player.playing * passed * player.speed);
    if (atEnd() && !turnRound()) return player.pause();
    requestAnimationFrame(run);
  }

  const atEnd = () => (player.playing > 0 ? player.time >= player.score.duration : player.time <= 0);

  /** At an end of the time axis: whether it goes on, back from here or again from the other end. */
  function turnRound() {
    if (player.playing > 0 && back) {
      player.playing = -1;
      return true;
    }
    if (!player.loop) return false;
    if (there) player.playing = 1;
    else player.seek(player.playing > 0 ? 0 : player.score.duration, false);
    return true;
  }

  player.explode = () => start(1, false);
  player.collapse = () => start(-1, false);
  player.thereAndBack = () => {
    if (player.score.duration) player.seek(0, false);
    start(1, true);
  };
  player.pause = () => {
    if (!player.playing) return;
    player.playing = 0;
    onTime(player.time);
  };
  player.toggle = () => (player.playing ? player.pause() : start(player.time >= player.score.duration ? -1 : 1, false));
  return player;
}
