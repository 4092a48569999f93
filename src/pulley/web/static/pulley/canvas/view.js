// How a stage is looked at: its two cameras, turning by hand, fitting, and views in the words of core's Camera.

import * as THREE from "../../vendor/three/three.min.js";
import { cornersOf } from "./model.js";

const LEAN = 1e-5; // of a view's distance, by which one along up leans, so that its picture is not turned by chance

/** Let a `stage` be looked at. */
export function addView(stage) {
  const { box, canvas, items } = stage;
  const perspective = new THREE.PerspectiveCamera(35, 1, 1, 1e5);
  const parallel = new THREE.OrthographicCamera(-1, 1, 1, -1, 1, 1e5);
  let height = 1;
  let margin = 1; // of the tightest fit

  stage.camera = perspective;
  for (const camera of [perspective, parallel]) camera.up.set(0, 0, 1);
  perspective.position.set(1, -1, 1);
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

  const distance = () => stage.camera.position.distanceTo(controls.target);
  /** The point (3,) that is looked at, and how far the eye is from it. */
  stage.aim = () => ({ target: controls.target, distance: distance() });

  /** Keep the near and far planes close around what there is to see. */
  stage.setRange = () => {
    const ball = stage.bounds([...items.keys()], true).getBoundingSphere(new THREE.Sphere());
    const middle = stage.camera.position.distanceTo(ball.center);
    const reach = Math.max(ball.radius, 1) * 1.05;
    stage.camera.near = stage.camera.isPerspectiveCamera ? Math.max(middle - reach, middle * 0.002, 0.01) : middle - reach;
    stage.camera.far = Math.max(middle + reach, stage.camera.near * 2, 1);
    stage.camera.updateProjectionMatrix();
  };

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

  /** Fill a box of another size. */
  stage.setSize = (width, tall) => {
    height = Math.max(tall, 1);
    centre();
    perspective.aspect = width / height;
    setParallelFrame();
  };

  function setParallelFrame() {
    const tall = Math.tan(THREE.MathUtils.degToRad(perspective.fov / 2)) * distance();
    parallel.top = tall;
    parallel.bottom = -tall;
    parallel.left = -tall * perspective.aspect;
    parallel.right = tall * perspective.aspect;
  }

  /** How many mm a pixel is at a point. */
  stage.grain = (point) => {
    const tall = 2 * Math.tan(THREE.MathUtils.degToRad(perspective.fov / 2));
    if (!stage.camera.isPerspectiveCamera) return (tall * distance()) / parallel.zoom / height;
    return (tall * stage.camera.position.distanceTo(new THREE.Vector3(...point))) / height;
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
  stage.fitTo = (points, direction, angle = perspective.fov) => {
    perspective.fov = angle;
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

  /** The margin that core fits views with. */
  stage.setMargin = (wide) => { margin = wide; };

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
    if (!now.lengthSq() || now.distanceTo(stage.camera.up) < 1e-6) return;
    for (const camera of [perspective, parallel]) camera.up.copy(now);
    const target = controls.target.clone();
    controls.dispose();
    controls = madeControls();
    controls.target.copy(target);
    controls.update();
    stage.invalidate();
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
}
