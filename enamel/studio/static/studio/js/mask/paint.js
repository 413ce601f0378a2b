// paint.js: a mask's steps painted on a canvas, as the engine reads them: the same edges, softly.

const SHAPES = ["stroke", "outline", "ellipse", "rectangle"];

// what later steps do to each step's edge: moved outwards, widened; in px of the mask
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

// paints white where the mask covers; `view` is { scale, left, top }, from px of the mask to the canvas
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

export function shape(context, step, edge, view) {
  context.save();
  context.setTransform(view.scale, 0, 0, view.scale, view.left, view.top);
  context.globalCompositeOperation = step.erase ? "destination-out" : "source-over";
  context.fillStyle = context.strokeStyle = "#fff";
  context.lineCap = context.lineJoin = "round";
  const softness = edge.soft + (step.kind === "stroke" ? step.radius * (1 - step.hardness) : 0);
  const blur = (softness * view.scale) / 4; // a Gaussian of a quarter of the edge looks as wide
  if (blur > 0.3) context.filter = `blur(${blur.toFixed(2)}px)`;
  if (step.kind === "stroke") stroke(context, step, edge.grown);
  else {
    const path = outlineOf(step, edge.grown);
    context.fill(path, "evenodd");
    if (step.kind === "outline" && edge.grown > 0) {
      context.lineWidth = 2 * edge.grown;
      context.stroke(path);
    }
  }
  context.restore();
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
