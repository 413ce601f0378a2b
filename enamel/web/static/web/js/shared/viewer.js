// viewer.js: the deep-zoom viewer of a page, which other modules can wait for.
import { paceViewer } from "./frames.js";

let resolve;
const opened = new Promise((settle) => {
  resolve = settle;
});

// call back with { viewer, layer } once the picture is open
export function whenOpen(callback) {
  opened.then(callback);
}

export function announce(viewer, layer) {
  resolve({ viewer, layer });
}

export function openViewer(element, layers) {
  const wake = paceViewer(window.OpenSeadragon);
  const viewer = window.OpenSeadragon({
    element,
    drawer: "canvas",
    tileSources: layers.map((layer) => ({ tileSource: source(layer), x: 0, y: 0, width: 1 })),
    showNavigationControl: false,
    showNavigator: true,
    navigatorPosition: "BOTTOM_RIGHT",
    navigatorSizeRatio: 0.14,
    navigatorBackground: "#777777",
    navigatorBorderColor: "#1b1d22",
    navigatorDisplayRegionColor: "#f4f1e8",
    navigatorAutoFade: true,
    gestureSettingsMouse: { clickToZoom: false, dblClickToZoom: true },
    animationTime: 0.25,
    maxZoomPixelRatio: 16,
    minZoomImageRatio: 0.7,
    visibilityRatio: 0.3,
    preserveImageSizeOnResize: true,
    maxImageCacheCount: 300,
  });
  for (const event of ["animation", "open", "tile-loaded"]) viewer.addHandler(event, wake);
  return viewer;
}

function source({ width, height, tileSize, overlap, url }) {
  return {
    width,
    height,
    tileSize,
    tileOverlap: overlap,
    getTileUrl: (level, column, row) => `${url}${level}/${column}_${row}.png`,
  };
}
