// The library page: dropping or choosing a file sends it, with progress.

import { find } from "./dom.js";
import { say } from "./page.js";

const form = find("#bring-in");
const input = find("input[type=file]", form);
const sending = find("progress", form);

function send() {
  const [file] = input.files;
  if (!file) return;
  const limit = Number(form.dataset.limit);
  if (file.size > limit) {
    const size = (bytes) => Math.round(bytes / 2 ** 20);
    say(`${file.name} has ${size(file.size)} MB; ${size(limit)} MB fit. Split the assembly. Nothing was brought in.`);
    input.value = "";
    return;
  }
  form.requestSubmit();
}

input.addEventListener("change", send);
form.addEventListener("htmx:xhr:progress", (event) => {
  sending.hidden = false;
  sending.value = event.detail.total ? (100 * event.detail.loaded) / event.detail.total : 0;
});
form.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.requestConfig.elt !== form) return;
  sending.hidden = true;
  input.value = "";
});
for (const kind of ["dragover", "dragleave", "drop"]) {
  form.addEventListener(kind, (event) => {
    event.preventDefault();
    form.classList.toggle("over", kind === "dragover");
    if (kind === "drop" && event.dataTransfer.files.length) {
      input.files = event.dataTransfer.files;
      send();
    }
  });
}
