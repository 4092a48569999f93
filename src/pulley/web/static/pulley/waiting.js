// Changes that could not be sent wait here, in order, and are sent when the server is back.

const RETRY = 2000; // milliseconds

/** `send(verb, values)` asks for a change; `values` may carry the revision that it was made on. */
export function createWaiting(send) {
  const queue = [];
  let last = null; // the latest change asked for, to be made again on top of another's
  let timer = 0;

  const isEdit = (config) => config?.verb === "post" && /\/edit\/([\w-]+)$/.exec(config.path);

  function say() {
    const kept = document.querySelector("#kept");
    if (!kept) return;
    kept.className = queue.length ? "snag-text kept" : "clear-text kept";
    kept.textContent = queue.length ? `▲ ${queue.length} change${queue.length > 1 ? "s" : ""} wait${queue.length > 1 ? "" : "s"} to be sent` : "✓ all kept";
  }

  function keep(config) {
    const values = { ...config.parameters };
    if (queue.length) for (const name of ["revision", "entry", "at"]) delete values[name];
    queue.push({ verb: isEdit(config)[1], values });
    say();
    timer ||= setTimeout(retry, RETRY);
  }

  async function retry() {
    timer = 0;
    const [first] = queue;
    if (!first) return say();
    const before = queue.length;
    queue.shift();
    await send(first.verb, first.values).catch(() => {});
    if (queue.length >= before) queue.unshift(queue.pop()); // it failed again, and was put behind the others
    say();
    if (queue.length) timer ||= setTimeout(retry, queue.length < before ? 0 : RETRY);
  }

  for (const failure of ["htmx:sendError", "htmx:timeout"]) {
    document.body.addEventListener(failure, (event) => {
      if (!isEdit(event.detail.requestConfig)) return;
      event.detail.handled = true;
      keep(event.detail.requestConfig);
    }, { capture: true });
  }
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    const { requestConfig, xhr } = event.detail;
    if (xhr.status !== 503 || !isEdit(requestConfig)) return;
    event.detail.shouldSwap = false;
    keep(requestConfig);
  });
  document.body.addEventListener("htmx:configRequest", (event) => {
    const edit = event.detail.verb === "post" && /\/edit\/([\w-]+)$/.exec(event.detail.path);
    if (edit) last = { verb: edit[1], values: { ...event.detail.parameters } };
  });
  document.addEventListener("click", (event) => {
    if (!event.target.closest("[data-again]") || !last) return;
    const { verb, values } = last;
    for (const name of ["revision", "entry", "at"]) delete values[name];
    if (event.target.dataset.again === "sure") values.sure = "1";
    event.target.closest(".notice-line").remove();
    send(verb, values);
  });
  window.addEventListener("beforeunload", (event) => queue.length && event.preventDefault());
  return { count: () => queue.length, say };
}
