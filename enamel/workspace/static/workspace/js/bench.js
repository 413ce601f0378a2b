// bench.js: the picture in the middle: deep zoom, wipe against another layer, tiles, rulers.
import { drawGrid } from "../../firings/js/grid.js";
import { drawLiveTiles } from "../../firings/js/live-tiles.js";
import { drawRulers } from "../../prints/js/rulers.js";
import { MM_PER_INCH, calibrate, pxPerMm } from "../../web/js/shared/screen.js";
import { announce, openViewer } from "../../web/js/shared/viewer.js";
import { wipe } from "./wipe.js";

export function init(root) {
  const element = root.querySelector("[data-view]");
  if (!element) return;
  const layer = JSON.parse(root.dataset.layer);
  layer.ppi = Number(root.dataset.ppi);
  const against = root.dataset.against && JSON.parse(root.dataset.against);
  const viewer = openViewer(element, against ? [layer, against] : [layer]);
  viewer.addOnceHandler("open", () => {
    zoomButtons(root, viewer, layer);
    const line = root.querySelector("[data-wipe]");
    if (line) wipe(line, viewer, viewer.world.getItemAt(1));
    drawLiveTiles(root.querySelector("[data-live-tiles]"), viewer, layer);
    drawGrid(root, viewer, layer);
    drawRulers(root, viewer, layer);
    announce(viewer, layer);
    root.dataset.open = "";
  });
}

// 100 % shows one pixel of the layer on one pixel of the screen
function zoomButtons(root, viewer, layer) {
  const item = viewer.world.getItemAt(0);
  const now = root.querySelector("[data-zoom-now]");
  const ratio = window.devicePixelRatio || 1;
  const zoomTo = (zoom) => viewer.viewport.zoomTo(item.imageToViewportZoom(zoom / ratio));
  const toPrintSize = () => zoomTo((pxPerMm() * ratio * MM_PER_INCH) / layer.ppi);
  const ways = {
    fit: () => viewer.viewport.goHome(),
    print: () => {
      if (pxPerMm()) toPrintSize();
      else calibrate(root.querySelector("[data-calibrate]"), toPrintSize);
    },
  };
  for (const button of root.querySelectorAll("[data-zoom]")) {
    button.addEventListener("click", () =>
      (ways[button.dataset.zoom] ?? (() => zoomTo(Number(button.dataset.zoom))))(),
    );
  }
  const notify = () => {
    const zoom = item.viewportToImageZoom(viewer.viewport.getZoom(true)) * ratio;
    now.textContent = `${Math.round(zoom * 100)} %`;
    viewer.drawer.setImageSmoothingEnabled(zoom < 1.99); // enlarged pixels are shown as they are
  };
  viewer.addHandler("animation", notify);
  viewer.addHandler("resize", notify);
  notify();
}
