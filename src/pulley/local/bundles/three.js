// What of three.js the application uses; what is not named here is not shipped.

export {
  AdditiveBlending,
  Box3,
  BufferAttribute,
  BufferGeometry,
  Color,
  DirectionalLight,
  DoubleSide,
  FramebufferTexture,
  GreaterDepth,
  HemisphereLight,
  LineBasicMaterial,
  LineDashedMaterial,
  LineSegments,
  MathUtils,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  NoBlending,
  OrthographicCamera,
  PerspectiveCamera,
  Plane,
  PlaneGeometry,
  Quaternion,
  Raycaster,
  Scene,
  ShaderMaterial,
  Sphere,
  Vector2,
  Vector3,
  WebGLRenderTarget,
  WebGLRenderer,
} from "three";
export { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
export { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
export { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
export { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
export { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";
export { gunzipSync } from "fflate";
