// How a stage is looked at: its two cameras, turning by hand, fitting, and views in the words of core's Camera.

import * as THREE from "../../vendor/three/three.min.js";
import { cornersOf } from "./model.js";

const LEAN = 1e-5; // of a view's distance, by which one along up leans, so that its picture is not turned by chance

const FOV = 35; // degrees
const FRAMED = 4 / 3; // width over height of what views are for that do not say
const MOST = 4; // half the height that may be seen at 1 from the eye
const tangent = (angle) => Math.tan(THREE.MathUtils.degToRad(angle / 2));
const degrees = (tall) => 2 * THREE.MathUtils.radToDeg(Math.atan(tall));

/** Let a `stage` be looked at. */
export function addView(stage) {
  const { box, canvas, items } = stage;
  const perspective = new THREE.PerspectiveCamera(FOV, 1, 1, 1e5);
  const parallel = new THREE.OrthographicCamera(-1, 1, 1, -1, 1, 1e5);
  let [width, height] = [1, 1]; // of the box, in pixels
  let coming = { left: 0, right: 0 };
  let framed = { aspect: FRAMED, tall: tangent(FOV) }; // what the view is for: width over height, half its height at 1 from the eye
  let area = { x: 0, y: 0, wide: 1, tall: 1 };
  let places = [area]; // `areas()` as they were when the room changed last
  let margin = 1; // of the tightest fit

  stage.camera = perspective;
  for (const camera of [perspective, parallel]) camera.up.set(0, 0, 1);
  perspective.position.set(1, -1, 1);
  /** @type {["change" | "start" | "end", () => void][]} */
  const heard = [["change", () => stage.refresh()]]; // what is told of turning by hand
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

  /** How far what lies at the edges of the box (`data-edge`) reaches into it, in pixels. */
  function edges() {
    const place = box.getBoundingClientRect();
    const reach = { top: 0, foot: 0, left: 0, right: 0 };
    for (const bar of document.querySelectorAll("[data-edge]")) {
      const own = bar.getBoundingClientRect();
      const apart = own.left >= place.right || own.right <= place.left || own.top >= place.bottom || own.bottom <= place.top;
      if (!own.width || apart) continue;
      const side = bar.getAttribute("data-edge");
      const far = { top: own.bottom - place.top, foot: place.bottom - own.top, left: own.right - place.left, right: place.right - own.left };
      reach[side] = Math.max(reach[side], far[side]);
    }
    const most = (a, b, size) => (reach[a] + reach[b] < size / 2 ? [reach[a], reach[b]] : [0, 0]);
    return [...most("left", "right", width), ...most("top", "foot", height)];
  }

  /** Where the model may be shown, each with the place of its middle from that of the box and its size, in pixels:
   * what nothing lies on, about its middle; and the same less what may come to lie on it. */
  function areas() {
    const [left, right, top, foot] = edges();
    const tall = height - top - foot;
    const [from, to] = [left + coming.left, width - right - coming.right];
    const middle = (left + width - right) / 2;
    const y = (top - foot) / 2;
    const about = { x: middle - width / 2, y, wide: 2 * Math.min(middle - from, to - middle), tall };
    return coming.left + coming.right ? [about, { x: (from + to - width) / 2, y, wide: to - from, tall }] : [about];
  }

  /** What may come to lie on the canvas from its sides, in pixels: the model keeps clear of it. */
  stage.keepFree = (sides) => {
    coming = { left: 0, right: 0, ...sides };
    measure();
  };

  /** How large a rectangle of a width over height becomes in an area. */
  const scaleIn = ({ wide, tall }, aspect) => Math.min(wide / aspect, tall);

  function measure() {
    places = areas();
    arrange();
  }

  /** Show `framed`, the rectangle that the view is for, as large as there is room. */
  function arrange() {
    area = places.reduce((best, each) => (scaleIn(each, framed.aspect) > scaleIn(best, framed.aspect) + 1e-6 ? each : best));
    perspective.fov = degrees(Math.min((framed.tall * height) / scaleIn(area, framed.aspect), MOST));
    for (const camera of [perspective, parallel]) camera.setViewOffset(width, height, -area.x, -area.y, width, height);
    setParallelFrame();
    stage.refresh();
  }

  /** From now on the view is for all that can be seen of it. */
  const frameAll = () => {
    framed = { aspect: area.wide / area.tall, tall: (tangent(perspective.fov) * area.tall) / height };
  };
  stage.heed("end", () => controls.enabled && frameAll()); // not of one that Escape takes back

  /** What is framed: its width over its height, and the angle in which it is seen. */
  stage.clear = () => ({ aspect: framed.aspect, fov: degrees(framed.tall) });

  /** Whether points are seen where nothing lies on the canvas, or may come to. */
  stage.seesAll = (points) => points.every((point) => {
    const { x, y, ahead } = stage.project(point);
    return ahead && Math.abs(x - width / 2 - area.x) <= area.wide / 2 && Math.abs(y - height / 2 - area.y) <= area.tall / 2;
  });

  /** Fill a box of another size. */
  stage.setSize = (wide, tall) => {
    [width, height] = [Math.max(wide, 1), Math.max(tall, 1)];
    perspective.aspect = width / height;
    measure();
  };

  function setParallelFrame() {
    const tall = tangent(perspective.fov) * distance();
    parallel.top = tall;
    parallel.bottom = -tall;
    parallel.left = -tall * perspective.aspect;
    parallel.right = tall * perspective.aspect;
  }

  /** How many mm a pixel is at a point. */
  stage.grain = (point) => {
    const tall = 2 * tangent(perspective.fov);
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

  /** Fit the view to points, as core does, in what nothing lies on: to the middle of their bounds, with core's margin. */
  stage.fitTo = (points, direction, angle = degrees(framed.tall)) => stage.setView(stage.fitted(points, direction, angle));

  /** The view that `fitTo` takes on. */
  stage.fitted = (points, direction, angle = degrees(framed.tall)) => {
    const bounds = points.length ? new THREE.Box3().setFromPoints(points) : new THREE.Box3(new THREE.Vector3(-1, -1, -1), new THREE.Vector3(1, 1, 1));
    const target = bounds.getCenter(new THREE.Vector3());
    const back = (direction ? new THREE.Vector3(...direction) : stage.camera.position.clone().sub(controls.target)).normalize();
    const [right, up] = across(back);
    const needed = (aspect) => Math.max(1e-3, ...(points.length ? points : cornersOf(bounds)).map((point) => {
      const arm = point.clone().sub(target);
      const aside = Math.max(Math.abs(arm.dot(up)), Math.abs(arm.dot(right)) / aspect) / tangent(angle);
      return (stage.camera.isPerspectiveCamera ? arm.dot(back) : 0) + margin * aside;
    }));
    const aspects = places.map(({ wide, tall }) => wide / tall);
    const aspect = aspects.reduce((best, each) => (needed(each) < needed(best) - 1e-9 ? each : best));
    const eye = target.clone().addScaledVector(back, needed(aspect));
    return { ...stage.view(), eye: eye.toArray(), target: target.toArray(), fov: angle, aspect };
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
    stage.refresh();
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
    stage.refresh();
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
    return { ...points, projection, fov: degrees(framed.tall), aspect: framed.aspect };
  };

  /** Take on a view. */
  stage.setView = (view) => {
    if (view.up) stage.setUp(view.up);
    const kind = stage.camera.isPerspectiveCamera ? "perspective" : "parallel";
    if (view.projection !== kind) stage.setProjection(view.projection);
    framed = { aspect: view.aspect ?? FRAMED, tall: tangent(view.fov) };
    arrange();
    look(new THREE.Vector3(...view.eye), new THREE.Vector3(...view.target));
  };
}
