// The library page: dropping or choosing files or a folder sends them, with progress.

import { find } from "./dom.js";
import { say } from "./page.js";

const form = find("#bring-in");
const input = find("#file", form);
const folder = find("#folder", form);
const places = find("#places", form);
const sending = find("progress", form);

// the shelf is drawn anew when a job ends; a menu that somebody has open stays as it is
window.Idiomorph.defaults.callbacks.beforeNodeMorphed = (old) => !(old.localName === "details" && old.open);

/** Send files, each with its place in the folder that it lay in. @param {{file: File, place: string}[]} found */
function send(found) {
  if (!found.length) return;
  const limit = Number(form.dataset.limit);
  const size = found.reduce((sum, { file }) => sum + file.size, 0);
  if (size > limit) {
    const mega = (bytes) => Math.round(bytes / 2 ** 20);
    const what = found.length > 1 ? `${found.length} files have` : `${found[0].file.name} has`;
    say(`${what} ${mega(size)} MB; ${mega(limit)} MB fit. Split the assembly. Nothing was brought in.`);
    input.value = folder.value = "";
    return;
  }
  const carried = new DataTransfer();
  for (const { file } of found) carried.items.add(file);
  input.files = carried.files;
  places.value = found.map(({ place }) => place).join("\n");
  form.requestSubmit();
}

const chosen = (files) => [...files].map((file) => ({ file, place: file.webkitRelativePath || file.name }));

/** All files below an entry of what was dropped. @returns {Promise<{file: File, place: string}[]>} */
async function within(entry, above = "") {
  const place = above + entry.name;
  if (entry.isFile) return [{ file: await new Promise((done, fail) => entry.file(done, fail)), place }];
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    const some = await new Promise((done, fail) => reader.readEntries(done, fail));
    if (!some.length) return found;
    for (const inner of some) found.push(...(await within(inner, `${place}/`)));
  }
}

async function dropped(transfer) {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  if (!entries.some((entry) => entry.isDirectory)) return chosen(transfer.files);
  return (await Promise.all(entries.map((entry) => within(entry)))).flat();
}

for (const field of [input, folder]) field.addEventListener("change", () => send(chosen(field.files)));
form.addEventListener("htmx:xhr:progress", (event) => {
  sending.hidden = false;
  sending.value = event.detail.total ? (100 * event.detail.loaded) / event.detail.total : 0;
});
form.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.requestConfig.elt !== form) return;
  sending.hidden = true;
  input.value = folder.value = places.value = "";
});
for (const kind of ["dragover", "dragleave", "drop"]) {
  form.addEventListener(kind, async (event) => {
    event.preventDefault();
    form.classList.toggle("over", kind === "dragover");
    if (kind === "drop") send(await dropped(event.dataTransfer));
  });
}
