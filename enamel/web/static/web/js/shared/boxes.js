// boxes.js: draw boxes of the layer over the picture, and keep them in place as it moves.
import { svg } from "./svg.js";

// `boxes()` gives [{ box: [x, y, width, height], current, turn }], turned in degrees clockwise, if at all;
// returns a function that redraws them
export function showBoxes({ viewer }, boxes, pick = null) {
  // a separate group: several may show boxes on one picture
  const group = svg("g");
  document.querySelector("[data-regions]").append(group);
  const item = viewer.world.getItemAt(0);
  const point = (x, y) => new window.OpenSeadragon.Point(x, y);
  const draw = () => {
    group.replaceChildren();
    for (const { box, current, turn } of boxes()) {
      const [x, y, width, height] = box;
      const start = item.imageToViewerElementCoordinates(point(x, y));
      const end = item.imageToViewerElementCoordinates(point(x + width, y + height));
      for (const style of ["region-shadow", "region"]) {
        const [across, down] = [Math.max(0, end.x - start.x), Math.max(0, end.y - start.y)];
        const rect = svg("rect", {
          class: style,
          x: start.x,
          y: start.y,
          width: across,
          height: down,
          "aria-current": current,
        });
        if (turn) rect.setAttribute("transform", `rotate(${turn} ${start.x + across / 2} ${start.y + down / 2})`);
        rect.style.pointerEvents = pick && style === "region" ? "stroke" : "none";
        if (pick) rect.addEventListener("pointerdown", () => pick(box));
        group.append(rect);
      }
    }
  };
  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("resize", draw);
  draw();
  return draw;
}
