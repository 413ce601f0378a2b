// print.js: choose papers, turn them, and draw the crop or the paper's edge over the picture.
import { setValue } from "../../web/js/shared/set-value.js";
import { place, svg } from "../../web/js/shared/svg.js";
import { whenOpen } from "../../web/js/shared/viewer.js";

export function init(root) {
  papers(root);
  root.addEventListener("click", ({ target }) => {
    const take = target.closest("[data-take-ppi]");
    if (take) setValue(root.elements.ppi, take.dataset.takePpi);
  });
  whenOpen((bench) => overlay(root, bench));
}

// a named paper takes the picture's orientation, a product keeps its own; typed sizes have no name
function papers(root) {
  const known = JSON.parse(root.dataset.papers);
  const { paper, width, height, bleed, wrap } = root.elements;
  const wide = Number(root.dataset.sourceWidth) > Number(root.dataset.sourceHeight);
  paper.addEventListener("input", () => {
    const chosen = known[paper.value];
    if (!chosen) return;
    const product = chosen.bleed !== undefined;
    [width.value, height.value] = wide && !product ? [...chosen.sides].reverse() : chosen.sides;
    if (product) bleed.value = chosen.bleed;
    wrap.value = product ? chosen.wrap : "0";
  });
  for (const field of [width, height])
    field.addEventListener("input", () => {
      paper.value = "";
    });
  root.querySelector("[data-turn]").addEventListener("click", () => {
    const named = paper.value;
    [width.value, height.value] = [height.value, width.value];
    setValue(width, width.value);
    paper.value = named;
  });
}

function overlay(root, { viewer, layer }) {
  const drawing = document.querySelector("[data-regions]");
  const item = viewer.world.getItemAt(0);
  const thirds = root.querySelector("[data-thirds]");
  let held = null;

  const layout = () => {
    const known = root.querySelector("[data-layout]")?.dataset.layout;
    return known ? JSON.parse(known) : null;
  };
  const onScreen = ([x, y, width, height]) => {
    const at = (px, py) =>
      item.imageToViewerElementCoordinates(new window.OpenSeadragon.Point(px * layer.width, py * layer.height));
    const [start, end] = [at(x, y), at(x + width, y + height)];
    return { x: start.x, y: start.y, width: end.x - start.x, height: end.y - start.y };
  };
  const draw = () => {
    const now = layout();
    drawing.replaceChildren();
    if (!now || now.fit === "inside") return;
    const file = onScreen(now.file);
    const [width, height] = [drawing.clientWidth, drawing.clientHeight];
    const hole = `M0 0H${width}V${height}H0ZM${file.x} ${file.y}v${file.height}h${file.width}v${-file.height}Z`;
    drawing.append(shape("path", "print-shade", { d: hole, "fill-rule": "evenodd" }));
    const edge = shape("rect", "print-edge", file);
    if (now.fit === "fill") {
      edge.style.pointerEvents = "all";
      edge.style.cursor = "move";
      edge.addEventListener("pointerdown", (event) => {
        edge.setPointerCapture(event.pointerId);
        held = { x: event.clientX, y: event.clientY, file: now.file };
      });
      edge.addEventListener("pointermove", (event) => held && move(event));
      edge.addEventListener("pointerup", () => {
        held = null;
      });
      if (thirds.checked) drawing.append(...thirdsOf(file));
    }
    drawing.append(edge, shape("rect", "print-trim", onScreen(now.trim)));
    if (now.front[2] < now.trim[2]) drawing.append(shape("rect", "print-front", onScreen(now.front)));
  };
  // the crop stays on the picture: its centre is at least half its size from the edges
  const move = (event) => {
    const whole = onScreen([0, 0, 1, 1]);
    const [x, y, width, height] = held.file;
    const middle = (start, length, by, side) =>
      Math.min(1 - length / 2, Math.max(length / 2, start + length / 2 + by / side));
    const across = middle(x, width, event.clientX - held.x, whole.width);
    const down = middle(y, height, event.clientY - held.y, whole.height);
    root.elements.centre_x.value = (100 * across).toFixed(2);
    setValue(root.elements.centre_y, (100 * down).toFixed(2));
    const now = layout();
    const by = [across - width / 2 - now.file[0], down - height / 2 - now.file[1]];
    for (const box of [now.file, now.trim, now.front]) {
      box[0] += by[0];
      box[1] += by[1];
    }
    root.querySelector("[data-layout]").dataset.layout = JSON.stringify(now);
    const edge = drawing.querySelector(".print-edge");
    place(edge, onScreen(now.file));
    place(drawing.querySelector(".print-trim"), onScreen(now.trim));
    const front = drawing.querySelector(".print-front");
    if (front) place(front, onScreen(now.front));
  };
  thirds.addEventListener("change", draw);
  root.addEventListener("enamel:consequences", () => held || draw());
  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("resize", draw);
  drawing.style.pointerEvents = "none";
  draw();
}

function shape(name, style, places) {
  return svg(name, { class: style, ...places });
}

function thirdsOf({ x, y, width, height }) {
  return [1, 2].flatMap((part) => [
    shape("path", "print-thirds", { d: `M${x + (part * width) / 3} ${y}v${height}` }),
    shape("path", "print-thirds", { d: `M${x} ${y + (part * height) / 3}h${width}` }),
  ]);
}
