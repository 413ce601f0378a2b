// overlay.js: draw the current mask over the picture. While the picture moves, the drawing moves with it;
// once it rests, the mask is drawn anew at full resolution.
import { onlyAdds, paint, shape } from "./paint.js";

const REST_MS = 90;
const TINT = "#3e7d6e";
const SEEN = 0.45;
const PLAIN = { grown: 0, soft: 0 };

export function overlay(canvas, steps, { view: seen, moved }) {
  const ratio = window.devicePixelRatio || 1;
  const kept = document.createElement("canvas");
  let keptView = null;
  let painted = [];
  let stroke = null;
  let frame = 0;
  let timer = 0;

  const size = () => {
    const { clientWidth, clientHeight } = canvas;
    for (const one of [canvas, kept]) {
      one.width = Math.round(clientWidth * ratio);
      one.height = Math.round(clientHeight * ratio);
    }
  };
  const now = () => {
    const { scale, left, top } = seen();
    return { scale: scale * ratio, left: left * ratio, top: top * ratio };
  };
  const sharpen = () => {
    const view = now();
    const still = keptView && ["scale", "left", "top"].every((name) => view[name] === keptView[name]);
    if (still && onlyAdds(painted, steps.steps)) shape(kept.getContext("2d"), steps.steps.at(-1), PLAIN, view);
    else paint(kept.getContext("2d"), steps.steps, view);
    [keptView, painted] = [view, steps.steps];
    draw();
  };
  const draw = () => {
    cancelAnimationFrame(frame);
    frame = requestAnimationFrame(() => {
      const context = canvas.getContext("2d");
      const here = now();
      const by = here.scale / keptView.scale;
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.globalCompositeOperation = "source-over";
      context.clearRect(0, 0, canvas.width, canvas.height);
      context.setTransform(by, 0, 0, by, here.left - keptView.left * by, here.top - keptView.top * by);
      context.drawImage(kept, 0, 0);
      if (stroke) shape(context, stroke, PLAIN, here);
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.globalCompositeOperation = "source-in";
      context.globalAlpha = SEEN;
      context.fillStyle = TINT;
      context.fillRect(0, 0, canvas.width, canvas.height);
      context.globalAlpha = 1;
    });
  };
  moved(() => {
    if (!keptView) return;
    draw();
    clearTimeout(timer);
    timer = setTimeout(sharpen, REST_MS);
  });
  steps.listen(() => {
    stroke = null;
    sharpen();
  });
  new ResizeObserver(() => {
    size();
    keptView = null;
    sharpen();
  }).observe(canvas);
  size();
  sharpen();
  return (step) => {
    stroke = step;
    draw();
  };
}
