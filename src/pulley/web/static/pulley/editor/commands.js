// Everything that can be done, in words and with its keys: the keyboard and the searchable list both read it.

import { prefer } from "../ask.js";
import { find, onClick } from "../dom.js";

const DISPLAYS = { edges: "shaded with edges", shaded: "shaded", lines: "as a line drawing", dashed: "as a line drawing, hidden lines dashed" };
const UNITS = ["mm", "cm", "in"];
const SNAPS = { auto: "Drags snap to what suits the assembly", off: "Drags snap to nothing" };

/** What commands are looked for by, too: how each begins, and other words for it. @type {[string, string][]} */
const ALSO = [
  ["Explode", "take apart disassemble play animate"],
  ["Collapse", "assemble put together play back"],
  ["Present", "fullscreen full screen show"],
  ["Can everything be seen", "visible hidden occluded"],
  ["Fit", "zoom frame show all"],
  ["Home view", "reset camera default"],
  ["Parallel", "orthographic projection camera"],
  ["Trail lines", "leader flow dashed"],
  ["Save this view", "camera bookmark viewpoint"],
  ["Keep this pose", "snapshot state arrangement"],
  ["Select all of the same part", "identical copies alike"],
  ["Hold the selection still", "fix ground lock pin anchor"],
  ["Search names", "find part component"],
  ["Clear the selection", "deselect none cancel stop"],
  ["Keep the selection as a bundle", "group set"],
  ["Hide", "invisible remove from view"],
  ["Show only", "isolate solo"],
  ["Show everything", "unhide visible all"],
  ["Straight", "move translate linear axis"],
  ["Fan", "spread evenly distribute spacing stack"],
  ["Outward", "radial circle explode"],
  ["Turn", "rotate rotation spin screw unscrew thread angle"],
  ["Path", "route legs waypoints around"],
  ["Point at a direction", "pick axis normal"],
  ["Place it", "mate align assemble position"],
  ["Send home", "reset back assembled"],
  ["The other way", "reverse flip opposite direction"],
  ["Same motion for the matches", "repeat copy pattern identical all"],
  ["Duplicate", "copy clone"],
  ["Step off or on", "disable suppress skip"],
  ["Delete the step", "remove erase"],
  ["Propose", "automatic auto suggest generate"],
  ["All travels as a table", "spreadsheet list distances edit"],
  ["Undo", "back revert take back mistake"],
  ["Redo", "again forward repeat"],
  ["History", "versions changes log earlier"],
  ["Hints", "help tips tooltips"],
  ["Show the guide", "help tutorial first steps learn"],
  ["Measure", "distance angle radius diameter length size ruler dimension"],
  ["Draw", "display style shaded wireframe lines hidden look"],
  ["Lengths in", "unit units millimetres inches centimetres"],
  ["Drags snap", "grid snap snapping pitch step round"],
  ["Keep what moved in view", "follow camera automatic zoom"],
];

const press = (selector) => {
  const button = find(selector);
  if (!button || button.disabled) return false;
  button.click();
  return true;
};
const toggle = (selector) => {
  const menu = find(selector);
  menu.open = !menu.open;
};
/** The step whose card has the keyboard, else the open one. */
const inHand = () => document.activeElement?.closest(".step-card")?.getAttribute("data-step") ?? open();
const open = () => find("#page-state [name=open]").value;

/** The list: what it does, its keys (as `keys.js` writes them), and the function. */
export function listCommands({ stage, player, ways, selection, server, choosing, viewing, playing, cards, seen, table, guide, point, room, escape }) {
  const ofCard = (verb, value = "") => () => inHand() && server.edit(verb, { step: inHand(), value }, open() === inHand() ? `#error-${open()}` : "#notice");
  const chosen = choosing.members;
  const withSelection = (act) => () => selection.paths().length && act();
  const kind = (name) => withSelection(() => ways.setKind(name));
  return [
    ["Explode", "E", () => press("#explode")],
    ["Collapse", "C", () => press("#collapse")],
    ["There and back", "B", () => press("#both")],
    ["Play or pause", "Space", () => { ways.close(); player.toggle(); }],
    ["Exploded or assembled", "Q", playing.flip],
    ["Again and again", "Shift+E", () => press("#loop")],
    ["To the start", "Home", () => playing.go("start")],
    ["To the end", "End", () => playing.go("end")],
    ["One step on", "ArrowRight", () => playing.go("on")],
    ["One step back", "ArrowLeft", () => playing.go("back")],
    ["Present in the full window", "Z", viewing.present],
    ["Can everything be seen from here?", "Shift+Q", seen.look],
    ["Let the open step use this view", ".", viewing.useHere],
    ["Fit everything", "F", () => stage.fit()],
    ["Fit the selection", "Shift+F", withSelection(() => stage.fit(stage.leaves(selection.paths())))],
    ["Fit what the open step moves", "Alt+F", () => viewing.fit("moving")],
    ["Home view", "Shift+Home", () => viewing.fit("home")],
    ["Parallel or perspective", "P", () => press("#projection")],
    ["Trail lines on or off", "T", () => press("#trails")],
    ["A line through several stops", "Shift+L", () => point("stops")],
    ["Point at the anchor of a trail", "Shift+N", () => point("anchor")],
    ["Straighten the selection's trails", "Shift+I", withSelection(() => server.edit("straighten", { members: chosen() }))],
    ["Save this view", "V", () => press("#save-view")],
    ["Keep this pose", "Shift+V", () => press("#keep-pose")],
    ["Select everything", "Ctrl+A", choosing.all],
    ["Select all of the same part", "A", choosing.samePart],
    ["Select what lies under, one by one", "U", choosing.under],
    ["Subassembly, or the component in it", "O", choosing.level],
    ["Select everything else", "I", withSelection(() => choosing.set("rest"))],
    ["Bring along what sits on it", "G", withSelection(() => ways.choose("riders"))],
    ["Select beyond a face", "Shift+B", () => point("beyond")],
    ["Hold the selection still", "L", choosing.holdStill],
    ["Search names", "/", () => { room.open(); find("#search").focus(); }],
    ["Clear the selection", "Escape", escape],
    ["Keep the selection as a bundle", "K", withSelection(() => server.edit("tie", { members: chosen() }))],
    ["Hide the selection", "H", withSelection(() => server.edit("hide", { members: chosen() }))],
    ["Show only the selection, and back", "N", choosing.showOnly],
    ["Show everything", "Shift+H", () => press("#show-all")],
    ["Ways out: go to the list", "W", () => find("#ways .way:enabled")?.focus()],
    ["Straight", "Shift+1", kind("straight")],
    ["Fan", "Shift+2", kind("fan")],
    ["Outward", "Shift+3", kind("outward")],
    ["Turn", "Shift+4", kind("turn")],
    ["Path", "Shift+5", kind("path")],
    ["Point at a direction or an axis", "Shift+D", () => ways.open() && point(["turn", "outward"].includes(ways.kind) ? "axis" : "way")],
    ["Place it on something", "Shift+P", withSelection(() => point("place"))],
    ["In front of another in the stack", "Shift+ArrowUp", withSelection(() => point("front"))],
    ["Behind another in the stack", "Shift+ArrowDown", withSelection(() => point("behind"))],
    ["Send home", "Shift+O", withSelection(() => server.edit("home", { members: chosen() }))],
    ["Mark as wearing out", "Alt+W", withSelection(() => server.edit("wears", { members: chosen() }))],
    ["The other way", "R", ofCard("turn-round")],
    ["Same motion for the matches", "M", () => press("#same-for-matches")],
    ["Duplicate the step", "D", ofCard("duplicate")],
    ["Step off or on", "X", ofCard("off")],
    ["Split the step", "Shift+S", ofCard("split")],
    ["Step earlier", "Alt+ArrowUp", ofCard("shift", "-1")],
    ["Step later", "Alt+ArrowDown", ofCard("shift", "1")],
    ["Delete the step", "Delete", ofCard("delete")],
    ["Open the next step", "J", () => cards.next(1)],
    ["Open the step before", "Shift+J", () => cards.next(-1)],
    ["Add the selection to the step", "Shift+A", () => press(`[data-add-to="${CSS.escape(open())}"]`)],
    ["Propose steps", "Shift+R", () => toggle("#propose-menu")],
    ["All travels as a table", "Shift+T", table.toggle],
    ["Undo", "Ctrl+Z", () => press("#undo")],
    ["Redo", "Ctrl+Shift+Z", () => press("#redo")],
    ["History", "Y", () => toggle("#history-menu")],
    ["Fold the steps to their pictures", "Shift+W", room.left],
    ["Selection and parts, shown or folded", "Shift+C", room.side],
    ["The selection at the other edge", "Shift+U", room.other],
    ["The whole run chart, or a slim line", "Shift+X", room.chart],
    ["Keep what moved in view", "Shift+Y", room.follow],
    ["Hints on or off", "Shift+K", () => press("#hints-wanted")],
    ["Show the guide", "Shift+G", guide.resume],
    ["Measure between two places", "Shift+M", () => point("measure")],
    ...Object.entries(DISPLAYS).map(([display, words]) => [`Draw ${words}`, "", () => server.edit("display", { value: display })]),
    ...UNITS.map((unit) => [`Lengths in ${unit}`, "", () => prefer({ unit_wanted: unit })]),
    ...["auto", "off", "1", "5", "10"].map((pitch) => [SNAPS[pitch] ?? `Drags snap to ${pitch}`, "", () => prefer({ pitch })]),
  ].map(([words, keys, run]) => ({ words, keys, run, also: ALSO.filter(([what]) => words.startsWith(what)).map(([, others]) => others).join(" ") }));
}

/** The searchable list in `panel`; it stays out of the way of the model and closes with Escape. It is a command, too. */
export function wirePalette(panel, commands) {
  const field = panel.querySelector("input");
  const list = panel.querySelector(".command-list");
  const none = panel.querySelector(".command-none");
  let before = null;

  /** Those whose own words hold all that is typed, then those that are found by other words. */
  function found() {
    const wanted = field.value.trim().toLowerCase().split(/\s+/);
    const holds = (text) => wanted.every((word) => text.toLowerCase().includes(word));
    const own = commands.filter(({ words }) => holds(words));
    return [...own, ...commands.filter((each) => !own.includes(each) && holds(`${each.words} ${each.also ?? ""}`))];
  }

  function draw() {
    const shown = found();
    none.textContent = shown.length ? "" : "Nothing is called that. Try another word, such as turn, line or view.";
    list.replaceChildren(...shown.map(({ words, keys, run }) => {
      const [item, button, key] = [document.createElement("li"), document.createElement("button"), document.createElement("kbd")];
      button.type = "button";
      button.className = "command";
      key.textContent = keys.replace("Arrow", "");
      button.append(words, ...(keys ? [key] : []));
      button.addEventListener("click", () => { close(); run(); });
      item.append(button);
      return item;
    }));
  }

  function show() {
    if (!panel.hidden) return close();
    before = document.activeElement;
    panel.hidden = false;
    field.value = "";
    draw();
    field.focus();
  }

  function close() {
    panel.hidden = true;
    before?.focus?.();
  }

  field.addEventListener("input", draw);
  panel.addEventListener("keydown", (event) => {
    const buttons = [...list.querySelectorAll("button")];
    const at = buttons.indexOf(document.activeElement);
    if (event.key === "Escape") close();
    else if (event.key === "Enter" && event.target === field) buttons[0]?.click();
    else if (event.key === "ArrowDown") (buttons[at + 1] ?? buttons[0])?.focus();
    else if (event.key === "ArrowUp") (buttons[at - 1] ?? field).focus();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  panel.querySelector(".btn-close").addEventListener("click", close);
  onClick(find("#editor"), { "#open-commands": show });
  commands.push({ words: "All commands", keys: "?", run: show });
}
