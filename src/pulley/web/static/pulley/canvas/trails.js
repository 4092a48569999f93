// Trail lines: in the teardown's line type, hidden where a part covers them or shown through, with doglegs and stops.

import * as THREE from "../../vendor/three/three.min.js";
import { dashes, trailLines } from "../play/frame.js";

const SHARE = 0.0012; // of the assembly's size: a line's width in the model, for its pattern and its end marks
const PIXELS = 5; // of a line 1 mm wide on paper
const DIM = 0.45; // lightness below which a line would be lost on dark ground
const WHITE = new THREE.Color(0xffffff);
const MARK = 6; // widths from the middle of an end mark to its tips

/** `update` draws the trails of a Score at a time; `style` takes on the teardown's line. */
export function createTrails(stage) {
  const material = new THREE.LineMaterial({ color: 0x55606b, linewidth: 1.25 });
  const lines = new THREE.LineSegments2(new THREE.LineSegmentsGeometry(), material);
  lines.frustumCulled = false;
  lines.raycast = () => {};
  stage.scene.add(lines);
  const dark = matchMedia("(prefers-color-scheme: dark)");
  const hsl = { h: 0, s: 0, l: 0 };
  let width = 1;
  let pattern = [24, 3, 0.5, 3];

  function update(score, time, shown, hidden, spread) {
    const { lines: polylines, marks } = shown ? trailLines(score, time, spread, hidden) : { lines: [], marks: [] };
    const pairs = [...polylines.flatMap((line) => dashes(line, pattern, width)), ...marks.flatMap(mark)];
    lines.visible = pairs.length > 0;
    if (pairs.length) {
      lines.geometry.dispose();
      lines.geometry = new THREE.LineSegmentsGeometry().setPositions(pairs.flat(2));
    }
    stage.invalidate();
    return pairs.length;
  }

  /** An end mark: a cross along the axes. */
  const mark = (point) => [0, 1, 2].map((axis) => [-MARK, MARK].map((arm) => point.map((v, k) => (k === axis ? v + arm * width : v))));

  function scaleTo(bounds) {
    width = bounds.getSize(new THREE.Vector3()).length() * SHARE;
  }

  function style(line, paper) {
    pattern = line.pattern;
    material.color.set(line.colour);
    if (dark.matches && !paper && material.color.getHSL(hsl).l < DIM) material.color.lerp(WHITE, 0.5);
    material.linewidth = Math.max(line.width * PIXELS, 0.75);
    material.depthTest = !line.through;
    lines.renderOrder = line.through ? 5 : 0;
  }
  return { update, scaleTo, style };
}
