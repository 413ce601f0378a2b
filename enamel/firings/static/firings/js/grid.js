// grid.js: draw the tiles of the current coat over the picture: order and overlaps.
import { fresh, toggle } from "../../web/js/shared/canvas.js";

const READABLE_PX = 34;

export function drawGrid(root, viewer, layer) {
  const canvas = root.querySelector("[data-grid]");
  const aspect = layer.height / layer.width;
  let tiles = [];
  let done = 0;

  const draw = () => {
    if (canvas.hidden) return;
    const { context, width, height } = fresh(canvas);
    context.font = "500 12px 'IBM Plex Mono', monospace";
    context.textAlign = "center";
    context.textBaseline = "middle";
    for (const [number, [x, y, w, h]] of tiles.entries()) {
      const rect = new window.OpenSeadragon.Rect(x, y * aspect, w, h * aspect);
      const place = viewer.viewport.viewportToViewerElementRectangle(rect);
      if (place.x > width || place.y > height || place.x + place.width < 0 || place.y + place.height < 0) continue;
      context.fillStyle = number < done ? "#3e7d6e55" : "#14366f26"; // overlaps are covered twice, so they are darker
      context.fillRect(place.x, place.y, place.width, place.height);
      context.strokeStyle = "#ffffffcc";
      context.strokeRect(place.x + 0.5, place.y + 0.5, place.width, place.height);
      if (place.width > READABLE_PX) label(context, number + 1, place);
    }
  };

  const take = (grid) => {
    tiles = grid?.tiles ?? [];
    canvas.dataset.tiles = tiles.length;
    draw();
  };
  document.addEventListener("enamel:grid", ({ detail }) => take(detail));
  const grids = JSON.parse(document.querySelector("[data-grids]")?.dataset.grids || "[]");
  document.addEventListener("enamel:tiles", ({ detail }) => {
    const grid = grids[detail.coat];
    done = grid?.alone ? detail.done - grid.before : 0;
    take(grid);
  });
  toggle(root.querySelector("[data-show='grid']"), (on) => {
    canvas.hidden = !on;
    draw();
  });
  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("resize", draw);
}

function label(context, text, place) {
  const [x, y] = [place.x + place.width / 2, place.y + place.height / 2];
  const width = context.measureText(text).width + 8;
  context.fillStyle = "#1b1d22cc";
  context.fillRect(x - width / 2, y - 9, width, 18);
  context.fillStyle = "#ffffff";
  context.fillText(text, x, y + 1);
}
