// swatch.js: choose a swatch's window: drawn on the picture, suggested, or typed.
import { request } from "../../web/js/shared/request.js";
import { drawBox } from "../../web/js/shared/draw-box.js";
import { showBoxes } from "../../web/js/shared/boxes.js";
import { setValue } from "../../web/js/shared/set-value.js";
import { whenOpen } from "../../web/js/shared/viewer.js";

const PAUSE_MS = 350;

export function init(root) {
  const form = root.closest("form");
  const field = form.elements.window;
  const group = root.closest("details");
  const resultWidth = () => Number(form.querySelector("[data-part='changed']")?.dataset.resultWidth) || 0;
  const set = (box) => setValue(field, box.join(" "));
  suggest(root, set, group);
  tellCost(root, form, group, set);
  whenOpen((bench) => {
    const scale = () => bench.layer.width / (resultWidth() || bench.layer.width);
    const boxes = () => {
      const numbers = field.value.match(/\d+/g)?.map(Number);
      if (!group.open || numbers?.length !== 4) return [];
      return [{ box: numbers.map((number) => number * scale()), current: true }];
    };
    const draw = showBoxes(bench, boxes);
    group.addEventListener("toggle", draw);
    field.addEventListener("input", draw);
    drawBox(root.querySelector("[data-draw-window]"), bench, (box) =>
      set(box.map((number) => Math.round(number / scale()))),
    );
  });
}

// shown before anything is started
function tellCost(root, form, group, set) {
  const place = root.querySelector("[data-swatch-cost]");
  const move = root.querySelector("[data-move-window]");
  let box;
  move.addEventListener("click", () => set(box));
  let timer;
  const ask = async () => {
    if (!group.open) return;
    const answer = await request(root.dataset.costOf, { method: "POST", body: new FormData(form) });
    if (!answer.ok) return;
    const { words, moved } = await answer.json();
    place.textContent = words;
    place.hidden = false;
    move.hidden = !moved;
    if (!moved) return;
    move.textContent = moved.words;
    box = moved.box;
  };
  const soon = () => {
    clearTimeout(timer);
    timer = setTimeout(ask, PAUSE_MS);
  };
  form.addEventListener("input", soon);
  group.addEventListener("toggle", soon);
  soon();
}

// fetched when the group is opened, because finding them reads the picture
function suggest(root, set, group) {
  const place = root.querySelector("[data-suggested]");
  const ask = async () => {
    if (!group.open || place.children.length) return;
    const answer = await request(root.dataset.windows);
    if (!answer.ok) return;
    const { windows } = await answer.json();
    place.replaceChildren(
      ...windows.map(({ words, box }) => {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "button button-small";
        button.textContent = words;
        button.addEventListener("click", () => set(box));
        return button;
      }),
    );
  };
  group.addEventListener("toggle", ask);
  ask();
}
