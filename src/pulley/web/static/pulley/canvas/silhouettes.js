// Outlines of round faces: where a face turns away from the eye. An edge between two triangles is one when only one of
// them faces the eye, which the graphics card decides for every frame; which edges there are is worked out once a part.
// They are drawn at one go with the part's own edges, as each go takes a graphics card its time.

import * as THREE from "../../vendor/three/three.min.js";

const FLAT = 1 - 1e-7; // cosine; across a flat face nothing ever turns away
const SLICE = 12; // milliseconds of work between two frames
const ALWAYS = -1; // in place of a triangle's number, of an edge that is drawn whichever way the triangles face

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

/** Silhouettes of the components of a stage, in the colour of its pen; `show(shown)` says whether they are drawn. */
export function createSilhouettes(stage) {
  const material = new THREE.ShaderMaterial({ uniforms: { colour: { value: stage.pen.color } }, vertexShader: vertex, fragmentShader: fragment });
  const known = new Map(); // a part's geometry -> that of its outlines

  function add({ surface, edges }) {
    if (!known.has(surface.geometry)) known.set(surface.geometry, outlineGeometry(surface.geometry, edges?.geometry));
    const geometry = known.get(surface.geometry);
    if (!geometry) return;
    const lines = new THREE.LineSegments(geometry, material);
    lines.raycast = () => {};
    surface.add(lines);
    if (edges) edges.visible = false;
  }

  /** Work them out piece by piece, so that the page answers meanwhile; they are drawn at once when all are there. */
  function begin() {
    const waiting = [...stage.items.values()];
    const go = () => {
      const since = performance.now();
      while (waiting.length && performance.now() - since < SLICE) add(waiting.pop());
      if (waiting.length) return setTimeout(go);
      stage.box.dataset.outlines = "drawn";
      return stage.invalidate();
    };
    go();
  }

  const show = (shown) => { material.visible = shown; };
  return { begin, show };
}

/** The edges of a part and the lines of its surface that may become outlines; null where there are no such lines. */
function outlineGeometry(surface, edges) {
  const [faces, drawn] = [surface, edges].map(coordinates);
  const points = joined(faces.points, drawn.points);
  const places = firstThere(points);
  const corners = Int32Array.from(faces.index, (k) => places[k]);
  const normals = facetNormals(points, corners);
  const own = edgesOf(drawn.index, (k) => places[faces.points.length / 3 + k]);
  const name = ({ a, b }) => Math.min(a, b) * places.length + Math.max(a, b);
  const known = new Set(own.map(name));
  const bent = edgePairs(corners).filter((pair) => !known.has(name(pair)) && !isFlat(normals, pair) && !isHollow(points, corners, normals, pair));
  return bent.length ? lineGeometry(points, normals, [...own, ...bent], surface.boundingSphere) : null;
}

function edgesOf(index, placeOf) {
  return Array.from({ length: index.length / 2 }, (_, k) => ({ a: placeOf(index[2 * k]), b: placeOf(index[2 * k + 1]), one: ALWAYS, other: ALWAYS }));
}

/** What the graphics card draws: both ends of every line, and with each the normals of the two triangles that meet in it. */
function lineGeometry(points, normals, lines, sphere) {
  const made = new THREE.BufferGeometry();
  const add = (name, of) => made.setAttribute(name, new THREE.BufferAttribute(Float32Array.from(lines.flatMap(of)), 3));
  const at = (values, k) => (k === ALWAYS ? [0, 0, 0] : [values[3 * k], values[3 * k + 1], values[3 * k + 2]]);
  add("position", ({ a, b }) => [...at(points, a), ...at(points, b)]);
  add("here", ({ one }) => [...at(normals, one), ...at(normals, one)]);
  add("there", ({ other }) => [...at(normals, other), ...at(normals, other)]);
  made.boundingSphere = sphere;
  return made;
}

const dot = (p, i, q, j) => p[3 * i] * q[3 * j] + p[3 * i + 1] * q[3 * j + 1] + p[3 * i + 2] * q[3 * j + 2];

const isFlat = (normals, { one, other }) => dot(normals, one, normals, other) >= FLAT;

/** Whether the surface is bent inward at an edge: an outline there lies behind the surface itself, and is never seen. */
function isHollow(points, corners, normals, { a, b, one, other }) {
  const far = [0, 1, 2].map((corner) => corners[3 * other + corner]).find((corner) => corner !== a && corner !== b) ?? a;
  return dot(normals, one, points, far) > dot(normals, one, points, a);
}

/** A table of whole numbers under keys of one or more numbers: open addressing, half full at most. */
function createTable(count) {
  const size = 2 ** Math.ceil(Math.log2(Math.max(count, 1) * 2 + 1));
  return { mask: size - 1, slots: new Int32Array(size).fill(-1) };
}

/** The points of a geometry, and their numbers in the order in which it uses them. */
function coordinates(geometry) {
  const points = geometry?.attributes.position.array ?? new Float32Array();
  return { points, index: geometry?.index?.array ?? Uint32Array.from({ length: points.length / 3 }, (_, k) => k) };
}

function joined(one, other) {
  const both = new Float32Array(one.length + other.length);
  both.set(one);
  both.set(other, one.length);
  return both;
}

/** For each point the first one at the same place. */
function firstThere(points) {
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
  return first;
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

/** Edges that two triangles share: both ends, both triangles, by their numbers. */
function edgePairs(index) {
  const { mask, slots } = createTable(index.length);
  const pairs = [];
  for (let k = 0; k < index.length; k += 1) {
    const [a, b] = [index[k], index[k % 3 === 2 ? k - 2 : k + 1]];
    const [low, high] = a < b ? [a, b] : [b, a];
    let slot = mixed(low * 31 + Math.imul(high, 0x9e3779b1)) & mask;
    while (slots[slot] >= 0 && !isEdge(index, slots[slot], low, high)) slot = (slot + 1) & mask;
    if (slots[slot] < 0) slots[slot] = k;
    else pairs.push({ a: low, b: high, one: Math.floor(slots[slot] / 3), other: Math.floor(k / 3) });
  }
  return pairs;
}

function isEdge(index, k, low, high) {
  const [a, b] = [index[k], index[k % 3 === 2 ? k - 2 : k + 1]];
  return (a === low && b === high) || (a === high && b === low);
}
