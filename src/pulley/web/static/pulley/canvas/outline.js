// An outline round selected and snagged components, drawn over the picture: their own colours stay.

import * as THREE from "../../vendor/three/three.min.js";

const ROPE = new THREE.Color(0x9a5b13);
const SNAG = new THREE.Color(0xb3261e);
const LAYER = 1;

const vertex = "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }";
const fragment = `
  uniform sampler2D mask; uniform vec2 pixel; uniform vec3 rope; uniform vec3 snag; varying vec2 at;
  void main() {
    vec2 here = texture2D(mask, at).rg;
    vec2 near = vec2(0.0);
    for (int k = 0; k < 12; k++) {
      float a = float(k) * 0.5235988;
      near = max(near, texture2D(mask, at + 2.5 * pixel * vec2(cos(a), sin(a))).rg);
    }
    vec2 rim = step(0.5, near) * (1.0 - step(0.5, here));
    if (max(rim.x, rim.y) < 0.5) discard;
    gl_FragColor = vec4(rim.y > 0.5 ? snag : rope, 1.0);
    #include <colorspace_fragment>
  }`;

/** `draw` paints outlines round two lists of meshes; `resize` takes device pixels. */
export function createOutline(renderer, scene) {
  const mask = new THREE.WebGLRenderTarget(1, 1);
  const fill = (color) => new THREE.MeshBasicMaterial({ color, blending: THREE.AdditiveBlending, depthTest: false, side: THREE.DoubleSide });
  const fills = [fill(0xff0000), fill(0x00ff00)];
  const pixel = new THREE.Vector2(1, 1);
  const sheet = new THREE.Mesh(
    new THREE.PlaneGeometry(2, 2),
    new THREE.ShaderMaterial({
      uniforms: { mask: { value: mask.texture }, pixel: { value: pixel }, rope: { value: ROPE }, snag: { value: SNAG } },
      vertexShader: vertex,
      fragmentShader: fragment,
      depthTest: false,
      transparent: true,
    }),
  );
  sheet.frustumCulled = false;
  const overlay = new THREE.Scene().add(sheet);

  function paint(camera, meshes, material) {
    for (const mesh of meshes) mesh.layers.enable(LAYER);
    scene.overrideMaterial = material;
    renderer.render(scene, camera);
    for (const mesh of meshes) mesh.layers.disable(LAYER);
  }

  function draw(camera, lit, snagged) {
    if (!lit.length && !snagged.length) return;
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
    renderer.render(overlay, camera);
    renderer.autoClear = true;
  }

  function resize(width, height) {
    mask.setSize(Math.max(width, 1), Math.max(height, 1));
    pixel.set(1 / Math.max(width, 1), 1 / Math.max(height, 1));
  }
  return { draw, resize };
}
