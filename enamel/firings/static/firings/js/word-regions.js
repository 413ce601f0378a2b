// word-regions.js: prompts for parts of the picture: draw the parts, list them as lines, show them as boxes.
import { drawBox } from "../../web/js/shared/draw-box.js";
import { showBoxes } from "../../web/js/shared/boxes.js";
import { whenOpen } from "../../web/js/shared/viewer.js";

export function init(root) {
  const field = root.elements.regions;
  whenOpen((bench) => {
    const { layer } = bench;
    let drawn = null;
    const boxes = () => {
      const known = field.value.split("\n").map((line) => line.match(/[\d.]+/g)?.map(Number));
      const fractions = known.filter((numbers) => numbers?.length >= 4);
      const listed = fractions.map(([left, top, width, height]) => ({
        box: [left, top, width, height].map(
          (fraction, place) => (fraction / 100) * (place % 2 ? layer.height : layer.width),
        ),
        current: false,
      }));
      return drawn ? [...listed, { box: drawn, current: true }] : listed;
    };
    const draw = showBoxes(bench, boxes);
    field.addEventListener("input", draw);
    drawBox(
      root.querySelector("[data-draw-region]"),
      bench,
      (box) => {
        drawn = box;
        draw();
      },
      () => {
        if (!drawn) return;
        const fractions = drawn.map((side, place) => (100 * side) / (place % 2 ? layer.height : layer.width));
        const line = `${fractions.map((fraction) => `${fraction.toFixed(1)}%`).join(" ")}: `;
        drawn = null;
        field.value = field.value.trim() ? `${field.value.trimEnd()}\n${line}` : line;
        field.focus();
        draw();
      },
    );
  });
}
