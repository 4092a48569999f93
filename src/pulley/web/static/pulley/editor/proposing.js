// Proposed steps: asked for in a menu, shown on the canvas and in a list before they count, taken over or left.

import { newId } from "../ask.js";
import { find, onClick, targetOf } from "../dom.js";

/** `form` asks, `box` shows what comes; its Score plays on the canvas until it is taken over or left. */
export function createProposing({ store, stage, player, selection, server, lights }, form, box) {
  const [offers, offered] = [find("#offers-box"), find("#offered")];
  let asked = {};
  let good = {}; // what was asked for what is shown
  let seen = false; // a proposal, whose view is kept while steps of it are ticked and unticked

  function ask(more = {}, notice = box.hidden ? "#propose-error" : "#notice") { // the menu is closed by then
    return server.panel("POST", "Propose", offered, { ...asked, ...more }, notice, "morph:innerHTML");
  }

  /** A proposed Score on the canvas, at its end; or the teardown's own again. */
  function show(score, first) {
    const { state } = store;
    selection.choose([]);
    player.load(score ?? state.score, state.trails, state.hidden);
    player.seek(player.score.duration, false);
    if (first) stage.fit();
  }

  function clear() {
    asked = good = {};
    if (box.hidden) return;
    box.hidden = true;
    seen = false;
    offers.replaceChildren();
    offered.replaceChildren();
    stage.box.dataset.proposal = "";
    show(null);
  }

  /** What is picked in the preview counts at once, and stays while the rest follows. */
  function pick(change) {
    const picks = { stay: [], whole: [], reach: [], far: {}, sides: {}, ...JSON.parse(asked.picks ?? "{}") };
    change(picks);
    asked = { ...asked, picks: JSON.stringify(picks), run: newId() };
    ask();
  }

  const menu = form.closest("details");
  menu.addEventListener("toggle", () => menu.open && server.question("Ready").catch(() => {})); // a head start, no more
  form.addEventListener("change", () => box.hidden || form.requestSubmit()); // what is shown follows at once
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    find("#propose-error").textContent = "";
    const { manner = "compact", members = JSON.stringify(selection.paths()), picks = "{}" } = box.hidden ? {} : asked;
    offers.replaceChildren();
    asked = { ...Object.fromEntries(new FormData(form)), manner, members, picks, run: newId(), still: JSON.stringify(store.still) };
    ask();
  });
  offers.addEventListener("htmx:afterSwap", () => asked.run || offers.replaceChildren());
  offered.addEventListener("htmx:afterSwap", () => {
    if (!asked.run) return offered.replaceChildren(); // it was left while it was under way
    if (box.hidden) menu.open = false;
    box.hidden = false;
    box.parentElement.scrollTop = 0;
    const found = offered.querySelector("#proposed");
    if (found && asked.run !== good.run) {
      offers.replaceChildren();
      server.panel("POST", "Offers", offers, asked);
    }
    stage.box.dataset.proposal = found ? "shown" : "asked";
    if (found) {
      good = asked;
      show(JSON.parse(found.dataset.score), !seen);
    }
    seen = Boolean(found);
  });
  // refused: what was shown before counts again, without the wish that could not be
  box.addEventListener("htmx:afterRequest", (event) => {
    if (event.detail.xhr.status < 400) return;
    if (!good.run) clear();
    else if (asked.run !== good.run) {
      asked = good;
      for (const field of box.querySelectorAll("[data-far]")) field.value = field.defaultValue;
      if (!find("#proposed", box)) ask({}, ""); // why stays said
    }
  });
  onClick(box, {
    "[data-wish]": ({ dataset }) => pick((picks) => picks[dataset.wish].push(...selection.paths())),
    "[data-unwish]": ({ dataset, value }) =>
      pick((picks) => {
        const kind = dataset.unwish;
        if (Array.isArray(picks[kind])) picks[kind] = picks[kind].filter((path) => path !== value);
        else delete picks[kind][value];
      }),
    "[data-aside]": ({ dataset, value }) => pick((picks) => (picks.sides[dataset.aside] = value)),
    "[data-proposal=stop]": () => ask({ stop: "1" }),
    "[data-proposal=leave]": clear,
    "[data-proposal=accept]": () => server.edit("accept", { ...asked, steps: ticked() }),
  });
  const ticked = () => JSON.stringify([...box.querySelectorAll("[name=proposed]:checked")].map((tick) => tick.getAttribute("value")));
  offered.addEventListener("change", (event) => {
    const field = targetOf(event);
    if (field.name === "proposed") ask({ ticked: ticked() });
    if (field.dataset.far) pick((picks) => (picks.far[field.dataset.far] = field.value));
  });
  offers.addEventListener("change", (event) => {
    asked = { ...asked, manner: targetOf(event).value };
    seen = false;
    ask();
  });
  lights.follow(box, "[data-members]", (line) => JSON.parse(line.dataset.members));
  store.on("changed", clear);
  return { shown: () => !box.hidden };
}
