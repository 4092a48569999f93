// The editor page: each capability is made here and given what it needs. What they share is the store, the scene and
// the selection; who wants to hear of a change says so there.

import { createMarquee } from "../canvas/marquee.js";
import { createPointing } from "../canvas/pointing.js";
import { createRose } from "../canvas/rose.js";
import { find } from "../dom.js";
import { tell } from "../outbox.js";
import { say } from "../page.js";
import { showInstant } from "../play/playback.js";
import { createScene } from "../play/scene.js";
import { createCards } from "./cards.js";
import { createChoosing } from "./choosing.js";
import { listCommands, wirePalette } from "./commands.js";
import { keepFresh } from "./freshness.js";
import { createGuide } from "./guide.js";
import { createFollowing } from "./following.js";
import { createHandles } from "./handles.js";
import { wireKeys } from "./keys.js";
import { wireLedger } from "./ledger.js";
import { createLights } from "./lights.js";
import { askVerdict, wirePanels } from "./panels.js";
import { createPlaying } from "./playing.js";
import { createPointTasks } from "./point_tasks.js";
import { wirePreferences } from "./preferences.js";
import { createProposing } from "./proposing.js";
import { wireRunChart } from "./runchart.js";
import { createRoom } from "./room.js";
import { createSeen } from "./seen.js";
import { createSelection } from "./selection.js";
import { createServer } from "./server.js";
import { wireSteps } from "./steps.js";
import { createStore } from "./store.js";
import { createTable } from "./table.js";
import { createViewing } from "./viewing.js";
import { createWays } from "./ways.js";

const editor = find("#editor");
const canvas = find("#canvas");
const overlay = find("#overlay");

const server = createServer(editor);
const store = createStore();
const scene = createScene(canvas, find("#drawing"), showTime);
const { stage, player } = scene;
const rose = createRose(find("#rose"), stage);
store.on("changed", () => {
  scene.take(store.state);
  rose.directions = store.state.directions;
});
const selection = createSelection();
const guide = createGuide(store, find("#guide"));
const room = createRoom(stage, editor, () => !find("#ways").hidden || !find("#seen").hidden);
const shared = { store, scene, stage, player, selection, server, guide, room };
const following = createFollowing(shared);

const lights = createLights(stage, selection);
const choosing = createChoosing(shared);
const cards = createCards(shared);
const handles = createHandles({ ...shared, lights, busy: () => ways.open() }, overlay);
const ways = createWays({ ...shared, choosing, onShown: handles.showTrail, onRoom: room.heed }, find("#ways"), overlay);
const table = createTable(shared, find("#table"));
const seen = createSeen({ ...shared, onAsked: ways.close, onRoom: room.heed }, find("#seen"));
const proposing = createProposing({ ...shared, lights }, find("#propose-form"), find("#proposal"));
const viewing = createViewing(shared);
const playing = createPlaying({ ...shared, before: clearCanvas, atAnEnd: following.atAnEnd });
const pointing = createPointing(find("#pointing"), overlay, stage, (values) => server.question("Point", { ...values, after: player.stepsDone() }));
const point = createPointTasks({ ...shared, choosing, ways }, pointing);
createMarquee(canvas, stage, selection.choose);

selection.heed((paths) => {
  ways.close();
  if (!paths.length || proposing.shown()) return;
  player.pause();
  ways.ask();
  if (choosing.alike() > 1) guide.happened("same");
});

/** What is shown of what may be done at one instant goes when another is shown. */
function clearCanvas() {
  ways.close();
  handles.clear();
}

function showTime(time) {
  showInstant(player, time);
  if (player.playing) guide.happened("played");
}

function escape() {
  if (pointing.active()) pointing.stop();
  else if (viewing.presented()) viewing.present();
  else selection.choose([]);
}

function wirePage() {
  wireLedger({ ...shared, pointing }, find("#side"));
  wireSteps({ ...shared, lights, point }, find(".left"));
  wirePanels(editor, server.edit, cards.open);
  wirePreferences(editor, store);
  store.on("drawn", wireRunChart(find(".bottom"), server.edit, cards.open));
  store.on("drawn", room.unfoldTopics);
  const commands = listCommands({ ...shared, choosing, viewing, playing, cards, ways, seen, table, point, escape });
  wirePalette(find("#commands"), commands);
  wireKeys(commands, ways, canvas);
  store.on("drawn", () => {
    document.title = `${find("#teardown-name").value}, ${editor.dataset.assembly} · Pulley`;
    tell();
    showTime(player.time);
    canvas.dataset.revision = store.state.revision;
    askVerdict(editor);
  });
}

async function begin() {
  wirePage();
  try {
    await scene.load(editor.dataset.model);
  } catch {
    find("#loading").textContent = "The model could not be loaded. Reload the page; nothing was changed.";
    return say("The model could not be loaded. Reload the page; nothing was changed.");
  }
  store.take();
  scene.begin(store.state);
  find("#loading").hidden = true;
  document.body.addEventListener("teardown-changed", store.take);
  keepFresh(store, server);
  window.pulley = { stage, player, selection }; // for the curious and for tests; nothing here reads it
}

begin();
