// Everything that can be done, in words and with its keys: the keyboard and the searchable list both read it.

const press = (selector) => {
  const button = document.querySelector(selector);
  if (!button || button.disabled) return false;
  button.click();
  return true;
};
const open = () => document.querySelector("#page-state [name=open]").value;
const ofCard = (what) => () => press(`#${what}-${CSS.escape(open())}`);

/** The list: what it does, its keys (as `keys.js` writes them), and the function. */
export function listCommands(app) {
  const { stage, player, ways, selection } = app;
  const chosen = () => JSON.stringify(selection.paths());
  const withSelection = (act) => () => selection.paths().length && act();
  const kind = (name) => withSelection(() => ways.setKind(name));
  return [
    ["Explode", "E", () => press("#explode")],
    ["Collapse", "C", () => press("#collapse")],
    ["There and back", "B", () => press("#both")],
    ["Play or pause", "Space", () => { ways.close(); player.toggle(); }],
    ["Exploded or assembled", "Q", app.flip],
    ["Again and again", "Shift+E", () => press("#loop")],
    ["To the start", "Home", () => app.go("start")],
    ["To the end", "End", () => app.go("end")],
    ["One step on", "ArrowRight", () => app.go("on")],
    ["One step back", "ArrowLeft", () => app.go("back")],
    ["Present in the full window", "Z", app.present],
    ["Can everything be seen from here?", "Shift+Q", app.seen.look],
    ["Let the open step use this view", ".", app.viewHere],
    ["Fit everything", "F", () => stage.fit()],
    ["Fit the selection", "Shift+F", withSelection(() => stage.fit(app.leaves(selection.paths())))],
    ["Fit what the open step moves", "Alt+F", () => app.fit("moving")],
    ["Home view", "Shift+Home", () => app.fit("home")],
    ["Parallel or perspective", "P", () => press("#projection")],
    ["Trail lines on or off", "T", () => press("#trails")],
    ["A line through several stops", "Shift+L", () => app.point("stops")],
    ["Point at the anchor of a trail", "Shift+N", () => app.point("anchor")],
    ["Straighten the selection's trails", "Shift+I", withSelection(() => app.edit("straighten", { members: chosen() }))],
    ["Save this view", "V", () => press("#save-view")],
    ["Keep this pose", "Shift+V", () => press("#keep-pose")],
    ["Select everything", "Ctrl+A", app.selectAll],
    ["Select all of the same part", "A", app.selectSamePart],
    ["Select what lies under, one by one", "U", app.selectUnder],
    ["Subassembly, or the component in it", "O", app.selectLevel],
    ["Select everything else", "I", withSelection(() => app.chooseSet("rest"))],
    ["Bring along what sits on it", "G", withSelection(() => app.chooseSet("riders"))],
    ["Select beyond a face", "Shift+B", () => app.point("beyond")],
    ["Hold the selection still", "L", app.holdStill],
    ["Search names", "/", () => document.querySelector("#search").focus()],
    ["Clear the selection", "Escape", app.escape],
    ["Keep the selection as a bundle", "K", withSelection(() => app.edit("tie", { members: chosen() }))],
    ["Hide the selection", "H", withSelection(() => app.edit("hide", { members: chosen() }))],
    ["Show only the selection, and back", "N", app.showOnly],
    ["Show everything", "Shift+H", () => press("#show-all")],
    ["Ways out: go to the list", "W", () => document.querySelector("#ways .way:enabled")?.focus()],
    ["Straight", "Shift+1", kind("straight")],
    ["Fan", "Shift+2", kind("fan")],
    ["Outward", "Shift+3", kind("outward")],
    ["Turn", "Shift+4", kind("turn")],
    ["Path", "Shift+5", kind("path")],
    ["Point at a direction or an axis", "Shift+D", app.pointForWays],
    ["Place it on something", "Shift+P", withSelection(() => app.point("place"))],
    ["In front of another in the stack", "Shift+ArrowUp", withSelection(() => app.point("front"))],
    ["Behind another in the stack", "Shift+ArrowDown", withSelection(() => app.point("behind"))],
    ["Send home", "Shift+O", withSelection(() => app.edit("home", { members: chosen() }))],
    ["The other way", "R", ofCard("turn")],
    ["Same motion for the matches", "M", () => press("#same-for-matches")],
    ["Duplicate the step", "D", ofCard("duplicate")],
    ["Step off or on", "X", ofCard("off")],
    ["Split the step", "Shift+S", ofCard("split")],
    ["Step earlier", "Alt+ArrowUp", ofCard("earlier")],
    ["Step later", "Alt+ArrowDown", ofCard("later")],
    ["Delete the step", "Delete", ofCard("delete")],
    ["Open the next step", "J", () => app.openNext(1)],
    ["Open the step before", "Shift+J", () => app.openNext(-1)],
    ["Add the selection to the step", "Shift+A", () => press(`[data-add-to="${CSS.escape(open())}"]`)],
    ["Propose steps", "Shift+R", () => { const menu = document.querySelector("#propose-menu"); menu.open = !menu.open; }],
    ["All travels as a table", "Shift+T", app.table.toggle],
    ["Undo", "Ctrl+Z", () => press("#undo")],
    ["Redo", "Ctrl+Shift+Z", () => press("#redo")],
    ["History", "Y", () => { const menu = document.querySelector("#history-menu"); menu.open = !menu.open; }],
    ["Hints on or off", "Shift+K", () => press("#hints-wanted")],
    ["Show the guide", "Shift+G", app.guide.resume],
    ["All commands", "?", app.palette],
  ].map(([words, keys, run]) => ({ words, keys, run }));
}

/** The searchable list in `panel`; it stays out of the way of the model and closes with Escape. */
export function createPalette(panel, commands) {
  const field = panel.querySelector("input");
  const list = panel.querySelector(".command-list");
  let before = null;

  function draw() {
    const wanted = field.value.trim().toLowerCase();
    list.replaceChildren(...commands().filter(({ words }) => words.toLowerCase().includes(wanted)).map(({ words, keys, run }) => {
      const [item, button, key] = ["li", "button", "kbd"].map((name) => document.createElement(name));
      button.type = "button";
      button.className = "command";
      key.textContent = keys.replace("Arrow", "");
      button.append(words, key);
      button.addEventListener("click", () => { close(); run(); });
      item.append(button);
      return item;
    }));
  }

  function toggle() {
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
  return toggle;
}
