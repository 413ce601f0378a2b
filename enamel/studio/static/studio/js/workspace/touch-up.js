// touch-up.js: picks the region to mend: a found face, a box drawn on the picture, or numbers.
import { drawBox } from "../shared/draw-box.js";
import { showBoxes } from "../shared/boxes.js";
import { setAndTell } from "../shared/set-and-tell.js";
import { whenOpen } from "../shared/viewer.js";

export function init(root) {
  const buttons = [...root.querySelectorAll("[data-face]")];
  const faces = buttons.map((button) => button.dataset.face.split(",").map(Number));
  buttons.forEach((button, place) => {
    button.addEventListener("click", () => choose(root, faces[place]));
  });
  whenOpen((bench) => {
    const boxes = () => {
      const chosen = fields(root).map((field) => Number(field.value));
      const known = faces.map((box) => ({ box, current: String(box) === String(chosen) }));
      return known.some(({ current }) => current) ? known : [...known, { box: chosen, current: true }];
    };
    const draw = showBoxes(bench, boxes, (box) => choose(root, box));
    root.addEventListener("input", draw);
    drawBox(root.querySelector("[data-draw]"), bench, (box) => choose(root, box));
  });
}

function fields({ elements }) {
  return [elements.x, elements.y, elements.width, elements.height];
}

function choose(root, box) {
  fields(root).forEach((field, place) => setAndTell(field, box[place]));
}
