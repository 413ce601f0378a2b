// live-tiles.js: draw the tiles of a running firing over the picture.
import { fresh } from "../../web/js/shared/canvas.js";

const FRESH_MS = 1200;

export function drawLiveTiles(canvas, viewer, layer) {
  const tiles = new Map();
  const aspect = layer.height / layer.width;
  const draw = () => {
    const { context } = fresh(canvas);
    for (const { image, box, since } of tiles.values()) {
      const [x, y, width, height] = box;
      const place = viewer.viewport.viewportToViewerElementRectangle(
        new window.OpenSeadragon.Rect(x, y * aspect, width, height * aspect),
      );
      context.drawImage(image, place.x, place.y, place.width, place.height);
      const recent = performance.now() - since < FRESH_MS;
      context.lineWidth = recent ? 2 : 1;
      context.strokeStyle = recent ? "#ffffff" : "#ffffff66";
      context.strokeRect(place.x + 1, place.y + 1, place.width - 2, place.height - 2);
    }
  };

  document.addEventListener("enamel:tiles", ({ detail }) => {
    if (detail.afresh) tiles.clear();
    for (const { url, box } of detail.tiles) {
      const image = new Image();
      image.onload = () => {
        tiles.set(`${box[0]},${box[1]}`, { image, box, since: performance.now() });
        canvas.dataset.tiles = tiles.size;
        draw();
        setTimeout(draw, FRESH_MS + 50);
      };
      image.src = url;
    }
  });
  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("resize", draw);
}
