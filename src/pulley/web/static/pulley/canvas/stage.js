// The scene: the assembly's GLB in millimetres with Z up, a camera, and a frame only when something changed.

import * as THREE from "../../vendor/three/three.min.js";
import { createOutline } from "./outline.js";

const DOUBLE = 450; // milliseconds between the clicks of a double click
const LEAN = 1e-5; // of a view's distance, by which one along up leans, so that its picture is not turned by chance
const CLICK = 4; // pixels that a pointer may wander and still click

/** Build the scene in `canvas`, which fills `box`. */
export function createStage(box, canvas) {
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true });
  const scene = new THREE.Scene();
  const perspective = new THREE.PerspectiveCamera(35, 1, 1, 1e5);
  const parallel = new THREE.OrthographicCamera(-1, 1, 1, -1, 1, 1e5);
  const lamp = new THREE.DirectionalLight(0xffffff, 1.9);
  const items = new Map(); // path -> { object, surface, home, box, motion }
  const stage = { box, canvas, scene, renderer, items, lit: new Set(), snagged: new Set(), frames: 0 };
  const outline = createOutline(renderer, scene);
  let wanted = false;
  let clicked = {};
  let height = 1;
  let margin = 1; // of the tightest fit

  stage.camera = perspective;
  for (const camera of [perspective, parallel]) camera.up.set(0, 0, 1);
  perspective.position.set(1, -1, 1);
  scene.add(new THREE.HemisphereLight(0xffffff, 0xc9bfae, 1.5), lamp, lamp.target);
  /** @type {["change" | "start" | "end", () => void][]} */
  const heard = [["change", () => stage.invalidate()]]; // what is told of turning by hand
  let controls = madeControls();

  /** What turns the view by hand: made anew when up changes, which it reads only once. */
  function madeControls() {
    const made = new THREE.OrbitControls(stage.camera ?? perspective, canvas);
    made.zoomToCursor = true;
    for (const [name, act] of heard) made.addEventListener(name, act);
    return made;
  }
  stage.heed = (name, act) => {
    heard.push([name, act]);
    controls.addEventListener(name, act);
  };
  /** Whether the view may be turned by hand now. */
  stage.letTurn = (may) => { controls.enabled = may; };
  stage.turns = () => controls.enabled;

  stage.invalidate = () => {
    if (wanted) return;
    wanted = true;
    requestAnimationFrame(draw);
  };

  function draw() {
    wanted = false;
    setRange();
    lamp.position.copy(stage.camera.position).add(new THREE.Vector3(0, 0, 0.4 * distance()));
    lamp.target.position.copy(controls.target);
    if (lamp.castShadow) frameShadows();
    renderer.render(scene, stage.camera);
    outline.draw(stage.camera, surfaces(stage.lit), surfaces(stage.snagged));
    stage.frames += 1;
    canvas.dataset.frames = String(stage.frames);
    canvas.dispatchEvent(new Event("drawn"));
  }

  function frameShadows() {
    const reach = stage.bounds([...items.keys()], true).getBoundingSphere(new THREE.Sphere()).radius * 1.2;
    Object.assign(lamp.shadow.camera, { left: -reach, right: reach, top: reach, bottom: -reach, near: 0.1, far: stage.camera.position.distanceTo(controls.target) * 1.5 + 2 * reach });
    lamp.shadow.camera.updateProjectionMatrix();
  }

  const surfaces = (paths) => [...paths].map((path) => items.get(path)?.surface).filter((s) => s?.parent.visible);
  const distance = () => stage.camera.position.distanceTo(controls.target);

  /** Keep the near and far planes close around what there is to see. */
  function setRange() {
    const ball = stage.bounds([...items.keys()], true).getBoundingSphere(new THREE.Sphere());
    const middle = stage.camera.position.distanceTo(ball.center);
    const reach = Math.max(ball.radius, 1) * 1.05;
    stage.camera.near = stage.camera.isPerspectiveCamera ? Math.max(middle - reach, middle * 0.002, 0.01) : middle - reach;
    stage.camera.far = Math.max(middle + reach, stage.camera.near * 2, 1);
    stage.camera.updateProjectionMatrix();
  }

  /** How far bars at the top and the foot of the box (`data-edge`) reach into it, in pixels. */
  function edges() {
    const bars = (side) => [...box.querySelectorAll(`[data-edge=${side}]`)].filter((bar) => bar.offsetParent);
    const top = Math.max(0, ...bars("top").map((bar) => bar.offsetTop + bar.offsetHeight));
    const foot = Math.max(0, ...bars("foot").map((bar) => height - bar.offsetTop));
    return top + foot < height / 2 ? [top, foot] : [0, 0];
  }

  /** The part of the canvas that no bar lies on: its width over its height, and the angle in which it is seen. */
  stage.clear = () => {
    const [top, foot] = edges();
    const share = (height - top - foot) / height;
    const tall = Math.tan(THREE.MathUtils.degToRad(perspective.fov / 2)) * share;
    return { aspect: perspective.aspect / share, fov: 2 * THREE.MathUtils.radToDeg(Math.atan(tall)) };
  };

  /** Let what the camera looks at be in the middle of what no bar lies on. */
  function centre() {
    const [top, foot] = edges();
    const { clientWidth: width } = box;
    for (const camera of [perspective, parallel]) camera.setViewOffset(width, height, 0, (foot - top) / 2, width, height);
  }

  function resize() {
    const { clientWidth: width, clientHeight } = box;
    height = Math.max(clientHeight, 1);
    centre();
    renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    renderer.setSize(width, height, false);
    outline.resize(width * renderer.getPixelRatio(), height * renderer.getPixelRatio());
    perspective.aspect = width / height;
    setParallelFrame();
    stage.invalidate();
  }

  function setParallelFrame() {
    const tall = Math.tan(THREE.MathUtils.degToRad(perspective.fov / 2)) * distance();
    parallel.top = tall;
    parallel.bottom = -tall;
    parallel.left = -tall * perspective.aspect;
    parallel.right = tall * perspective.aspect;
  }
  new ResizeObserver(resize).observe(box);

  stage.load = async (address) => {
    const gltf = await new THREE.GLTFLoader().loadAsync(address);
    const root = gltf.scene.children[0];
    root.matrix.identity();
    root.matrix.decompose(root.position, root.quaternion, root.scale);
    for (const object of root.children) items.set(object.userData.path, adopt(object));
    scene.add(root);
    scene.updateMatrixWorld(true);
  };

  /** The leaves that paths stand for: a subassembly's are those below it. */
  stage.leaves = (paths) => {
    const chosen = new Set(paths);
    return [...items.keys()].filter((leaf) => {
      for (let at = leaf.length; at > 0; at = leaf.lastIndexOf("/", at - 1)) if (chosen.has(leaf.slice(0, at))) return true;
      return false;
    });
  };

  /** The corners of the bounds of each component that is shown, where it is now or where `motionOf(path)` puts it. */
  stage.corners = (paths = [...items.keys()], motionOf = (path) => items.get(path).motion) => {
    const shown = paths.filter((path) => items.get(path)?.object.visible);
    return shown.flatMap((path) => {
      const { home, surface } = items.get(path);
      const pose = motionOf(path).clone().multiply(home);
      return cornersOf(surface.geometry.boundingBox).map((corner) => corner.applyMatrix4(pose));
    });
  };

  /** Bounds of components where they are now. */
  stage.bounds = (paths, all = false) => {
    const bounds = new THREE.Box3();
    for (const path of paths) {
      const item = items.get(path);
      if (item && (all || item.object.visible)) bounds.union(item.box.clone().applyMatrix4(item.motion));
    }
    return bounds.isEmpty() ? new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1)) : bounds;
  };

  /** Put a component at an offset in mm and a rotation (x, y, z, w) from home. */
  stage.place = (path, offset, turn) => {
    const item = items.get(path);
    if (!item) return;
    item.motion.makeRotationFromQuaternion(new THREE.Quaternion(...turn)).setPosition(...offset);
    item.object.matrix.multiplyMatrices(item.motion, item.home);
    item.object.matrixWorldNeedsUpdate = true;
    stage.invalidate();
  };

  /** Put a component where a matrix from home says. */
  stage.move = (path, matrix) => {
    const item = items.get(path);
    if (!item) return;
    item.motion.copy(matrix);
    item.object.matrix.multiplyMatrices(item.motion, item.home);
    item.object.matrixWorldNeedsUpdate = true;
    stage.invalidate();
  };

  stage.show = (path, visible) => {
    const item = items.get(path);
    if (item) item.object.visible = visible;
    stage.invalidate();
  };

  /** Hits on components under a pointer, nearest first: path, point in mm and the facet's normal there. */
  stage.hits = (event) => {
    const ray = stage.ray(event);
    const shown = [...items.values()].filter((item) => item.object.visible).map((item) => item.surface);
    const caster = new THREE.Raycaster(ray.origin, ray.direction);
    caster.camera = stage.camera;
    return caster.intersectObjects(shown, false).map((hit) => ({
      path: hit.object.userData.owner,
      point: hit.point.toArray(),
      normal: hit.face.normal.clone().transformDirection(hit.object.matrixWorld).toArray(),
    }));
  };

  /** Paths under a pointer, nearest first. */
  stage.pick = (event) => [...new Set(stage.hits(event).map((hit) => hit.path))];

  /** How many mm a pixel is at a point. */
  stage.grain = (point) => {
    const tall = 2 * Math.tan(THREE.MathUtils.degToRad(perspective.fov / 2));
    if (!stage.camera.isPerspectiveCamera) return (tall * distance()) / parallel.zoom / height;
    return (tall * stage.camera.position.distanceTo(new THREE.Vector3(...point))) / height;
  };

  /** Tell that something was clicked: what lies under the pointer, and whether it is the second time. */
  stage.click = (event) => {
    if (event.button !== 0) return;
    if (stage.pointing) return stage.pointing(event);
    const [path] = stage.pick(event);
    const again = path !== undefined && path === clicked.path && event.timeStamp - clicked.at < DOUBLE;
    clicked = { path, at: event.timeStamp };
    box.dispatchEvent(new CustomEvent("picked", { detail: { path, again, add: event.ctrlKey || event.metaKey || event.shiftKey } }));
  };

  stage.ray = (event) => {
    const place = canvas.getBoundingClientRect();
    const caster = new THREE.Raycaster();
    caster.setFromCamera(
      new THREE.Vector2(
        ((event.clientX - place.left) / place.width) * 2 - 1,
        1 - ((event.clientY - place.top) / place.height) * 2,
      ),
      stage.camera,
    );
    return caster.ray;
  };

  /** Where a point in mm is on the canvas, in pixels; `ahead` is false behind the eye. */
  stage.project = (point) => {
    const seen = point.clone().project(stage.camera);
    const ahead = seen.z < 1;
    return { x: ((seen.x + 1) / 2) * box.clientWidth, y: ((1 - seen.y) / 2) * box.clientHeight, ahead };
  };

  /** Fit the view to components (all that are shown by default), from a direction or the present one. */
  stage.fit = (paths, direction) => stage.fitTo(stage.corners(paths), direction);

  /** Fit the view to points, as core does, in what no bar lies on: to the middle of their bounds, with core's margin. */
  stage.fitTo = (points, direction) => {
    const bounds = points.length ? new THREE.Box3().setFromPoints(points) : new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1));
    const target = bounds.getCenter(new THREE.Vector3());
    const back = (direction ? new THREE.Vector3(...direction) : stage.camera.position.clone().sub(controls.target)).normalize();
    const [right, up] = across(back);
    const { aspect, fov } = stage.clear();
    const tall = Math.tan(THREE.MathUtils.degToRad(fov / 2));
    centre();
    const reaches = (points.length ? points : cornersOf(bounds)).map((point) => {
      const arm = point.clone().sub(target);
      const aside = Math.max(Math.abs(arm.dot(up)), Math.abs(arm.dot(right)) / aspect) / tall;
      return (stage.camera.isPerspectiveCamera ? arm.dot(back) : 0) + margin * aside;
    });
    look(target.clone().addScaledVector(back, Math.max(...reaches, 1e-3)), target);
  };

  /** The margin and the angle that core fits views with. */
  stage.setFitting = ({ margin: wide, fov }) => {
    margin = wide;
    perspective.fov = fov;
  };

  const isAlongUp = (back) => stage.camera.up.clone().cross(back).length() < 1e-6 * back.length();

  /** Where a view along up leans to, as core has it: towards -Y when Z is up. */
  const leaning = () => new THREE.Vector3(0, 0, 1).applyQuaternion(new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 1, 0), stage.camera.up));

  /** What is right and up in a view from `back`. */
  function across(back) {
    const up = isAlongUp(back) ? leaning().multiplyScalar(-Math.sign(back.dot(stage.camera.up))) : stage.camera.up.clone();
    const right = new THREE.Vector3().crossVectors(up, back).normalize();
    return [right, new THREE.Vector3().crossVectors(back, right)];
  }

  function look(eye, target) {
    controls.target.copy(target);
    stage.camera.position.copy(eye);
    const back = eye.clone().sub(target);
    if (isAlongUp(back)) stage.camera.position.addScaledVector(leaning(), LEAN * back.length());
    parallel.zoom = 1;
    stage.camera.lookAt(target);
    setParallelFrame();
    controls.update();
    stage.invalidate();
  }

  /** Which way is up: for turning by hand, for fitting, and for standard directions. */
  stage.setUp = (up) => {
    const now = new THREE.Vector3(...up).normalize();
    if (now.distanceTo(stage.camera.up) < 1e-6) return;
    for (const camera of [perspective, parallel]) camera.up.copy(now);
    const target = controls.target.clone();
    controls.dispose();
    controls = madeControls();
    controls.target.copy(target);
    controls.update();
    stage.invalidate();
  };

  /** Shadows of components on one another. */
  stage.setShadows = (on) => {
    if (renderer.shadowMap.enabled === on) return;
    renderer.shadowMap.enabled = lamp.castShadow = on;
    lamp.shadow.mapSize.set(2048, 2048);
    lamp.shadow.bias = -0.0005;
    for (const { surface } of items.values()) surface.material.needsUpdate = true;
  };

  /** See a millimetre at the middle of the view as so many pixels; and how many it is now. */
  stage.setScale = (pixels) => {
    const now = stage.scale();
    const arm = stage.camera.position.clone().sub(controls.target).multiplyScalar(now / pixels);
    look(controls.target.clone().add(arm), controls.target.clone());
  };
  stage.scale = () => 1 / stage.grain(controls.target.toArray());

  stage.lookFrom = (direction) => stage.fit(undefined, direction);

  /** Parallel or perspective, seeing the same height at the target. */
  stage.setProjection = (kind) => {
    const view = stage.view();
    stage.camera = controls.object = kind === "parallel" ? parallel : perspective;
    look(new THREE.Vector3(...view.eye), new THREE.Vector3(...view.target));
    box.dispatchEvent(new Event("projection"));
  };

  /** The view as it is, in the words of core's Camera. */
  stage.view = () => {
    const arm = stage.camera.position.clone().sub(controls.target);
    if (!stage.camera.isPerspectiveCamera) arm.divideScalar(parallel.zoom);
    const eye = controls.target.clone().add(arm);
    const projection = stage.camera.isPerspectiveCamera ? "perspective" : "parallel";
    const points = { eye: eye.toArray(), target: controls.target.toArray(), up: stage.camera.up.toArray() };
    return { ...points, projection, fov: perspective.fov };
  };

  /** Take on a view. */
  stage.setView = (view) => {
    if (view.up) stage.setUp(view.up);
    const kind = stage.camera.isPerspectiveCamera ? "perspective" : "parallel";
    if (view.projection !== kind) stage.setProjection(view.projection);
    perspective.fov = view.fov;
    look(new THREE.Vector3(...view.eye), new THREE.Vector3(...view.target));
  };

  canvas.addEventListener("pointerdown", (down) => {
    if (down.shiftKey) return;
    const up = (event) => {
      canvas.removeEventListener("pointerup", up);
      if (Math.hypot(event.clientX - down.clientX, event.clientY - down.clientY) <= CLICK) stage.click(event);
    };
    canvas.addEventListener("pointerup", up);
  });
  resize();
  return stage;
}

/** The eight corners of a box. */
export const cornersOf = ({ min, max }) => [0, 1, 2, 3, 4, 5, 6, 7].map((k) => new THREE.Vector3(k & 1 ? max.x : min.x, k & 2 ? max.y : min.y, k & 4 ? max.z : min.z));

/** Make a loaded node ours: plain shading with edges before faces, and its bounds at home. */
function adopt(object) {
  const path = object.userData.path;
  let surface = null;
  object.updateMatrix();
  object.matrixAutoUpdate = false;
  object.traverse((node) => {
    if (node.isMesh) {
      surface = node;
      const { color, side } = node.material;
      node.material = new THREE.MeshLambertMaterial({ color, side, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
      node.userData.owner = path;
    } else if (node.isLineSegments) {
      node.material = new THREE.LineBasicMaterial({ color: 0x1f2933 });
      node.raycast = () => {};
    }
  });
  surface.geometry.computeBoundingBox();
  const box = surface.geometry.boundingBox.clone().applyMatrix4(object.matrix);
  return { object, surface, home: object.matrix.clone(), box, motion: new THREE.Matrix4() };
}
