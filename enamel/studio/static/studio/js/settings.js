// settings.js: keeps the consequence of the settings in sight while they change.
const PAUSE_MS = 250;

export function init(root) {
  adopt(root);
  if (root.dataset.costUrl) follow(root);
  root.addEventListener("input", () => showChosen(root));
  seedButtons(root);
  lockShape(root);
  showChosen(root);
}

function seedButtons(root) {
  const take = (value) => {
    root.elements.seed.value = value;
    root.elements.seed.dispatchEvent(new Event("input", { bubbles: true }));
  };
  const another = root.querySelector("[data-another-seed]");
  another?.addEventListener("click", () => take(Math.floor(Math.random() * 1_000_000)));
  const last = root.querySelector("[data-last-seed]");
  last?.addEventListener("click", () => take(last.dataset.lastSeed));
}

function follow(root) {
  let timer;
  let asked = 0;
  const refresh = async () => {
    const mine = ++asked;
    const answer = await fetch(root.dataset.costUrl, { method: "POST", body: new FormData(root) });
    if (!answer.ok || mine !== asked) return;
    const fresh = document.createElement("template");
    fresh.innerHTML = await answer.text();
    for (const part of fresh.content.querySelectorAll("[data-part]")) {
      root.querySelector(`[data-part="${part.dataset.part}"]`)?.replaceWith(part);
    }
  };
  root.addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(refresh, PAUSE_MS);
  });
}

// the sum stands beside the button that acts on it, the words beside the prompt
function adopt(root) {
  const consequences = root.querySelector("[data-consequences]");
  if (!consequences) return;
  root.querySelector("[data-cost]").append(consequences.querySelector("[data-part='cost']"));
  root.elements.prompt.closest("div").parentElement.append(
    consequences.querySelector("[data-part='words']"),
  );
}

// only the fields of what is chosen
function showChosen(root) {
  const chosen = root.elements.sizing?.value;
  for (const part of root.querySelectorAll("[data-sizing]")) {
    part.hidden = part.dataset.sizing !== chosen;
  }
  for (const part of root.querySelectorAll("[data-unless-empty]")) {
    part.hidden = !root.elements[part.dataset.unlessEmpty].value;
  }
  for (const part of root.querySelectorAll("[data-with]")) {
    part.hidden = !root.elements[part.dataset.with].checked;
  }
}

// width and height in pixels keep the picture's shape
function lockShape(root) {
  const { sourceWidth, sourceHeight } = root.dataset;
  if (!sourceWidth) return;
  const { width, height } = root.elements;
  width.addEventListener("input", () => {
    height.value = Math.round((width.value * sourceHeight) / sourceWidth) || "";
  });
  height.addEventListener("input", () => {
    width.value = Math.round((height.value * sourceWidth) / sourceHeight) || "";
  });
}
