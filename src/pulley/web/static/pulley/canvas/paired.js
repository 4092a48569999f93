// Two stages under one camera.

/** Let each of two stages show what the other one shows, while that one is turned. */
export function pair(first, second) {
  for (const [from, to] of [[first, second], [second, first]]) {
    from.heed("change", () => {
      if (from.following || to.following) return;
      from.following = true;
      to.setView(from.view());
      from.following = false;
    });
  }
}
