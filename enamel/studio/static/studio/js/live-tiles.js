// live-tiles.js: draws the tiles of a running firing over the picture, each where it belongs.
const FRESH_MS = 1200;

export function drawLiveTiles(canvas, viewer, layer) {
  const tiles = new Map();
  const aspect = layer.height / layer.width;
  const context = canvas.getContext("2d");

  const draw = () => {
    const ratio = window.devicePixelRatio || 1;
    const { clientWidth, clientHeight } = canvas;
    canvas.width = clientWidth * ratio;
    canvas.height = clientHeight * ratio;
    context.scale(ratio, ratio);
    for (const { image, box, since } of tiles.values()) {
      const [x, y, width, height] = box;
      const place = viewer.viewport.viewportToViewerElementRectangle(
        new window.OpenSeadragon.Rect(x, y * aspect, width, height * aspect),
      );
      context.drawImage(image, place.x, place.y, place.width, place.height);
      const fresh = performance.now() - since < FRESH_MS;
      context.lineWidth = fresh ? 2 : 1;
      context.strokeStyle = fresh ? "#ffffff" : "#ffffff66";
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
