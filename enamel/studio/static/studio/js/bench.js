// bench.js: the picture in the middle: deep zoom, wipe against another layer, tiles of a firing.
import { drawLiveTiles } from "./live-tiles.js";
import { announce, openViewer } from "./viewer.js";
import { wipe } from "./wipe.js";

export function init(root) {
  const element = root.querySelector("[data-view]");
  if (!element) return;
  const layer = JSON.parse(root.dataset.layer);
  const against = root.dataset.against && JSON.parse(root.dataset.against);
  const viewer = openViewer(element, against ? [layer, against] : [layer]);
  viewer.addOnceHandler("open", () => {
    zoomButtons(root, viewer);
    const line = root.querySelector("[data-wipe]");
    if (line) wipe(line, viewer, viewer.world.getItemAt(1));
    drawLiveTiles(root.querySelector("[data-live-tiles]"), viewer, layer);
    announce(viewer, layer);
    root.dataset.open = "";
  });
}

// 100 % shows one pixel of the layer on one pixel of the screen
function zoomButtons(root, viewer) {
  const item = viewer.world.getItemAt(0);
  const now = root.querySelector("[data-zoom-now]");
  const ratio = window.devicePixelRatio || 1;
  for (const button of root.querySelectorAll("[data-zoom]")) {
    button.addEventListener("click", () => {
      if (button.dataset.zoom === "fit") viewer.viewport.goHome();
      else viewer.viewport.zoomTo(item.imageToViewportZoom(Number(button.dataset.zoom) / ratio));
    });
  }
  const tell = () => {
    const zoom = item.viewportToImageZoom(viewer.viewport.getZoom(true)) * ratio;
    now.textContent = `${Math.round(zoom * 100)} %`;
    viewer.drawer.setImageSmoothingEnabled(zoom < 1.99); // enlarged pixels are shown as they are
  };
  viewer.addHandler("animation", tell);
  viewer.addHandler("resize", tell);
  tell();
}
