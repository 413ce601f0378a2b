// settings.js: show the consequences of settings while they change.
import { request } from "../../web/js/shared/request.js";
import { released } from "../../web/js/shared/released.js";
import { setValue } from "../../web/js/shared/set-value.js";

const PAUSE_MS = 250;

export function init(root) {
  adopt(root);
  if (root.dataset.costUrl) follow(root);
  root.addEventListener("input", (event) => {
    showChosen(root);
    showPlace(event.target);
  });
  seedButtons(root);
  lockShape(root);
  showChosen(root);
  showChanged(root);
  showAble(root);
  takeWhatSuits(root);
}

// show only the fields that the current refiner uses; hidden ones keep their values
function showAble(root) {
  const able = root.querySelector("[data-abilities]")?.dataset.abilities.split(" ");
  if (!able) return;
  for (const part of root.querySelectorAll("[data-for]")) part.hidden = !able.includes(part.dataset.for);
}

// set the tile size and the steps that a checkpoint was made for
function takeWhatSuits(root) {
  root.addEventListener("click", (event) => {
    const { takeTile, takeFew } = event.target.dataset ?? {};
    const wanted = takeTile
      ? { tile_width: takeTile, tile_height: takeTile }
      : takeFew && { steps: takeFew, guidance: 1, spacing: "own" };
    for (const [name, value] of Object.entries(wanted || {})) setValue(root.elements[name], value);
  });
}

function seedButtons(root) {
  const another = root.querySelector("[data-another-seed]");
  another?.addEventListener("click", () => setValue(root.elements.seed, Math.floor(Math.random() * 1_000_000)));
  const last = root.querySelector("[data-last-seed]");
  last?.addEventListener("click", () => setValue(root.elements.seed, last.dataset.lastSeed));
}

function follow(root) {
  let timer;
  let asked = 0;
  let kept = Promise.resolve();
  const refresh = async () => {
    const mine = ++asked;
    // one request after the other: the last change has to be saved last
    const turn = kept.then(() =>
      mine === asked ? request(root.dataset.costUrl, { method: "POST", body: new FormData(root) }) : null,
    );
    kept = turn.then(
      () => {},
      () => {},
    );
    const answer = await turn;
    if (!answer?.ok || mine !== asked) return;
    const fresh = document.createElement("template");
    fresh.innerHTML = await answer.text();
    await released();
    if (mine !== asked) return;
    for (const part of fresh.content.querySelectorAll("[data-part]")) {
      const name = `[data-part="${part.dataset.part}"]`;
      const old = root.querySelector(name) ?? document.querySelector(name);
      if (!old || old.isEqualNode(part)) continue;
      if (old.contains(document.activeElement)) keepFocus(old, part);
      else old.replaceWith(part);
    }
    showChanged(root);
    showAble(root);
    root.dispatchEvent(new CustomEvent("enamel:consequences"));
  };
  root.addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(refresh, PAUSE_MS);
  });
}

// replace a part, and keep the focus in the same field
function keepFocus(old, part) {
  const { name, value } = /** @type {HTMLInputElement} */ (document.activeElement);
  old.replaceWith(part);
  const again = name && part.querySelector(`[name="${name}"]`);
  if (!again) return;
  again.value = value;
  again.focus();
}

// the total is shown beside the button that fires, each consequence beside its settings
function adopt(root) {
  const consequences = root.querySelector("[data-consequences]");
  if (!consequences) return;
  root.querySelector("[data-cost]").append(consequences.querySelector("[data-part='cost']"));
  for (const place of root.querySelectorAll("[data-place]")) {
    const part = consequences.querySelector(`[data-part="${place.dataset.place}"]`);
    if (part) place.replaceWith(part);
  }
  const words = consequences.querySelector("[data-part='words']");
  if (words) root.elements.prompt.closest("[data-field]").parentElement.append(words);
}

// mark what differs from the schedule fired last, with a button to reset it
function showChanged(root) {
  const part = root.querySelector("[data-part='changed']");
  if (!part) return;
  for (const mark of root.querySelectorAll(".was")) mark.remove();
  for (const [name, was] of Object.entries(JSON.parse(part.dataset.changed))) {
    const field = root.elements[name];
    const label = field?.id && root.querySelector(`label[for="${field.id}"]`);
    if (!label) continue;
    const mark = document.createElement("button");
    mark.type = "button";
    mark.className = "was";
    mark.textContent = `was ${was === "" ? "empty" : shortened(was)}`;
    mark.title = "Set it back";
    mark.addEventListener("click", () => {
      if (field.type === "checkbox") field.checked = was === "True";
      setValue(field, was);
    });
    label.after(mark);
  }
  document.dispatchEvent(new CustomEvent("enamel:grid", { detail: JSON.parse(part.dataset.grid) }));
}

function shortened(text) {
  return text.length > 14 ? `${text.slice(0, 13)}…` : text;
}

// the marker on the line of usual values
function showPlace(field) {
  const line = field.closest?.("[data-field]")?.querySelector("[data-usual]");
  if (!line || field.value === "") return;
  const [low, high] = line.dataset.usual.split(",").map(Number);
  const fraction = Math.min(1, Math.max(0, (field.value - low) / (high - low)));
  line.querySelector("[data-at]").setAttribute("x", 98.6 * fraction);
}

// show only the fields of the chosen option
function showChosen(root) {
  for (const [attribute, name] of [
    ["sizing", "sizing"],
    ["fit", "fit"],
    ["extent", "extent"],
    ["edge", "edge"],
  ]) {
    const chosen = root.elements[name]?.value;
    for (const part of root.querySelectorAll(`[data-${attribute}]`)) part.hidden = part.dataset[attribute] !== chosen;
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
  const { width, height } = root.elements;
  if (!sourceWidth || width?.type !== "number") return;
  width.addEventListener("input", () => {
    height.value = Math.round((width.value * sourceHeight) / sourceWidth) || "";
  });
  height.addEventListener("input", () => {
    width.value = Math.round((height.value * sourceWidth) / sourceHeight) || "";
  });
}
