// ways.js: the ways of comparing. Each draws a scene, and returns where each picture is.
//
// A scene has `pictures` (each with draw and name), `first` and `second`, `size` in device px, `at` (the line or the
// lens, as fractions of the stage), `ratio` (device px for one CSS px), and the ways' own amounts.

export const ways = { wipe, side, grid, blink, difference, onion, loupe };

// amounts: the value that "more" and "less" change for each way, with its range and step
export const AMOUNTS = {
  wipe: { name: "angle", words: "Angle", from: -90, to: 90, step: 5, unit: "°" },
  blink: { name: "rate", words: "Rate", from: 0.5, to: 3, step: 0.5, unit: "per s" },
  difference: { name: "gain", words: "Amplified", from: 1, to: 32, step: 1, unit: "×" },
  onion: { name: "opacity", words: "Opacity", from: 0, to: 100, step: 5, unit: "%" },
  loupe: { name: "lens", words: "Magnified", from: 1, to: 8, step: 1, unit: ":1" },
};

function whole(scene) {
  return { x: 0, y: 0, ...scene.size };
}

function fill(context, scene, picture, pane = whole(scene)) {
  context.save();
  context.beginPath();
  context.rect(pane.x, pane.y, pane.width, pane.height);
  context.clip();
  context.translate(pane.x, pane.y);
  picture.draw(context, scene.frame(pane), scene.smooth(picture));
  context.restore();
  return { picture, ...pane };
}

function wipe(context, scene) {
  const left = fill(context, scene, scene.first);
  const { width, height } = scene.size;
  const [x, y] = [scene.at.x * width, scene.at.y * height];
  const turn = (scene.angle * Math.PI) / 180;
  const along = { x: Math.sin(turn), y: Math.cos(turn) };
  const across = { x: Math.cos(turn), y: -Math.sin(turn) };
  const far = 2 * (width + height);
  context.save();
  context.beginPath();
  context.moveTo(x - along.x * far, y - along.y * far);
  context.lineTo(x + along.x * far, y + along.y * far);
  context.lineTo(x + (along.x + across.x) * far, y + (along.y + across.y) * far);
  context.lineTo(x - (along.x - across.x) * far, y - (along.y - across.y) * far);
  context.clip();
  const right = fill(context, scene, scene.second);
  context.restore();
  return [left, { ...right, side: "right" }];
}

function panes(scene, columns) {
  const gap = Math.round(2 * scene.ratio);
  const rows = Math.ceil(scene.pictures.length / columns);
  const width = Math.floor((scene.size.width - gap * (columns - 1)) / columns);
  const height = Math.floor((scene.size.height - gap * (rows - 1)) / rows);
  return scene.pictures.map((picture, place) => ({
    picture,
    x: (place % columns) * (width + gap),
    y: Math.floor(place / columns) * (height + gap),
    width,
    height,
  }));
}

function side(context, scene) {
  return panes(scene, scene.pictures.length).map((pane) => fill(context, scene, pane.picture, pane));
}

function grid(context, scene) {
  const columns = Math.ceil(Math.sqrt(scene.pictures.length));
  return panes(scene, columns).map((pane) => fill(context, scene, pane.picture, pane));
}

function blink(context, scene) {
  return [fill(context, scene, scene.pictures[scene.turn % scene.pictures.length])];
}

function onion(context, scene) {
  const below = fill(context, scene, scene.first);
  context.globalAlpha = scene.opacity / 100;
  const above = fill(context, scene, scene.second);
  context.globalAlpha = 1;
  return [below, { ...above, side: "right" }];
}

// absolute: |second − first|, black where they are equal; signed: grey where they are equal, lighter where the second is
function difference(context, scene) {
  const { width, height } = scene.size;
  const [one, other, mixed] = ["one", "other", "mixed"].map((name) => sheet(scene, name, width, height));
  const tone = scene.luma ? "grayscale(1)" : "none";
  fill(one, scene, scene.first);
  fill(other, scene, scene.second);
  mixed.globalCompositeOperation = "source-over";
  mixed.globalAlpha = 1;
  mixed.filter = tone;
  mixed.drawImage(other.canvas, 0, 0);
  if (scene.signed) {
    mixed.globalAlpha = 0.5;
    mixed.filter = scene.luma ? "grayscale(1) invert(1)" : "invert(1)";
  } else {
    mixed.globalCompositeOperation = "difference";
  }
  mixed.drawImage(one.canvas, 0, 0);
  context.save();
  context.filter = scene.signed ? `contrast(${2 * scene.gain})` : `brightness(${scene.gain})`;
  context.drawImage(mixed.canvas, 0, 0);
  context.restore();
  return [
    { picture: scene.first, ...whole(scene) },
    { picture: scene.second, ...whole(scene), side: "right" },
  ];
}

function sheet(scene, name, width, height) {
  scene.sheets[name] ??= new OffscreenCanvas(width, height).getContext("2d");
  const { canvas } = scene.sheets[name];
  if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height });
  scene.sheets[name].fillStyle = "#777";
  scene.sheets[name].filter = "none";
  scene.sheets[name].globalAlpha = 1;
  scene.sheets[name].globalCompositeOperation = "source-over";
  scene.sheets[name].fillRect(0, 0, width, height);
  return scene.sheets[name];
}

function loupe(context, scene) {
  const below = fill(context, scene, scene.first);
  const [x, y] = [scene.at.x * scene.size.width, scene.at.y * scene.size.height];
  const radius = 130 * scene.ratio;
  const frame = scene.frame(whole(scene));
  const k = scene.lens * scene.second.width;
  const here = { left: frame.left + x / frame.k, top: frame.top + y / frame.k };
  context.save();
  context.beginPath();
  context.arc(x, y, radius, 0, 2 * Math.PI);
  context.clip();
  context.fillStyle = "#777";
  context.fillRect(x - radius, y - radius, 2 * radius, 2 * radius);
  context.translate(x - radius, y - radius);
  scene.second.draw(
    context,
    { left: here.left - radius / k, top: here.top - radius / k, k, width: 2 * radius, height: 2 * radius },
    () => false,
  );
  context.restore();
  context.lineWidth = 2 * scene.ratio;
  for (const { style, more } of [
    { style: "#000", more: 1 },
    { style: "#fff", more: -1 },
  ]) {
    context.strokeStyle = style;
    context.beginPath();
    context.arc(x, y, radius + more * scene.ratio, 0, 2 * Math.PI);
    context.stroke();
  }
  return [below, { picture: scene.second, ...whole(scene), side: "right" }];
}
