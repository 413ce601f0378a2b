// drop.js: files dropped anywhere on the page are brought in, one after the other.
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
    if (event.dataTransfer.files.length) bringIn(root, [...event.dataTransfer.files]);
  });
  root.addEventListener("submit", (event) => {
    const { files } = root.elements.files;
    if (!files.length) return;
    event.preventDefault();
    bringIn(root, [...files]);
  });
}

async function bringIn(root, files) {
  const state = root.querySelector("[data-drop-state]");
  const refusals = root.querySelector("[data-drop-refused]");
  const made = [];
  refusals.replaceChildren();
  state.hidden = false;
  for (const [place, file] of files.entries()) {
    state.textContent = `Bringing in ${place + 1} of ${files.length}: ${file.name} …`;
    const answer = await send(root, file);
    made.push(...answer.pieces);
    for (const { name, reason } of answer.refused) refuse(refusals, `${name}: ${reason}`);
  }
  refusals.hidden = !refusals.children.length;
  state.textContent = made.length ? `${made.length} brought in.` : "";
  state.hidden = !made.length;
  if (refusals.children.length) return;
  if (made.length === 1) window.location.assign(made[0]);
  else window.location.reload();
}

async function send(root, file) {
  const body = new FormData(root);
  body.delete("files");
  body.append("files", file);
  const headers = { Accept: "application/json" };
  try {
    const answer = await fetch(root.action, { method: "POST", body, headers });
    return await answer.json();
  } catch {
    const reason = "The server did not answer. Nothing was brought in; try again.";
    return { pieces: [], refused: [{ name: file.name, reason }] };
  }
}

function refuse(list, words) {
  const entry = document.createElement("li");
  entry.className = "notice";
  entry.textContent = words;
  list.append(entry);
}
