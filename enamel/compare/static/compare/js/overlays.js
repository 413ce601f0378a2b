// overlays.js: draw over compared pictures: names, boxes of findings, a map of a measure.
const PLATE = "#f4f1e8";
const INK = "#1b1d22";

export function names(context, panes, ratio) {
  context.font = `500 ${13 * ratio}px Barlow, sans-serif`;
  context.textBaseline = "middle";
  for (const { picture, x, y, width, side } of panes) {
    const words = `${picture.letter}  ${picture.name} · ${picture.width} × ${picture.height}`;
    const long = Math.min(width - 16 * ratio, context.measureText(words).width + 16 * ratio);
    const left = side === "right" ? x + width - long - 8 * ratio : x + 8 * ratio;
    context.fillStyle = "rgb(27 29 34 / 0.85)";
    context.beginPath();
    context.roundRect(left, y + 8 * ratio, long, 22 * ratio, 3 * ratio);
    context.fill();
    context.fillStyle = PLATE;
    context.fillText(words, left + 8 * ratio, y + 19.5 * ratio, long - 16 * ratio);
  }
}

// boxes of one picture's findings, over every pane; the current one is thicker
export function boxes(context, scene, panes, findings, current, width) {
  for (const pane of panes.filter(({ side }) => side !== "right")) {
    const frame = clipped(context, scene, pane);
    for (const finding of findings) {
      const [x, y, wide, high] = finding.box.map((length) => (length / width) * frame.k);
      const place = [pane.x + x - frame.left * frame.k, pane.y + y - frame.top * frame.k, wide, high];
      const thick = finding === current ? 3 : 1.5;
      for (const { style, more } of [
        { style: INK, more: 2 },
        { style: finding === current ? "#ffffff" : PLATE, more: 0 },
      ]) {
        context.strokeStyle = style;
        context.lineWidth = (thick + more) * scene.ratio;
        context.strokeRect(...place);
      }
    }
    context.restore();
  }
}

// restrict drawing to a pane, until the context is restored
function clipped(context, scene, pane) {
  context.save();
  context.beginPath();
  context.rect(pane.x, pane.y, pane.width, pane.height);
  context.clip();
  return scene.frame(pane);
}

// a map's values in red, stronger for larger ones; nothing below half the threshold
export function chart({ columns, rows, levels }) {
  const bytes = Uint8Array.from(atob(levels), (sign) => sign.charCodeAt(0));
  const image = new ImageData(columns, rows);
  bytes.forEach((level, place) => {
    const strength = Math.max(0, (level - 64) / 191);
    image.data.set([196, 49, 31, Math.round(200 * strength)], 4 * place);
  });
  const canvas = new OffscreenCanvas(columns, rows);
  canvas.getContext("2d").putImageData(image, 0, 0);
  return canvas;
}

export function map(context, scene, panes, drawn, shape) {
  for (const pane of panes.filter(({ side }) => side !== "right")) {
    const frame = clipped(context, scene, pane);
    context.imageSmoothingEnabled = true;
    context.drawImage(drawn, pane.x - frame.left * frame.k, pane.y - frame.top * frame.k, frame.k, frame.k * shape);
    context.restore();
  }
}
