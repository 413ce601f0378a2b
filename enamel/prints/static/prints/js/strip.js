// strip.js: choose the crop of a test strip: drawn on the picture, or the current view.
import { setValue } from "../../web/js/shared/set-value.js";
import { place, svg } from "../../web/js/shared/svg.js";
import { MM_PER_INCH } from "../../web/js/shared/screen.js";
import { whenOpen } from "../../web/js/shared/viewer.js";

export function init(root) {
  const part = root.querySelector("[data-strip]");
  const drawing = document.querySelector("[data-regions]");
  if (!part || !drawing) return;
  whenOpen(({ viewer, layer }) => {
    const item = () => viewer.world.getItemAt(0);
    const value = (name) => Number(root.elements[name].value);
    const frame = svg("rect", { class: "print-edge" });
    // px of the layer that the crop covers
    const box = () => {
      const ppi = Number(part.dataset.ppi);
      const [width, height] = ["strip_width", "strip_height"].map((name) => (value(name) / MM_PER_INCH) * ppi);
      const x = Math.min(layer.width - width, Math.max(0, (value("strip_across") / 100) * layer.width - width / 2));
      const y = Math.min(layer.height - height, Math.max(0, (value("strip_down") / 100) * layer.height - height / 2));
      return [Math.max(0, x), Math.max(0, y), Math.min(width, layer.width), Math.min(height, layer.height)];
    };
    const draw = () => {
      frame.remove();
      if (!part.open || !item()) return;
      const [x, y, width, height] = box();
      const at = (px, py) => item().imageToViewerElementCoordinates(new window.OpenSeadragon.Point(px, py));
      const [start, end] = [at(x, y), at(x + width, y + height)];
      drawing.append(place(frame, { x: start.x, y: start.y, width: end.x - start.x, height: end.y - start.y }));
    };
    part.querySelector("[data-strip-here]").addEventListener("click", () => {
      const middle = item().viewportToImageCoordinates(viewer.viewport.getCenter(true));
      setValue(root.elements.strip_across, fraction(middle.x, layer.width));
      setValue(root.elements.strip_down, fraction(middle.y, layer.height));
    });
    part.addEventListener("toggle", draw);
    root.addEventListener("input", draw);
    viewer.addHandler("update-viewport", draw);
    draw();
  });
}

function fraction(at, side) {
  return Math.min(100, Math.max(0, (100 * at) / side)).toFixed(2);
}
