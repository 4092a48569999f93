// Hints where the pointer is: one line in a corner of the canvas, which can be switched off.

/** Show in `line` what the thing under the pointer, or with the focus, is for. */
export function wireHints(line, wanted) {
  const rest = line.textContent;
  const show = (event) => {
    if (!wanted()) return;
    const thing = event.target.closest?.("[data-hint], [title]");
    line.textContent = thing?.dataset.hint || thing?.getAttribute("title") || rest;
  };
  document.addEventListener("pointerover", show);
  document.addEventListener("focusin", show);
  return () => {
    line.hidden = !wanted();
  };
}
