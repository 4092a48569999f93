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
export const createPicture = (renderer) => (renderer.getContextAttributes().antialias ? createPainted(renderer) : createCopied(renderer.getContext()));

/** A picture that is painted: nothing can be copied to where a pixel has several samples. */
function createPainted(renderer) {
  const picture = { value: /** @type {any} */ (null) };
  const camera = new THREE.OrthographicCamera();
  const sheet = createSheet({ uniforms: { picture }, vertexShader: vertex, fragmentShader: fragment, blending: THREE.NoBlending });

  function resize(width, height) {
    picture.value?.dispose();
    picture.value = new THREE.FramebufferTexture(width, height);
  }
  return { keep: () => renderer.copyFramebufferToTexture(picture.value), show: () => renderer.render(sheet, camera), resize };
}

/** A picture that is copied as it is, which takes a processor less time than painting it. */
function createCopied(gl) {
  let [width, height] = [0, 0];
  let kept = null;
  let pixels = null;

  function copy(from, to) {
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, from);
    gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, to);
    gl.blitFramebuffer(0, 0, width, height, 0, 0, width, height, gl.COLOR_BUFFER_BIT, gl.NEAREST);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null); // where the renderer draws
  }

  /** Room for the picture: once it has a size, and anew when the card has lost all that was on it. */
  function prepare() {
    if (gl.isFramebuffer(kept)) return;
    [kept, pixels] = [gl.createFramebuffer(), gl.createRenderbuffer()];
    gl.bindFramebuffer(gl.FRAMEBUFFER, kept);
    gl.bindRenderbuffer(gl.RENDERBUFFER, pixels);
    gl.renderbufferStorage(gl.RENDERBUFFER, gl.RGBA8, width, height);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.RENDERBUFFER, pixels);
  }

  function resize(wide, high) {
    [width, height] = [wide, high];
    gl.deleteFramebuffer(kept);
    gl.deleteRenderbuffer(pixels);
  }

  function keep() {
    prepare();
    copy(null, kept);
  }

  function show() {
    gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT); // a browser does not take a copy alone for something drawn
    copy(kept, null);
  }
  return { keep, show, resize };
}
