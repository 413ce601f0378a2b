// proof.js: show the sheet, the proof or the picture itself, and only the fields of the chosen kind of file.
import { whenOpen } from "../../web/js/shared/viewer.js";

const PAUSE_MS = 300;

export function init(root) {
  const stage = document.querySelector("[data-module~='bench']");
  const sheet = stage.querySelector("[data-sheet-view]");
  if (!sheet) return;
  let looking = "sheet";
  let repaint = () => {};
  const look = (at) => {
    looking = at;
    sheet.hidden = at !== "sheet";
    for (const button of stage.querySelectorAll("button[data-look]"))
      button.setAttribute("aria-pressed", button.dataset.look === at);
    const settings = root.querySelector("[data-proof-settings]");
    settings.open = at === "proof";
    if (settings.open) settings.scrollIntoView({ block: "nearest" });
    repaint();
  };
  document.addEventListener("click", (event) => {
    const asked = event.target.closest("[data-look]");
    if (!asked) {
      // a zoom is meant to be seen
      if (looking === "sheet" && event.target.closest("[data-zoom]")) look("picture");
      return;
    }
    event.preventDefault();
    if (asked.tagName === "A") root.elements.gamut.checked = true;
    look(asked.dataset.look);
  });
  whenOpen((bench) => {
    const show = tilesOf(root, bench);
    repaint = () => show(looking === "proof");
    repaint();
  });
  let timer;
  root.addEventListener("input", () => {
    showKind(root);
    clearTimeout(timer);
    timer = setTimeout(() => repaint(), PAUSE_MS);
  });
  showKind(root);
}

function showKind(root) {
  const kind = root.elements.format.value;
  for (const part of root.querySelectorAll("[data-for-kinds]"))
    part.hidden = !part.dataset.forKinds.split(" ").includes(kind);
}

// return a function that lays the proof's tiles, by the form's settings, over the layer's own
function tilesOf(root, { viewer, layer }) {
  const address = root.dataset.proof.replace("0/0_0.png", "");
  let shown = "";
  let laid = null;
  return (proof) => {
    const query = proof ? settingsOf(root) : "";
    if (query === shown) return;
    shown = query;
    if (laid) viewer.world.removeItem(laid);
    laid = null;
    if (!proof) return;
    viewer.addTiledImage({
      tileSource: {
        width: layer.width,
        height: layer.height,
        tileSize: layer.tileSize,
        tileOverlap: layer.overlap,
        getTileUrl: (level, column, row) => `${address}${level}/${column}_${row}.png?${query}`,
      },
      x: 0,
      y: 0,
      width: 1,
      success: ({ item }) => {
        // settings may have changed meanwhile
        if (query === shown) laid = item;
        else viewer.world.removeItem(item);
      },
    });
  };
}

// everything that a tile depends on, which the file's name is not
function settingsOf(root) {
  const given = new FormData(root);
  given.delete("csrfmiddlewaretoken");
  given.set("pattern", "x");
  return String(new URLSearchParams(/** @type {any} */ (given)));
}
