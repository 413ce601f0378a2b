// boxes.js: draws boxes of the layer over the picture, and keeps them in place as it moves.
const SVG = "http://www.w3.org/2000/svg";

// `boxes()` gives [{ box: [x, y, width, height], current }]; returns what draws them afresh
export function showBoxes({ viewer }, boxes, pick = null) {
  // a group of its own: several may show boxes on one picture
  const svg = document.createElementNS(SVG, "g");
  document.querySelector("[data-regions]").append(svg);
  const item = viewer.world.getItemAt(0);
  const point = (x, y) => new window.OpenSeadragon.Point(x, y);
  const draw = () => {
    svg.replaceChildren();
    for (const { box, current } of boxes()) {
      const [x, y, width, height] = box;
      const start = item.imageToViewerElementCoordinates(point(x, y));
      const end = item.imageToViewerElementCoordinates(point(x + width, y + height));
      for (const style of ["region-shadow", "region"]) {
        const rect = document.createElementNS(SVG, "rect");
        rect.setAttribute("class", style);
        rect.setAttribute("x", start.x);
        rect.setAttribute("y", start.y);
        rect.setAttribute("width", Math.max(0, end.x - start.x));
        rect.setAttribute("height", Math.max(0, end.y - start.y));
        rect.setAttribute("aria-current", current);
        rect.style.pointerEvents = pick && style === "region" ? "stroke" : "none";
        if (pick) rect.addEventListener("pointerdown", () => pick(box));
        svg.append(rect);
      }
    }
  };
  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("resize", draw);
  draw();
  return draw;
}
