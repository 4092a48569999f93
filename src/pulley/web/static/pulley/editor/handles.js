// On the canvas beside the model: handles on the open step and on a trail line, the order of a fan, marks of contacts.

import * as THREE from "../../vendor/three/three.min.js";
import { createBends } from "../canvas/bends.js";
import { createDoglegs } from "../canvas/doglegs.js";
import { createNumbers } from "../canvas/numbers.js";
import { createSnagMarks } from "../canvas/snags.js";

const SOON = 1e-6; // seconds within which two instants are one

/** `busy()` says whether the ways out are shown, beside which the open step has no handles. */
export function createHandles({ store, stage, player, selection, server, lights, busy }, overlay) {
  const bends = createBends(overlay, stage, { onMove: preview, onDone: done, words: store.words });
  const doglegs = createDoglegs(overlay, stage, jog);
  const numbers = createNumbers(overlay, stage);
  const crossingMarks = createSnagMarks(overlay, stage, "crossing");
  const snagMarks = createSnagMarks(overlay, stage);
  const atEndOf = (bar) => bar && Math.abs(player.time - bar.end) <= SOON;

  function jog(leg, span, by) {
    const values = { leg, span: JSON.stringify(span), by: JSON.stringify(by) };
    server.edit("jog", { members: JSON.stringify(selection.paths()), ...values });
  }

  /** The middle of each leg of the trail of the one component that is selected, once everything is exploded. */
  function showTrail() {
    const leaves = stage.leaves(selection.paths());
    const atEnd = player.time >= player.score.duration - SOON;
    const crossed = atEnd ? store.crossings.filter((found) => leaves.includes(found.component)) : [];
    crossingMarks.show(crossed.map((found) => ({ point: found.point, words: `through ${found.blocker.split("/").at(-1)}` })));
    const trail = leaves.length === 1 && atEnd && store.state.trails && player.score.trails.find(({ component }) => component === leaves[0]);
    if (!trail || player.spread !== 1) doglegs.clear();
    else doglegs.show(trail, [trail.origin, ...trail.points.map(([, point]) => point)], store.state.pitch);
  }

  /** On the open step: a handle at the end of each leg, and the order of a fan. */
  async function showLegs() {
    bends.clear();
    numbers.clear();
    const { state, open } = store;
    const members = store.members();
    const bar = store.bar();
    if (!atEndOf(bar)) return;
    const ranks = state.fans[open];
    if (ranks) numbers.show(members.map((member, k) => ({ paths: stage.leaves([member]).slice(0, 1), text: String(ranks[k] + 1) })));
    if (!state.legged.includes(open)) return;
    const { legs } = await server.question("Legs", {}, open).catch(() => ({ legs: [] }));
    if (store.state.revision !== state.revision || store.open !== open || !atEndOf(bar) || busy()) return;
    const first = stage.leaves(members.slice(0, 1));
    const gone = legs.reduce((sum, leg) => sum.map((v, k) => v + leg.direction[k] * leg.length), [0, 0, 0]);
    const middle = stage.bounds(first, true).getCenter(new THREE.Vector3()).sub(new THREE.Vector3().fromArray(gone));
    bends.show(legs, middle, state.pitch);
  }

  /** While a handle is dragged, the members stand where the legs now end. */
  function preview(legs) {
    const by = [0, 1, 2].map((k) => legs.reduce((sum, leg) => sum + leg.direction[k] * (leg.now - leg.length), 0));
    const shift = new THREE.Matrix4().setPosition(new THREE.Vector3().fromArray(by));
    for (const path of stage.leaves(store.members())) stage.move(path, player.matrixOf(path).premultiply(shift));
  }

  function done(leg, mm, count) {
    const straight = !store.state.paths[store.open];
    server.edit(straight && count === 1 ? "distance" : "leg", { step: store.open, leg, value: `${mm} mm` });
  }

  function clear() {
    bends.clear();
    doglegs.clear();
  }

  selection.heed(() => {
    bends.clear();
    showTrail();
  });
  store.on("drawn", ({ changed, opened }) => {
    const snags = store.snags[store.open] ?? [];
    stage.snagged = new Set(snags.flatMap((snag) => [snag.moving, snag.blocker]));
    lights.show();
    snagMarks.show(snags);
    showTrail();
    if (changed || opened) showLegs();
  });
  return { clear, showTrail };
}
