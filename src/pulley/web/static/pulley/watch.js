// A shared teardown: to be turned, played and looked at step by step, and nothing else.

import { createRose } from "./canvas/rose.js";
import { find } from "./dom.js";
import { createWatching } from "./play/watching.js";

const state = JSON.parse(find("#state").dataset.json);
const { stage, open } = createWatching(state);
createRose(find("#rose"), stage).directions = state.directions;

open(() => find("#watch").dataset.model, "The model could not be loaded. Reload the page.");
