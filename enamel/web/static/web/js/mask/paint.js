// paint.js: draw a mask's steps on a canvas, with the same soft edges as the engine.

const SHAPES = ["stroke", "outline", "ellipse", "rectangle"];
const LEAST_BLUR = 0.3; // px of the canvas; less is not seen
const SMALL_BLUR = 2;
const scratches = [document.createElement("canvas"), document.createElement("canvas")];

// for each step, how much later steps move its edge outwards and widen it; in px of the mask
function edges(steps) {
  let [grown, soft] = [0, 0];
  const found = [];
  for (const step of [...steps].reverse()) {
    if (step.kind === "grow") grown += step.by;
    else if (step.kind === "feather") soft += step.by;
    else if (step.kind === "invert") grown = -grown;
    found.push({ grown: step.erase ? -grown : grown, soft });
  }
  return found.reverse();
}

// whether the last step leaves the earlier drawing unchanged
export function onlyAdds(before, after) {
  return (
    after.length === before.length + 1 &&
    before.every((step, place) => step === after[place]) &&
    SHAPES.includes(after.at(-1).kind)
  );
}

// draw white where the mask covers; `view` is { scale, left, top }, from px of the mask to the canvas
export function paint(context, steps, view) {
  const { width, height } = context.canvas;
  context.save();
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.clearRect(0, 0, width, height);
  const moved = edges(steps);
  steps.forEach((step, place) => {
    if (step.kind === "fill") {
      context.globalCompositeOperation = "source-over";
      context.fillStyle = "#fff";
      context.fillRect(0, 0, width, height);
    } else if (step.kind === "invert") {
      context.globalCompositeOperation = "xor";
      context.fillStyle = "#fff";
      context.fillRect(0, 0, width, height);
    } else if (SHAPES.includes(step.kind)) shape(context, step, moved[place], view);
  });
  context.restore();
}

// one shape with a soft edge. Blurring is slow, so only the part of the canvas that the shape covers is
// blurred, and at a scale at which the blur is small.
export function shape(context, step, edge, view) {
  const softness = edge.soft + (step.kind === "stroke" ? step.radius * (1 - step.hardness) : 0);
  const blur = (softness * view.scale) / 4; // a Gaussian of a quarter of the edge looks as wide
  context.save();
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.globalCompositeOperation = step.erase ? "destination-out" : "source-over";
  if (blur <= LEAST_BLUR) draw(context, step, edge, view);
  else {
    const box = covered(step, edge.grown, view, 3 * blur, context.canvas);
    if (box) {
      const by = Math.min(1, SMALL_BLUR / blur);
      const hard = sized(scratches[0], box, by);
      draw(hard, step, edge, {
        scale: view.scale * by,
        left: (view.left - box.left) * by,
        top: (view.top - box.top) * by,
      });
      const soft = sized(scratches[1], box, by);
      soft.filter = `blur(${(blur * by).toFixed(2)}px)`;
      soft.drawImage(scratches[0], 0, 0);
      context.drawImage(scratches[1], box.left, box.top, scratches[1].width / by, scratches[1].height / by);
    }
  }
  context.restore();
}

function sized(canvas, { width, height }, by) {
  canvas.width = Math.ceil(width * by);
  canvas.height = Math.ceil(height * by);
  return canvas.getContext("2d");
}

// the part of the canvas that a shape can reach, or null for none
function covered(step, grown, view, margin, { width, height }) {
  const [left, top, right, bottom] = extent(step);
  const reach = Math.max(0, grown);
  const x = Math.max(0, Math.floor((left - reach) * view.scale + view.left - margin));
  const y = Math.max(0, Math.floor((top - reach) * view.scale + view.top - margin));
  const wide = Math.min(width, Math.ceil((right + reach) * view.scale + view.left + margin)) - x;
  const high = Math.min(height, Math.ceil((bottom + reach) * view.scale + view.top + margin)) - y;
  return wide > 0 && high > 0 ? { left: x, top: y, width: wide, height: high } : null;
}

// left, top, right and bottom in px of the mask, before anything moves the edge
function extent(step) {
  if (step.kind === "rectangle") return [step.x, step.y, step.x + step.width, step.y + step.height];
  if (step.kind === "ellipse") {
    const half = Math.max(step.across, step.down);
    return [step.x - half, step.y - half, step.x + half, step.y + half];
  }
  const each = step.kind === "stroke" ? 3 : 2;
  const half = step.radius ?? 0;
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let place = 0; place < step.points.length; place += each) {
    left = Math.min(left, step.points[place] - half);
    right = Math.max(right, step.points[place] + half);
    top = Math.min(top, step.points[place + 1] - half);
    bottom = Math.max(bottom, step.points[place + 1] + half);
  }
  return [left, top, right, bottom];
}

function draw(context, step, edge, view) {
  context.setTransform(view.scale, 0, 0, view.scale, view.left, view.top);
  context.fillStyle = context.strokeStyle = "#fff";
  context.lineCap = context.lineJoin = "round";
  if (step.kind === "stroke") {
    stroke(context, step, edge.grown);
    return;
  }
  const path = outlineOf(step, edge.grown);
  context.fill(path, "evenodd");
  if (step.kind === "outline" && edge.grown > 0) {
    context.lineWidth = 2 * edge.grown;
    context.stroke(path);
  }
}

function outlineOf(step, grown) {
  const path = new Path2D();
  if (step.kind === "ellipse") {
    const [across, down] = [Math.max(0, step.across + grown), Math.max(0, step.down + grown)];
    path.ellipse(step.x, step.y, across, down, ((step.turn ?? 0) * Math.PI) / 180, 0, 2 * Math.PI);
  } else if (step.kind === "rectangle") {
    path.rect(step.x - grown, step.y - grown, step.width + 2 * grown, step.height + 2 * grown);
  } else {
    for (let place = 0; place < step.points.length; place += 2) path.lineTo(step.points[place], step.points[place + 1]);
    path.closePath();
  }
  return path;
}

function stroke(context, { points, radius, hardness }, grown) {
  const half = (pressure) => Math.max(0.1, (radius * pressure * (1 + hardness)) / 2 + grown);
  for (let place = 0; place < points.length; place += 3) {
    const next = Math.min(place + 3, points.length - 3);
    context.lineWidth = half(points[place + 2]) + half(points[next + 2]);
    context.beginPath();
    context.moveTo(points[place], points[place + 1]);
    context.lineTo(points[next] + (next === place ? 0.01 : 0), points[next + 1]);
    context.stroke();
  }
}
