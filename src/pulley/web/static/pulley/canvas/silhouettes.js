// Outlines of round faces: where a face turns away from the eye. An edge between two triangles is one when only one of
// them faces the eye, which the graphics card decides for every frame; which edges there are is worked out once a part.

import * as THREE from "../../vendor/three/three.min.js";

const FLAT = 1 - 1e-7; // cosine; across a flat face nothing ever turns away
const SLICE = 12; // milliseconds of work between two frames

const vertex = `
  attribute vec3 here; attribute vec3 there;
  void main() {
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    vec3 eye = isOrthographic ? vec3(0.0, 0.0, 1.0) : -seen.xyz;
    bool inner = dot(normalMatrix * here, eye) * dot(normalMatrix * there, eye) > 0.0;
    gl_Position = inner ? vec4(2.0, 2.0, 2.0, 1.0) : projectionMatrix * seen;
  }`;
const fragment = `
  uniform vec3 colour;
  void main() {
    gl_FragColor = vec4(colour, 1.0);
    #include <colorspace_fragment>
  }`;

/** Silhouettes of the components of a stage; `style(shown, colour)` says whether and in what colour they are drawn. */
export function createSilhouettes(stage) {
  const colour = new THREE.Color();
  const material = new THREE.ShaderMaterial({ uniforms: { colour: { value: colour } }, vertexShader: vertex, fragmentShader: fragment });
  const known = new Map(); // a part's geometry -> that of its outlines

  function add(surface) {
    if (!known.has(surface.geometry)) known.set(surface.geometry, outlineGeometry(surface.geometry));
    const geometry = known.get(surface.geometry);
    if (!geometry) return;
    const lines = new THREE.LineSegments(geometry, material);
    lines.userData.silhouette = true;
    lines.raycast = () => {};
    surface.add(lines);
  }

  /** Work them out piece by piece, so that the page answers meanwhile. */
  function begin() {
    const waiting = [...stage.items.values()].map((item) => item.surface);
    const go = () => {
      const since = performance.now();
      while (waiting.length && performance.now() - since < SLICE) add(waiting.pop());
      stage.invalidate();
      if (waiting.length) setTimeout(go);
      else stage.box.dataset.outlines = "drawn";
    };
    go();
  }

  function style(shown, value) {
    material.visible = shown;
    colour.set(value);
  }
  return { begin, style };
}

/** The edges of a geometry that may become outlines, with the normals of their two triangles; null where there is none. */
function outlineGeometry(geometry) {
  const points = geometry.attributes.position.array;
  const corners = welded(points, geometry.index?.array ?? Uint32Array.from({ length: points.length / 3 }, (_, k) => k));
  const normals = facetNormals(points, corners);
  const pairs = edgePairs(corners);
  const kept = [];
  for (let k = 0; k < pairs.length; k += 4) {
    const [a, b] = [pairs[k + 2] * 3, pairs[k + 3] * 3];
    const cosine = normals[a] * normals[b] + normals[a + 1] * normals[b + 1] + normals[a + 2] * normals[b + 2];
    if (cosine < FLAT && !isHollow(points, corners, normals, pairs, k)) kept.push(k);
  }
  if (!kept.length) return null;
  const [ends, here, there] = [new Float32Array(kept.length * 6), new Float32Array(kept.length * 6), new Float32Array(kept.length * 6)];
  kept.forEach((k, place) => {
    for (const end of [0, 1]) {
      const at = place * 6 + end * 3;
      ends.set(points.subarray(pairs[k + end] * 3, pairs[k + end] * 3 + 3), at);
      here.set(normals.subarray(pairs[k + 2] * 3, pairs[k + 2] * 3 + 3), at);
      there.set(normals.subarray(pairs[k + 3] * 3, pairs[k + 3] * 3 + 3), at);
    }
  });
  const made = new THREE.BufferGeometry();
  for (const [name, values] of Object.entries({ position: ends, here, there })) made.setAttribute(name, new THREE.BufferAttribute(values, 3));
  made.boundingSphere = geometry.boundingSphere;
  return made;
}

/** Whether the surface is bent inward at an edge: an outline there lies behind the surface itself, and is never seen. */
function isHollow(points, corners, normals, pairs, k) {
  const [a, b, one, other] = [pairs[k], pairs[k + 1], pairs[k + 2] * 3, pairs[k + 3] * 3];
  const far = [0, 1, 2].map((corner) => corners[other + corner]).find((corner) => corner !== a && corner !== b) ?? a;
  const [p, q] = [far * 3, a * 3];
  return normals[one] * (points[p] - points[q]) + normals[one + 1] * (points[p + 1] - points[q + 1]) + normals[one + 2] * (points[p + 2] - points[q + 2]) > 0;
}

/** A table of whole numbers under keys of one or more numbers: open addressing, half full at most. */
function createTable(count) {
  const size = 2 ** Math.ceil(Math.log2(Math.max(count, 1) * 2 + 1));
  return { mask: size - 1, slots: new Int32Array(size).fill(-1) };
}

/** The corners of triangles, those at the same place as one: each names the first point there. */
function welded(points, index) {
  const bits = new Uint32Array(points.buffer, points.byteOffset, points.length);
  const count = points.length / 3;
  const { mask, slots } = createTable(count);
  const first = new Int32Array(count);
  for (let k = 0; k < count; k += 1) {
    const [x, y, z] = [bits[3 * k], bits[3 * k + 1], bits[3 * k + 2]];
    let slot = mixed(Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & mask;
    while (slots[slot] >= 0) {
      const other = slots[slot] * 3;
      if (bits[other] === x && bits[other + 1] === y && bits[other + 2] === z) break;
      slot = (slot + 1) & mask;
    }
    if (slots[slot] < 0) slots[slot] = k;
    first[k] = slots[slot];
  }
  return Int32Array.from(index, (k) => first[k]);
}

/** A number of 32 bits whose low bits depend on all of it. */
function mixed(value) {
  const a = Math.imul(value ^ (value >>> 16), 0x45d9f3b);
  return (a ^ (a >>> 15)) >>> 0;
}

/** Unit normals, three numbers a triangle; zeros for one without area. */
function facetNormals(points, index) {
  const normals = new Float32Array(index.length);
  for (let k = 0; k < index.length; k += 3) {
    const [a, b, c] = [index[k] * 3, index[k + 1] * 3, index[k + 2] * 3];
    const [ux, uy, uz] = [points[b] - points[a], points[b + 1] - points[a + 1], points[b + 2] - points[a + 2]];
    const [vx, vy, vz] = [points[c] - points[a], points[c + 1] - points[a + 1], points[c + 2] - points[a + 2]];
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const size = Math.hypot(x, y, z) || 1;
    normals.set([x / size, y / size, z / size], k);
  }
  return normals;
}

/** Edges that two triangles share, four numbers each: both ends, both triangles. */
function edgePairs(index) {
  const { mask, slots } = createTable(index.length);
  const pairs = [];
  for (let k = 0; k < index.length; k += 1) {
    const [a, b] = [index[k], index[k % 3 === 2 ? k - 2 : k + 1]];
    const [low, high] = a < b ? [a, b] : [b, a];
    let slot = mixed(low * 31 + Math.imul(high, 0x9e3779b1)) & mask;
    while (slots[slot] >= 0 && !isEdge(index, slots[slot], low, high)) slot = (slot + 1) & mask;
    if (slots[slot] < 0) slots[slot] = k;
    else pairs.push(low, high, Math.floor(slots[slot] / 3), Math.floor(k / 3));
  }
  return pairs;
}

function isEdge(index, k, low, high) {
  const [a, b] = [index[k], index[k % 3 === 2 ? k - 2 : k + 1]];
  return (a === low && b === high) || (a === high && b === low);
}
