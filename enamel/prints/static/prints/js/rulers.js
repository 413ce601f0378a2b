// rulers.js: rulers: pixels along the top, millimetres of the print down the left.
import { fresh, toggle } from "../../web/js/shared/canvas.js";
import { MM_PER_INCH } from "../../web/js/shared/screen.js";

const THICK = 18;
const APART_PX = 64;

export function drawRulers(root, viewer, layer) {
  const across = root.querySelector("[data-ruler='across']");
  const down = root.querySelector("[data-ruler='down']");
  const inner = root.querySelector("[data-inner]");
  const item = viewer.world.getItemAt(0);
  const draw = () => {
    if (across.hidden) return;
    const at = (x, y) => item.imageToViewerElementCoordinates(new window.OpenSeadragon.Point(x, y));
    const [start, end] = [at(0, 0), at(layer.width, layer.height)];
    const perPx = (end.x - start.x) / layer.width;
    ruler(across, { start: start.x + THICK, per: perPx, length: layer.width, unit: "px", upright: false });
    const perMm = (perPx * layer.ppi) / MM_PER_INCH;
    ruler(down, {
      start: start.y + THICK,
      per: perMm,
      length: (layer.height / layer.ppi) * MM_PER_INCH,
      unit: "mm",
      upright: true,
    });
  };
  toggle(root.querySelector("[data-show='rulers']"), (on) => {
    across.hidden = down.hidden = !on;
    inner.toggleAttribute("data-ruled", on);
    requestAnimationFrame(draw);
  });
  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("resize", draw);
}

function ruler(canvas, { start, per, length, unit, upright }) {
  const { context, width, height } = fresh(canvas);
  const far = upright ? height : width;
  context.fillStyle = "#f4f1e8";
  context.fillRect(0, 0, width, height);
  context.strokeStyle = context.fillStyle = "#1b1d22";
  context.font = "10px 'IBM Plex Mono', monospace";
  const step = niceStep(APART_PX / per);
  const place = (value) => start + value * per;
  const first = Math.max(0, Math.floor((THICK - start) / per / step) * step);
  for (let value = first; value <= length && place(value) < far; value += step / 5) {
    const main = Math.abs(value / step - Math.round(value / step)) < 1e-6;
    tick(context, place(value), main ? 9 : 4, upright);
    if (main) write(context, `${Math.round(value)}${value === 0 ? ` ${unit}` : ""}`, place(value), upright);
  }
}

function tick(context, place, length, upright) {
  const at = Math.round(place) + 0.5;
  context.beginPath();
  context.moveTo(...(upright ? [THICK, at] : [at, THICK]));
  context.lineTo(...(upright ? [THICK - length, at] : [at, THICK - length]));
  context.stroke();
}

function write(context, text, place, upright) {
  context.save();
  if (upright) {
    context.translate(9, place + 3);
    context.rotate(Math.PI / 2);
    context.fillText(text, 0, 0);
  } else context.fillText(text, place + 3, 10);
  context.restore();
}

// the next larger 1, 2 or 5 times a power of ten
function niceStep(least) {
  const power = 10 ** Math.floor(Math.log10(Math.max(least, 1e-6)));
  const factor = [1, 2, 5, 10].find((candidate) => candidate * power >= least);
  return Math.max(1, factor * power);
}
