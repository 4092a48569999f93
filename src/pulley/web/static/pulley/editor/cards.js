// Which step's card is open: opening the next one, and showing a step that was just opened at its end.

export function createCards({ store, player, selection, server }) {
  const open = (id) => server.state({ open: id });

  /** Open the card that is `by` places on, round and round. */
  function next(by) {
    const ids = store.state.score.steps.map((step) => step.id);
    const from = store.open ? ids.indexOf(store.open) : by < 0 ? 0 : -1;
    if (ids.length) open(ids[(from + by + ids.length) % ids.length]);
  }

  store.on("opened", () => {
    const bar = store.bar();
    if (bar) player.seek(bar.end);
    document.getElementById(`card-${store.open}`)?.scrollIntoView({ block: "nearest" });
    selection.choose(store.open ? store.members() : [], false, false);
  });
  return { open, next };
}
