// The editor page: ties the canvas, the panels that the server draws, and the keyboard together.

import * as THREE from "../vendor/three/build/three.module.js";
import { ask, prefer } from "./ask.js";
import { createBends } from "./canvas/bends.js";
import { createDoglegs } from "./canvas/doglegs.js";
import { createLook } from "./canvas/look.js";
import { createMarquee } from "./canvas/marquee.js";
import { createNumbers } from "./canvas/numbers.js";
import { createPointing } from "./canvas/pointing.js";
import { createRose } from "./canvas/rose.js";
import { createSnagMarks } from "./canvas/snags.js";
import { createStage } from "./canvas/stage.js";
import { createTrails } from "./canvas/trails.js";
import { wireTurning } from "./canvas/turning.js";
import { createPalette, listCommands } from "./commands.js";
import { keepFresh } from "./freshness.js";
import { createGuide } from "./guide.js";
import { wireHints } from "./hints.js";
import { wireKeys } from "./keys.js";
import { tell } from "./outbox.js";
import { showInstant, wirePlayback } from "./playback.js";
import { createPlayer } from "./player.js";
import { say } from "./page.js";
import { askVerdict, wirePanels } from "./panels.js";
import { createPointTasks } from "./point_tasks.js";
import { wireRunChart } from "./runchart.js";
import { viewAt } from "./score.js";
import { createProposing } from "./proposing.js";
import { createSeen } from "./seen.js";
import { createSelection, wireLedger } from "./selection.js";
import { wireSteps } from "./steps.js";
import { createTable } from "./table.js";
import { begun } from "./underway.js";

import { createWays } from "./ways.js";

const { htmx } = window;
const $ = (selector) => document.querySelector(selector);
const UNITS = { mm: 1, cm: 10, in: 25.4 };

const editor = $("#editor");
const canvas = $("#canvas");
const overlay = $("#overlay");
const stage = createStage(canvas, $("#drawing"));
const trails = createTrails(stage);
const player = createPlayer(stage, trails, showTime);
const app = { editor, canvas, stage, player, state: null, still: [] };
let openStep = "";
let before = null; // what was hidden before only the selection was shown
let lastChosen = [];
let under = 0;
let pointer = null;

app.selection = createSelection(selectionChanged);
const { selection } = app;

/** Ask for a change; the server answers with every panel, or a refusal in `notice`. */
app.edit = (verb, values, notice = "#notice") =>
  htmx
    .ajax("POST", editor.dataset.atEdit.replace("VERB", verb), { source: editor, swap: "none", values, headers: { "X-Notice": notice } })
    .catch(() => {}); // what could not be sent waits, and what was refused says so

/** The leaves that paths stand for: a subassembly's are those below it. */
app.leaves = (paths) => {
  const wanted = new Set(paths);
  return [...stage.items.keys()].filter((leaf) => {
    for (let at = leaf.length; at > 0; at = leaf.lastIndexOf("/", at - 1)) if (wanted.has(leaf.slice(0, at))) return true;
    return false;
  });
};

app.light = (paths) => {
  stage.lit = new Set(app.leaves(paths));
  stage.invalidate();
};

/** A length in mm in the user's unit, with its name. */
app.words = (mm) => `${Math.round((mm / UNITS[app.state.unit]) * 1e4) / 1e4} ${app.state.unit}`;

app.ways = createWays(app, $("#ways"), overlay);
app.table = createTable(app, $("#table"));
app.guide = createGuide($("#guide"));
app.seen = createSeen(app, $("#seen"));
app.proposing = createProposing(app, $("#propose-form"), $("#proposal"), showProposed);
const pointing = createPointing($("#pointing"), overlay, stage, (values) => ask(editor.dataset.atPoint, { ...values, after: player.stepsDone() }));
const bends = createBends(overlay, stage, { onMove: previewBends, onDone: bendDone, words: (mm) => app.words(mm) });
const numbers = createNumbers(overlay, stage);
const look = createLook(stage);
const doglegs = createDoglegs(overlay, stage, (leg, span, by) => app.edit("jog", { members: JSON.stringify(selection.paths()), leg, span: JSON.stringify(span), by: JSON.stringify(by) }));
const crossingMarks = createSnagMarks(overlay, stage, "crossing");
const snagMarks = createSnagMarks(overlay, stage);
wirePanels(editor, app.edit, (id) => app.openCard(id));
const redrawChart = wireRunChart($(".bottom"), app.edit, (id) => app.openCard(id));
const redrawLedger = wireLedger(selection, app.edit);
const redrawSteps = wireSteps(app, $(".left"));
const redrawHints = wireHints($("#hint"), () => $("#hints-wanted").getAttribute("aria-pressed") === "true");
app.point = createPointTasks(app, pointing);
app.pointForWays = () => app.ways.open() && app.point(["turn", "outward"].includes(app.ways.kind) ? "axis" : "way");
const rose = createRose($("#rose"), stage);
createMarquee(canvas, stage, (paths, add) => selection.choose(paths, add));

function selectionChanged(paths) {
  if (paths.length) lastChosen = paths;
  app.light(paths);
  app.ways.close();
  bends.clear();
  showTrailHandles();
  if (!paths.length || app.proposing.shown()) return;
  player.pause();
  app.ways.ask();
  if (new Set(app.leaves(paths).map(partOf)).size === 1 && app.leaves(paths).length > 1) app.guide.happened("same");
}

/** A proposed Score on the canvas, at its end; or the teardown's own again. */
function showProposed(score, first) {
  const { state } = app;
  selection.choose([]);
  app.ways.close();
  player.load(score ?? state.score, state.trails, state.hidden);
  $("#scrub").max = player.score.duration;
  player.seek(player.score.duration, false);
  if (first) stage.fit();
}

/** The middle of each leg of the trail of the one component that is selected, once everything is exploded. */
function showTrailHandles() {
  const crossings = JSON.parse($("#state").dataset.crossings);
  const leaves = app.leaves(selection.paths());
  const atEnd = player.time >= player.score.duration - 1e-6;
  const wanted = atEnd ? crossings.filter((found) => leaves.includes(found.component)) : [];
  crossingMarks.show(wanted.map((found) => ({ point: found.point, words: `through ${found.blocker.split("/").at(-1)}` })));
  const trail = leaves.length === 1 && atEnd && app.state.trails && player.score.trails.find(({ component }) => component === leaves[0]);
  if (!trail || player.spread !== 1) doglegs.clear();
  else doglegs.show(trail, [trail.origin, ...trail.points.map(([, point]) => point)], app.state.pitch);
}

app.waysShown = showTrailHandles; // over the rails

const partOf = (path) => stage.items.get(path)?.object.userData.part;
app.lastSelection = () => (selection.paths().length ? selection.paths() : lastChosen);

app.selectSamePart = () => {
  const wanted = new Set(app.leaves(selection.paths()).map(partOf));
  if (wanted.size) selection.choose([...stage.items.keys()].filter((path) => wanted.has(partOf(path)) && !app.state.hidden.includes(path)));
};
app.selectAll = () => selection.choose([...stage.items.keys()].filter((path) => !app.state.hidden.includes(path)));
app.selectUnder = () => {
  if (!pointer) return;
  const paths = stage.pick(pointer);
  if (!paths.length) return;
  under = selection.paths()[0] === paths[under % paths.length] ? under + 1 : 0;
  selection.choose([paths[under % paths.length]]);
};
app.selectLevel = () => {
  const paths = selection.paths();
  if (paths.length) app.chooseSet(paths.some((path) => !stage.items.has(path)) ? "inside" : "holder");
};

/** A selection that Python works out from the present one. */
app.chooseSet = async (what, values = {}) => {
  const about = { members: JSON.stringify(selection.paths()), after: player.stepsDone(), direction: JSON.stringify(app.ways.aim), still: JSON.stringify(app.still) };
  try {
    const { members } = await ask(editor.dataset.atChoose.replace("WHAT", what), { ...about, ...values });
    const more = members.some((path) => !selection.paths().includes(path)) || members.length < selection.paths().length;
    if (members.length && more) selection.choose(members);
    else say(what === "riders" ? "Nothing sits on it that it would carry along." : "There is nothing there to select.");
  } catch (error) {
    say(error.message);
  }
};

app.holdStill = () => {
  app.still = selection.paths();
  canvas.dataset.still = JSON.stringify(app.still);
  say(app.still.length ? "Held still: bring along leaves it where it is." : "Nothing is held still any more.");
};
app.showOnly = () => {
  if (before) {
    app.edit("only-back", { members: JSON.stringify(before) });
    before = null;
  } else if (selection.paths().length) {
    before = app.state.hidden;
    app.edit("show-only", { members: JSON.stringify(selection.paths()) });
  }
};
app.flip = () => {
  app.ways.close();
  player.pause();
  player.seek(player.time > 0 ? 0 : player.score.duration, false);
};
/** The whole window for the model and its captions; Escape leaves it. */
app.presenting = (on) => {
  document.body.classList.toggle("presenting", on);
  canvas.dataset.presenting = String(on);
  if (on) selection.choose([]);
};
app.present = () => {
  const on = !document.body.classList.contains("presenting");
  app.presenting(on);
  if (on) document.documentElement.requestFullscreen?.().catch(() => {}); // where that is refused the window is enough
  else if (document.fullscreenElement) document.exitFullscreen();
};
/** A change to what is selected, from the view menu. */
app.ofSelection = (button) => {
  if (!selection.paths().length) return say("Select a component first.");
  const { ofSelection, withPoints } = button.dataset;
  const values = { members: JSON.stringify(selection.paths()), value: button.value };
  return app.edit(ofSelection, withPoints ? { ...values, points: withPoints } : values, "#look-error");
};
app.fit = (what) => {
  const { home } = app.state;
  if (what === "home") return home ? stage.setView(home) : stage.quarter();
  const moving = app.leaves(app.state.members[openStep] ?? []);
  return stage.fit(moving.length ? moving : Object.keys(app.state.score.tracks));
};
app.viewHere = () => openStep && app.edit("view-here", { step: openStep, view: JSON.stringify(stage.view()) }, `#error-${openStep}`);
/** A camera move by itself, without the steps. */
app.tryOrbit = (id) => {
  const { shots, seconds } = app.state.orbits[id];
  const from = stage.view();
  const since = performance.now();
  let stopped = false;
  const forget = begun(() => {
    stopped = true;
    canvas.dataset.trying = "";
    stage.setView(from);
  });
  const swing = (now) => {
    if (stopped) return;
    const time = Math.min(((now - since) / 1000) * player.speed, seconds);
    stage.setView(viewAt(shots, Math.max(time, 1e-6), from));
    canvas.dataset.trying = time < seconds ? id : "";
    if (time < seconds) requestAnimationFrame(swing);
    else forget();
  };
  requestAnimationFrame(swing);
};
app.openCard = (id) => htmx.ajax("GET", editor.dataset.atState, { source: editor, swap: "none", values: { open: id } });
app.openNext = (by) => {
  const ids = app.state.score.steps.map((step) => step.id);
  if (ids.length) app.openCard(ids[(ids.indexOf(openStep) + by + ids.length + (openStep ? 0 : by < 0 ? 1 : 0)) % ids.length]);
};
app.escape = () => {
  if (pointing.active()) return pointing.stop();
  if (document.body.classList.contains("presenting")) return app.present();
  selection.choose([]);
};

function showTime(time) {
  showInstant(player, time);
  if (player.playing) app.guide.happened("played");
}

/** Take on what the server says; a step just opened is shown at its end, with its members lit. */
function takeState() {
  const text = $("#state").dataset.json;
  const open = $("#page-state [name=open]").value;
  const changed = app.state?.text !== text;
  const steps = app.state?.score.steps.length;
  app.state = { ...JSON.parse(text), text };
  const { state } = app;
  if (changed) {
    app.proposing.clear();
    app.ways.close();
    stage.setUp(state.up);
    rose.directions = state.directions;
    trails.style(state.line);
    look.apply(state.look, state.tints);
    player.load(state.score, state.trails, state.hidden);
    if (steps !== undefined && state.score.steps.length > steps) app.guide.happened("made");
  }
  const opened = open !== openStep;
  if (opened) {
    openStep = open;
    const bar = state.score.steps.find((step) => step.id === open);
    if (bar) player.seek(bar.end);
    document.getElementById(`card-${open}`)?.scrollIntoView({ block: "nearest" });
    selection.choose(open ? (state.members[open] ?? []) : [], false, false);
    app.ways.close();
  }
  app.light(selection.paths());
  const snags = JSON.parse($("#state").dataset.snags)[openStep] ?? [];
  stage.snagged = new Set(snags.flatMap((snag) => [snag.moving, snag.blocker]));
  snagMarks.show(snags);
  showTrailHandles();
  if (changed || opened) showHandles();
  redrawLedger();
  if (changed) app.seen.clear();
  else app.seen.redraw();
  redrawSteps();
  redrawChart();
  redrawHints();
  tell();
  if (changed) app.table.draw();
  showTime(player.time);
  canvas.dataset.revision = state.revision;
  askVerdict(editor);
}

/** On the open step: a handle at the end of each leg, and the order of a fan. */
async function showHandles() {
  bends.clear();
  numbers.clear();
  const { state } = app;
  const members = state.members[openStep] ?? [];
  const bar = state.score.steps.find((step) => step.id === openStep);
  if (!bar || Math.abs(player.time - bar.end) > 1e-6) return;
  const ranks = state.fans[openStep];
  if (ranks) numbers.show(members.map((member, k) => ({ paths: app.leaves([member]).slice(0, 1), text: String(ranks[k] + 1) })));
  if (!state.legged.includes(openStep)) return;
  const { revision } = state;
  const { legs } = await ask(editor.dataset.atLegs.replace("STEP", openStep), {}).catch(() => ({ legs: [] }));
  if (app.state.revision !== revision || openStep !== bar.id || Math.abs(player.time - bar.end) > 1e-6 || app.ways.open()) return;
  const first = app.leaves(members.slice(0, 1));
  const gone = legs.reduce((sum, leg) => sum.map((v, k) => v + leg.direction[k] * leg.length), [0, 0, 0]);
  const middle = stage.bounds(first, true).getCenter(new THREE.Vector3()).sub(new THREE.Vector3(...gone));
  bends.show(legs, middle, state.pitch);
}

/** While a handle is dragged, the members stand where the legs now end. */
function previewBends(legs) {
  const by = [0, 1, 2].map((k) => legs.reduce((sum, leg) => sum + leg.direction[k] * (leg.now - leg.length), 0));
  for (const path of app.leaves(app.state.members[openStep])) {
    stage.move(path, player.matrixOf(path).premultiply(new THREE.Matrix4().makeTranslation(...by)));
  }
}

function bendDone(leg, mm, count) {
  const value = `${mm} mm`;
  const straight = !app.state.paths[openStep];
  app.edit(straight && count === 1 ? "distance" : "leg", { step: openStep, leg, value });
}

function wireCanvas() {
  canvas.addEventListener("picked", ({ detail: { path, again, add } }) => {
    player.pause();
    under = 0;
    if (again && !add) app.selectSamePart();
    else if (path) selection.choose([path], add);
    else if (!add) selection.choose([]);
  });
  canvas.addEventListener("pointermove", (event) => {
    pointer = { clientX: event.clientX, clientY: event.clientY };
  });
  canvas.addEventListener("projection", () => {
    $("#projection").setAttribute("aria-pressed", String(!stage.camera.isPerspectiveCamera));
  });
  wireTurning(stage, () => app.guide.happened("turned"));
  $("#fit").addEventListener("click", () => stage.fit());
  $("#projection").addEventListener("click", () => stage.setProjection(stage.camera.isPerspectiveCamera ? "parallel" : "perspective"));
  $("#ways").addEventListener("click", (event) => {
    const task = event.target.closest("[data-point]");
    if (task) app.point(task.dataset.point);
  });
}

function wirePlayer() {
  const { go, setSpread } = wirePlayback(player, () => {
    app.ways.close();
    bends.clear();
    doglegs.clear();
  });
  Object.assign(app, { go, setSpread });
  $("#present").addEventListener("click", app.present);
  document.addEventListener("fullscreenchange", () => document.fullscreenElement || app.presenting(false));
}

/** The step that plays at this instant, and which share of its time has passed. */
function instant() {
  const bar = player.score.steps.findLast((step) => step.start < player.time - 1e-9 && step.end > step.start);
  return bar ? { at_step: bar.id, share: JSON.stringify([Math.min((player.time - bar.start) / (bar.end - bar.start), 1)]) } : {};
}

function wireButtons() {
  editor.addEventListener("click", (event) => {
    const at = (selector) => event.target.closest(selector);
    if (at("[data-camera]")) stage.setView(app.state.cameras[at("[data-camera]").dataset.camera]);
    if (at("[data-ask]")) htmx.trigger(`#${at("[data-ask]").dataset.ask}er`, `${at("[data-ask]").dataset.ask}-asked`);
    if (at("#undo")) app.guide.happened("undone");
    if (at("[data-save-view]")) app.edit("save-view", { view: JSON.stringify(stage.view()), camera: at("[data-save-view]").dataset.saveView });
    if (at("[data-from]")) stage.lookFrom(app.state.directions[at("[data-from]").dataset.from]);
    if (at("[data-fit]")) app.fit(at("[data-fit]").dataset.fit);
    if (at("[data-bearing]")) app.edit("bearings", { which: at("[data-bearing]").dataset.bearing, view: JSON.stringify(stage.view()) }, "#look-error");
    if (at("[data-home-here]")) app.edit("home-here", { view: JSON.stringify(stage.view()) }, "#look-error");
    if (at("button[data-of-selection]")) app.ofSelection(at("[data-of-selection]"));
    if (at("[data-task]")) {
      app.point(at("[data-task]").dataset.task);
      at("details.menu").open = false; // what is pointed at may lie behind it
    }
    if (at("[data-better]")) app.seen.better(at("[data-better]").dataset.better);
    if (at("[data-look]")) stage.setView(JSON.parse(at("[data-look]").dataset.look));
    if (at("[data-view-here]")) app.viewHere();
    if (at("[data-try]")) app.tryOrbit(at("[data-try]").dataset.try);
    if (at("#keep-pose")) app.edit("keep-pose", instant());
    if (at("[data-pose]")) {
      app.ways.close();
      player.pause();
      player.seek(app.state.poses[at("[data-pose]").dataset.pose], false);
    }
    if (at("#hints-wanted")) prefer({ hints: $("#hints-wanted").getAttribute("aria-pressed") === "true" ? "off" : "on" });
    if (at("#open-table")) app.table.toggle();
    if (at("#open-commands")) app.palette();
    if (at("#show-guide")) app.guide.resume();
    for (const menu of document.querySelectorAll("details.menu[open], .view-menu[open]")) {
      if (!menu.contains(event.target)) menu.open = false;
    }
  });
  editor.addEventListener("change", (event) => {
    if (event.target.matches("input[data-of-selection]")) app.ofSelection(event.target);
    if (event.target.id === "scale" && Number(event.target.value) > 0) stage.setScale(Number(event.target.value));
    if (event.target.id === "unit-wanted") prefer({ unit_wanted: event.target.value });
    if (event.target.id === "pitch-wanted") prefer({ pitch: event.target.value });
  });
}

async function begin() {
  const commands = listCommands(app);
  app.palette = createPalette($("#commands"), () => commands);
  commands.find(({ keys }) => keys === "?").run = app.palette;
  wireCanvas();
  wirePlayer();
  wireButtons();
  wireKeys(commands, app.ways);
  try {
    await stage.load(editor.dataset.model);
  } catch {
    $("#loading").textContent = "The model could not be loaded. Reload the page; nothing was changed.";
    return say("The model could not be loaded. Reload the page; nothing was changed.");
  }
  trails.scaleTo(stage.bounds([...stage.items.keys()]));
  takeState();
  player.seek(player.score.duration, false);
  stage.quarter();
  $("#loading").hidden = true;
  document.body.addEventListener("teardown-changed", takeState);
  keepFresh(app);
  stage.canvas.addEventListener("drawn", () => { canvas.dataset.ready = "true"; }, { once: true });
  stage.invalidate();
  window.pulley = { stage, player, selection }; // for the curious and for tests; nothing here reads it
}

begin();
