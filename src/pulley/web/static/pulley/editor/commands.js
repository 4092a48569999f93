// Everything that can be done, in words and with its keys: the keyboard and the searchable list both read it.

import { find, onClick } from "../dom.js";

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
const open = () => find("#page-state [name=open]").value;
const ofCard = (what) => () => press(`#${what}-${CSS.escape(open())}`);

/** The list: what it does, its keys (as `keys.js` writes them), and the function. */
export function listCommands({ stage, player, ways, selection, server, choosing, viewing, playing, cards, seen, table, guide, point, escape }) {
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
    ["Search names", "/", () => find("#search").focus()],
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
    ["The other way", "R", ofCard("turn")],
    ["Same motion for the matches", "M", () => press("#same-for-matches")],
    ["Duplicate the step", "D", ofCard("duplicate")],
    ["Step off or on", "X", ofCard("off")],
    ["Split the step", "Shift+S", ofCard("split")],
    ["Step earlier", "Alt+ArrowUp", ofCard("earlier")],
    ["Step later", "Alt+ArrowDown", ofCard("later")],
    ["Delete the step", "Delete", ofCard("delete")],
    ["Open the next step", "J", () => cards.next(1)],
    ["Open the step before", "Shift+J", () => cards.next(-1)],
    ["Add the selection to the step", "Shift+A", () => press(`[data-add-to="${CSS.escape(open())}"]`)],
    ["Propose steps", "Shift+R", () => toggle("#propose-menu")],
    ["All travels as a table", "Shift+T", table.toggle],
    ["Undo", "Ctrl+Z", () => press("#undo")],
    ["Redo", "Ctrl+Shift+Z", () => press("#redo")],
    ["History", "Y", () => toggle("#history-menu")],
    ["Hints on or off", "Shift+K", () => press("#hints-wanted")],
    ["Show the guide", "Shift+G", guide.resume],
  ].map(([words, keys, run]) => ({ words, keys, run }));
}

/** The searchable list in `panel`; it stays out of the way of the model and closes with Escape. It is a command, too. */
export function wirePalette(panel, commands) {
  const field = panel.querySelector("input");
  const list = panel.querySelector(".command-list");
  let before = null;

  function draw() {
    const wanted = field.value.trim().toLowerCase();
    list.replaceChildren(...commands.filter(({ words }) => words.toLowerCase().includes(wanted)).map(({ words, keys, run }) => {
      const [item, button, key] = [document.createElement("li"), document.createElement("button"), document.createElement("kbd")];
      button.type = "button";
      button.className = "command";
      key.textContent = keys.replace("Arrow", "");
      button.append(words, key);
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
