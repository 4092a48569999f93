// The last picture of the scene, kept so that what is drawn over it can change without the scene being drawn again.

import * as THREE from "../../vendor/three/three.min.js";

const vertex = "void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }";
const fragment = "uniform sampler2D picture; void main() { gl_FragColor = texelFetch(picture, ivec2(gl_FragCoord.xy), 0); }";

/** A scene of one sheet that covers the canvas, drawn by a shader of these settings. */
export function createSheet(settings) {
  const sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), new THREE.ShaderMaterial({ depthTest: false, depthWrite: false, ...settings }));
  sheet.frustumCulled = false;
  return new THREE.Scene().add(sheet);
}

/** `keep` what the renderer has just drawn, and `show` it again; `resize` takes the picture's pixels. */
export function createPicture(renderer) {
  const picture = { value: /** @type {any} */ (null) };
  const camera = new THREE.OrthographicCamera();
  const sheet = createSheet({ uniforms: { picture }, vertexShader: vertex, fragmentShader: fragment, blending: THREE.NoBlending });

  function resize(width, height) {
    picture.value?.dispose();
    picture.value = new THREE.FramebufferTexture(width, height);
  }
  return { keep: () => renderer.copyFramebufferToTexture(picture.value), show: () => renderer.render(sheet, camera), resize };
}
