// proof.js: the sheet, the proof or the picture itself in the stage; only the fields of the chosen kind of file.
import { whenOpen } from "../shared/viewer.js";

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
    for (const button of stage.querySelectorAll("button[data-look]")) button.setAttribute("aria-pressed", button.dataset.look === at);
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
  for (const part of root.querySelectorAll("[data-for-kinds]")) part.hidden = !part.dataset.forKinds.split(" ").includes(kind);
}

// gives a function that shows the layer's own tiles, or those of its proof with the settings in the form
function tilesOf(root, { viewer, layer }) {
  const address = root.dataset.proof.replace("0/0_0.png", "");
  let shown = "";
  return (proof) => {
    const query = proof ? new URLSearchParams([...new FormData(root)].filter(([name]) => name !== "csrfmiddlewaretoken" && name !== "pattern").concat([["pattern", "x"]])) : "";
    if (String(query) === shown) return;
    shown = String(query);
    const old = viewer.world.getItemAt(0);
    viewer.addTiledImage({
      tileSource: {
        width: layer.width,
        height: layer.height,
        tileSize: layer.tileSize,
        tileOverlap: layer.overlap,
        getTileUrl: (level, column, row) => (proof ? `${address}${level}/${column}_${row}.png?${query}` : `${layer.url}${level}/${column}_${row}.png`),
      },
      x: 0, y: 0, width: 1, index: 0, replace: Boolean(old),
    });
  };
}
