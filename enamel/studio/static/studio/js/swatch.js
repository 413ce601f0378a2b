// swatch.js: the window that is tried: drawn on the picture, suggested, or typed.
import { drawBox } from "./draw-box.js";
import { showBoxes } from "./boxes.js";
import { whenOpen } from "./viewer.js";

const PAUSE_MS = 350;

export function init(root) {
  const form = root.closest("form");
  const field = form.elements.window;
  const group = root.closest("details");
  const resultWidth = () => Number(form.querySelector("[data-part='changed']")?.dataset.resultWidth) || 0;
  suggest(root, field, group);
  tellCost(root, form, group);
  whenOpen((bench) => {
    const scale = () => bench.layer.width / (resultWidth() || bench.layer.width);
    const boxes = () => {
      const numbers = field.value.match(/\d+/g)?.map(Number);
      if (!group.open || numbers?.length !== 4) return [];
      return [{ box: numbers.map((number) => number * scale()), current: true }];
    };
    let draw = () => {};
    const start = () => { draw = showBoxes(bench, boxes); };
    if (group.open) start();
    group.addEventListener("toggle", start);
    field.addEventListener("input", () => draw());
    drawBox(root.querySelector("[data-draw-window]"), bench, (box) => {
      field.value = box.map((number) => Math.round(number / scale())).join(" ");
      field.dispatchEvent(new Event("input", { bubbles: true }));
    });
  });
}

// said before anything is started
function tellCost(root, form, group) {
  const place = root.querySelector("[data-swatch-cost]");
  let timer;
  const ask = async () => {
    if (!group.open) return;
    const answer = await fetch(root.dataset.costOf, { method: "POST", body: new FormData(form) });
    if (!answer.ok) return;
    place.textContent = await answer.text();
    place.hidden = false;
  };
  const soon = () => {
    clearTimeout(timer);
    timer = setTimeout(ask, PAUSE_MS);
  };
  form.addEventListener("input", soon);
  group.addEventListener("toggle", soon);
  soon();
}

// asked for when the group is opened, because looking for them reads the picture
function suggest(root, field, group) {
  const place = root.querySelector("[data-suggested]");
  const ask = async () => {
    if (!group.open || place.children.length) return;
    const answer = await fetch(root.dataset.windows);
    if (!answer.ok) return;
    const { windows } = await answer.json();
    place.replaceChildren(...windows.map(({ words, box }) => {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "button button-small";
      button.textContent = words;
      button.addEventListener("click", () => {
        field.value = box.join(" ");
        field.dispatchEvent(new Event("input", { bubbles: true }));
      });
      return button;
    }));
  };
  group.addEventListener("toggle", ask);
  ask();
}
