// drop.js: import files dropped anywhere on the page, one after the other, each with its progress.
import { uploadRead } from "../../web/js/shared/upload-read.js";

export function init(root) {
  let depth = 0;
  const over = (change) => {
    depth = Math.max(0, depth + change);
    root.toggleAttribute("data-over", depth > 0);
  };
  window.addEventListener("dragenter", () => over(1));
  window.addEventListener("dragleave", () => over(-1));
  window.addEventListener("dragover", (event) => event.preventDefault());
  window.addEventListener("drop", (event) => {
    event.preventDefault();
    over(-depth);
    if (event.dataTransfer.files.length) importFiles(root, [...event.dataTransfer.files]);
  });
  root.addEventListener("submit", (event) => {
    const { files } = root.elements.files;
    if (!files.length) return;
    event.preventDefault();
    importFiles(root, [...files]);
  });
}

async function importFiles(root, files) {
  const list = root.querySelector("[data-drop-files]");
  const rows = files.map((file) => row(file));
  list.replaceChildren(...rows.map(({ element }) => element));
  list.hidden = false;
  const made = [];
  let noted = false;
  for (const [place, file] of files.entries()) {
    const answer = await send(root, file, rows[place]);
    for (const upload of answer.uploads) await follow(upload, answer, rows[place]);
    for (const piece of answer.pieces) {
      made.push(piece);
      rows[place].done(piece);
      noted ||= Boolean(piece.note);
    }
    for (const { reason } of answer.refused) {
      rows[place].refuse(reason);
      noted = true;
    }
  }
  root.querySelector("[data-drop-done]").hidden = !made.length;
  if (noted) return; // the message is read first
  if (made.length === 1) window.location.assign(made[0].url);
  else if (made.length) window.location.reload();
}

// a worker reads a large file; wait for its piece, or the reason why it was rejected
async function follow({ name, stateUrl }, answer, shown) {
  shown.read(0);
  const { url, rejected } = await uploadRead(stateUrl, shown.read);
  if (url) answer.pieces.push({ url, note: "" });
  else answer.refused.push({ name, reason: rejected });
}

function row(file) {
  const element = document.createElement("li");
  element.className = "flex items-center gap-3";
  const name = document.createElement("span");
  name.className = "w-64 truncate";
  name.textContent = file.name;
  const bar = document.createElement("progress");
  bar.className = "h-2 w-40";
  bar.setAttribute("aria-label", `${file.name}, sent`);
  bar.max = 1;
  bar.value = 0;
  const words = document.createElement("span");
  words.className = "min-w-0 flex-1";
  words.textContent = "waiting";
  element.append(name, bar, words);
  return {
    element,
    sent(fraction) {
      bar.value = fraction;
      words.textContent = fraction < 1 ? `${Math.round(100 * fraction)} % sent` : "being read …";
    },
    read(fraction) {
      bar.value = fraction;
      words.textContent = fraction ? `${Math.round(100 * fraction)} % read` : "large; waiting for a worker";
    },
    done({ url, note }) {
      const link = document.createElement("a");
      link.href = url;
      link.textContent = "Open";
      words.replaceChildren(note ? `${note} ` : "imported ", link);
      bar.value = 1;
    },
    refuse(reason) {
      element.classList.add("notice");
      words.textContent = reason;
    },
  };
}

// XMLHttpRequest, because fetch reports no upload progress
function send(root, file, shown) {
  const body = new FormData(root);
  body.delete("files");
  body.append("files", file);
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    const failed = () =>
      resolve({
        pieces: [],
        uploads: [],
        refused: [{ name: file.name, reason: "The server did not answer. Nothing was imported; try again." }],
      });
    request.open("POST", root.action);
    request.setRequestHeader("Accept", "application/json");
    request.responseType = "json";
    request.upload.addEventListener("progress", ({ loaded, total }) => shown.sent(total ? loaded / total : 0));
    request.addEventListener("load", () => (request.response ? resolve(request.response) : failed()));
    request.addEventListener("error", failed);
    request.send(body);
  });
}
