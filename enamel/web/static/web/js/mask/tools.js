// tools.js: the panel of the current mask: tools, brush, steps for the whole mask, measured and saved masks.
import { overlay } from "./overlay.js";
import { send } from "../shared/send.js";
import { drawing } from "./draw.js";

const STEPS = {
  invert: () => ({ kind: "invert" }),
  fill: () => ({ kind: "fill" }),
  grow: (px) => ({ kind: "grow", by: px }),
  shrink: (px) => ({ kind: "grow", by: -px }),
  feather: (px) => ({ kind: "feather", by: px }),
};
const GROWS_BY = 0.006; // of the picture's longer side, in px of the mask
const LARGEST = 0.25; // radius of the brush, of the longer side

// show `steps` over the picture, and draw with the tools in `root`
export function maskTools(root, { viewer, layer }, steps) {
  const canvas = document.querySelector("[data-mask]");
  const item = viewer.world.getItemAt(0);
  const longest = Math.max(...steps.size);
  const brush = brushOf(root, longest);
  let tool = null;
  const view = () => {
    const start = item.imageToViewerElementCoordinates(new window.OpenSeadragon.Point(0, 0));
    const end = item.imageToViewerElementCoordinates(new window.OpenSeadragon.Point(layer.width, 0));
    return { scale: (end.x - start.x) / steps.size[0], left: start.x, top: start.y };
  };
  const show = overlay(canvas, steps, {
    view,
    moved: (listener) => ["update-viewport", "resize"].forEach((name) => viewer.addHandler(name, listener)),
  });
  const turn = (wanted) => {
    tool = tool === wanted ? null : wanted;
    for (const button of root.querySelectorAll("[data-tool]"))
      button.setAttribute("aria-pressed", button.dataset.tool === tool);
    canvas.style.pointerEvents = tool ? "auto" : "none";
    ring(canvas, tool, brush, view);
  };
  for (const button of root.querySelectorAll("[data-tool]"))
    button.addEventListener("click", () => turn(button.dataset.tool));
  drawing(canvas, {
    tool: () => tool,
    how: brush.now,
    view,
    show,
    done: (step) => steps.add(step),
  });
  wheel(canvas, viewer, brush, () => ring(canvas, tool, brush, view));
  brush.listen(() => ring(canvas, tool, brush, view));
  panWithSpace(canvas, () => tool);
  wholeMask(root, steps, longest);
  undoing(root, steps);
  taken(root, steps);
  keeping(root, steps);
  renaming(root);
  const says = root.querySelector("[data-mask-says]");
  const notify = () => {
    says.textContent = steps.steps.length
      ? `${steps.steps.length} step${steps.steps.length > 1 ? "s" : ""}`
      : "Nothing drawn";
  };
  steps.listen(notify);
  notify();
  turn(null);
}

// the sliders are on a curve, so that small brushes can be distinguished
function brushOf(root, longest) {
  const [radius, hardness] = [root.querySelector("[data-radius]"), root.querySelector("[data-hardness]")];
  const listeners = [];
  const px = () => Math.max(1, LARGEST * longest * (radius.value / 100) ** 2.5);
  const notify = () => {
    root.querySelector("[data-radius-now]").textContent = `${Math.round(px())} px`;
    root.querySelector("[data-hardness-now]").textContent = `${hardness.value} %`;
    for (const listener of listeners) listener();
  };
  const by = (factor) => {
    const wanted = Math.min(LARGEST * longest, Math.max(1, px() * factor));
    radius.value = 100 * (wanted / (LARGEST * longest)) ** 0.4;
    notify();
  };
  radius.addEventListener("input", notify);
  hardness.addEventListener("input", notify);
  for (const button of root.querySelectorAll("[data-brush-by]"))
    button.addEventListener("click", () => by(Number(button.dataset.brushBy)));
  notify();
  return {
    now: () => ({ radius: px(), hardness: hardness.value / 100 }),
    by,
    listen: (listener) => listeners.push(listener),
  };
}

// the pointer is a ring of the brush's size
function ring(canvas, tool, brush, view) {
  if (!tool) canvas.style.cursor = "";
  else if (!["brush", "eraser"].includes(tool)) canvas.style.cursor = "crosshair";
  else {
    const across = Math.min(126, Math.max(4, 2 * brush.now().radius * view().scale));
    const half = Math.ceil(across / 2) + 1;
    const circle = (colour, more) =>
      `<circle cx="${half}" cy="${half}" r="${across / 2 - more}" fill="none" stroke="${colour}"/>`;
    const drawn = `<svg xmlns="http://www.w3.org/2000/svg" width="${2 * half}" height="${2 * half}">${circle("black", 0)}${circle("white", 1)}</svg>`;
    canvas.style.cursor =
      across >= 126 ? "crosshair" : `url("data:image/svg+xml,${encodeURIComponent(drawn)}") ${half} ${half}, crosshair`;
  }
}

// the wheel zooms; with Shift it changes the brush
function wheel(canvas, viewer, brush, changed) {
  canvas.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      const down = (event.deltaY || event.deltaX) > 0;
      if (event.shiftKey) brush.by(down ? 0.87 : 1.15);
      else {
        const bounds = canvas.getBoundingClientRect();
        const at = new window.OpenSeadragon.Point(event.clientX - bounds.left, event.clientY - bounds.top);
        viewer.viewport.zoomBy(down ? 1 / 1.2 : 1.2, viewer.viewport.pointFromPixel(at, true));
      }
      changed();
    },
    { passive: false },
  );
}

// held down, the space bar lets the picture be dragged
function panWithSpace(canvas, tool) {
  document.addEventListener("keydown", (event) => {
    if (event.key !== " " || !tool() || event.target.closest("button, input, select, textarea, summary, a")) return;
    event.preventDefault();
    canvas.style.pointerEvents = "none";
  });
  document.addEventListener("keyup", ({ key }) => {
    if (key === " " && tool()) canvas.style.pointerEvents = "auto";
  });
}

function wholeMask(root, steps, longest) {
  const px = Math.max(1, Math.round(GROWS_BY * longest));
  for (const button of root.querySelectorAll("[data-step]")) {
    button.addEventListener("click", () => {
      if (button.dataset.step === "clear") steps.replace([]);
      else steps.add(STEPS[button.dataset.step](px));
    });
  }
}

function undoing(root, steps) {
  const [undo, redo] = [root.querySelector("[data-mask-undo]"), root.querySelector("[data-mask-redo]")];
  undo.addEventListener("click", () => steps.undo());
  redo.addEventListener("click", () => steps.redo());
  steps.listen(() => {
    undo.disabled = !steps.before.length;
    redo.disabled = !steps.undone.length;
  });
}

export async function ask(root, address, given) {
  const wrong = root.querySelector("[data-mask-wrong]");
  const { answer, refused } = await send(address, given);
  wrong.hidden = !refused;
  wrong.textContent = refused ?? "";
  return answer ? answer.json() : null;
}

// measured and saved masks
function taken(root, steps) {
  const from = root.querySelector("[data-mask-from]");
  from.addEventListener("change", async () => {
    const { value } = from;
    if (!value) return;
    const kept = "kept" in from.selectedOptions[0].dataset;
    const found = kept ? await (await fetch(value)).json() : await ask(root, root.dataset.measured, { measure: value });
    from.value = "";
    if (found) steps.take(found.mask);
  });
}

function renaming(root) {
  const from = root.querySelector("[data-mask-from]");
  for (const entry of root.querySelectorAll("[data-kept-mask]")) {
    const field = entry.querySelector("input");
    const option = [...from.options].find(({ textContent }) => textContent === field.value);
    entry.querySelector("[data-rename]").addEventListener("click", async () => {
      const found = await ask(root, entry.dataset.keptMask, { name: field.value });
      if (found) option.textContent = field.value = found.name;
    });
    entry.querySelector("[data-delete]").addEventListener("click", async () => {
      if (!(await ask(root, entry.dataset.keptMask, { delete: "" }))) return;
      option.remove();
      entry.remove();
    });
  }
}

function keeping(root, steps) {
  const name = root.querySelector("[data-mask-name]");
  root.querySelector("[data-mask-keep]").addEventListener("click", () => {
    name.hidden = !name.hidden;
    if (!name.hidden) name.querySelector("input").focus();
  });
  const keep = async () => {
    const kept = await ask(root, root.dataset.keepMask, {
      name: name.querySelector("input").value,
      mask: steps.toJson(),
    });
    if (!kept) return;
    name.hidden = true;
    const from = root.querySelector("[data-mask-from]");
    const known = [...from.options].find((option) => option.textContent === kept.name);
    const option = known ?? document.createElement("option");
    option.textContent = kept.name;
    option.value = `/masks/${kept.number}/`;
    option.dataset.kept = "";
    from.append(option);
    root.querySelector("[data-mask-says]").textContent = `Kept as “${kept.name}”`;
  };
  root.querySelector("[data-mask-keep-now]").addEventListener("click", keep);
  name.querySelector("input").addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    keep();
  });
}
