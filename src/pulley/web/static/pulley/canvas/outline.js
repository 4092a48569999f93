// An outline round selected and snagged components, drawn over the picture: their own colours stay.

import * as THREE from "../../vendor/three/three.min.js";
import { cornersOf } from "./model.js";
import { createSheet } from "./picture.js";

export const ROPE = new THREE.Color(0x9a5b13);
const SNAG = new THREE.Color(0xb3261e);
const LAYER = 1;

const WIDTH = 2.5; // pixels of the page

const vertex = "uniform vec2 low; uniform vec2 high; varying vec2 at; void main() { at = mix(low, high, uv); gl_Position = vec4(at * 2.0 - 1.0, 0.0, 1.0); }";
const fragment = `
  uniform sampler2D mask; uniform vec2 pixel; uniform vec3 rope; uniform vec3 snag; varying vec2 at;
  void main() {
    vec2 here = texture2D(mask, at).rg;
    vec2 near = vec2(0.0);
    for (int k = 0; k < 12; k++) {
      float a = float(k) * 0.5235988;
      near = max(near, texture2D(mask, at + ${WIDTH.toFixed(1)} * pixel * vec2(cos(a), sin(a))).rg);
    }
    vec2 rim = step(0.5, near) * (1.0 - step(0.5, here));
    if (max(rim.x, rim.y) < 0.5) discard;
    gl_FragColor = vec4(rim.y > 0.5 ? snag : rope, 1.0);
    #include <colorspace_fragment>
  }`;

/** `draw` paints outlines round two lists of meshes; `resize` takes the picture's pixels, and how many are one of the page. */
export function createOutline(renderer, scene) {
  const mask = new THREE.WebGLRenderTarget(1, 1);
  const fill = (color) => new THREE.MeshBasicMaterial({ color, blending: THREE.AdditiveBlending, depthTest: false, side: THREE.DoubleSide });
  const fills = [fill(0xff0000), fill(0x00ff00)];
  const pixel = new THREE.Vector2(1, 1);
  const [low, high] = [new THREE.Vector2(0, 0), new THREE.Vector2(1, 1)]; // corners of what is looked through, 0 to 1
  const uniforms = { mask: { value: mask.texture }, pixel: { value: pixel }, low: { value: low }, high: { value: high }, rope: { value: ROPE }, snag: { value: SNAG } };
  const sheet = createSheet({ uniforms, vertexShader: vertex, fragmentShader: fragment, transparent: true });

  function paint(camera, meshes, material) {
    for (const mesh of meshes) mesh.layers.enable(LAYER);
    scene.overrideMaterial = material;
    renderer.render(scene, camera);
    for (const mesh of meshes) mesh.layers.disable(LAYER);
  }

  /** Look only where the meshes and their outline are, 12 times a pixel; everywhere where one comes behind the eye. */
  function setReach(camera, meshes) {
    const box = new THREE.Box3();
    for (const { geometry, matrixWorld } of meshes) {
      for (const corner of cornersOf(geometry.boundingBox)) {
        corner.applyMatrix4(matrixWorld).applyMatrix4(camera.matrixWorldInverse);
        if (corner.z > -camera.near) return void [low.set(0, 0), high.set(1, 1)];
        box.expandByPoint(corner.applyMatrix4(camera.projectionMatrix));
      }
    }
    const share = (at, by) => Math.min(Math.max((at + 1) / 2 + (WIDTH + 1) * by, 0), 1);
    low.set(share(box.min.x, -pixel.x), share(box.min.y, -pixel.y));
    high.set(share(box.max.x, pixel.x), share(box.max.y, pixel.y));
  }

  function draw(camera, lit, snagged) {
    if (!lit.length && !snagged.length) return;
    setReach(camera, [...lit, ...snagged]);
    const kept = camera.layers.mask;
    camera.layers.set(LAYER);
    renderer.setRenderTarget(mask);
    renderer.clear();
    renderer.autoClear = false;
    paint(camera, lit, fills[0]);
    paint(camera, snagged, fills[1]);
    scene.overrideMaterial = null;
    camera.layers.mask = kept;
    renderer.setRenderTarget(null);
    renderer.render(sheet, camera);
    renderer.autoClear = true;
  }

  function resize(width, height, ratio) {
    mask.setSize(width, height);
    pixel.set(ratio / width, ratio / height);
  }
  return { draw, resize };
}
