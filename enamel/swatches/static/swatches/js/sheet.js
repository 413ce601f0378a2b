// sheet.js: move and zoom all swatches of a sheet together, mark and apply them by key, show new ones as they are made.
import { request } from "../../web/js/shared/request.js";
import { poll } from "../../web/js/shared/poll.js";

const PAUSE_MS = 500;
const VERDICTS = { favourite: "v", reject: "x" };

export function init(root) {
  const grid = root.querySelector("[data-cells]");
  const cells = [...grid.querySelectorAll("[data-cell]")];
  const size = { width: Number(root.dataset.width), height: Number(root.dataset.height) };
  const view = { zoom: 0, x: 0.5, y: 0.5 }; // zoom 0 fits; x and y are fractions in the middle
  const across = Number(grid.dataset.columns);
  // the base has a separate column, so that the columns of values stay aligned
  grid.style.gridTemplateColumns = `repeat(${1 + across}, minmax(210px, 1fr))`;
  cells[0].style.gridRow = `1 / span ${Math.ceil((cells.length - 1) / across)}`;

  const draw = () => cells.forEach((cell) => place(cell, size, view));
  const set = (change) => {
    Object.assign(view, change);
    view.x = Math.min(1, Math.max(0, view.x));
    view.y = Math.min(1, Math.max(0, view.y));
    draw();
  };
  for (const button of root.querySelectorAll("[data-zoom]")) {
    button.addEventListener("click", () =>
      set({ zoom: button.dataset.zoom === "fit" ? 0 : Number(button.dataset.zoom) }),
    );
  }
  const pick = picking(root);
  for (const cell of cells) {
    pan(cell, size, view, set);
    keys(cell, cells, draw, pick);
  }
  new ResizeObserver(draw).observe(grid);
  if ("open" in root.dataset) follow(root, cells, draw);
  draw();
}

// the first one picked waits, the second takes both to the comparing bench
function picking(root) {
  let waiting = null;
  return (cell) => {
    if (!cell.dataset.verdictUrl || !cell.querySelector("img")) return;
    if (waiting && waiting !== cell) {
      window.location.assign(`${root.dataset.compare}&show=s${waiting.dataset.cell},s${cell.dataset.cell}`);
      return;
    }
    cell.toggleAttribute("data-picked", waiting === null);
    waiting = waiting === cell ? null : cell;
  };
}

function scaleOf(frame, size, view) {
  if (view.zoom) return view.zoom / (window.devicePixelRatio || 1);
  return Math.min(frame.clientWidth / size.width, frame.clientHeight / size.height);
}

function place(cell, size, view) {
  const frame = cell.querySelector("[data-view]");
  const scale = scaleOf(frame, size, view);
  const left = frame.clientWidth / 2 - (view.zoom ? view.x : 0.5) * size.width * scale;
  const top = frame.clientHeight / 2 - (view.zoom ? view.y : 0.5) * size.height * scale;
  for (const image of frame.querySelectorAll("img")) {
    image.style.cssText =
      `position:absolute;max-width:none;width:${size.width * scale}px;left:${left}px;top:${top}px;` +
      (scale >= 2 ? "image-rendering:pixelated" : "");
  }
}

function pan(cell, size, view, set) {
  const frame = cell.querySelector("[data-view]");
  frame.addEventListener("pointerdown", (event) => {
    if (!view.zoom) return;
    frame.setPointerCapture(event.pointerId);
  });
  frame.addEventListener("pointermove", (event) => {
    if (!frame.hasPointerCapture(event.pointerId)) return;
    const scale = scaleOf(frame, size, view);
    set({ x: view.x - event.movementX / (size.width * scale), y: view.y - event.movementY / (size.height * scale) });
  });
  frame.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      const now = view.zoom || scaleOf(frame, size, view) * (window.devicePixelRatio || 1);
      set({ zoom: Math.min(16, Math.max(0.1, now * (event.deltaY < 0 ? 1.25 : 0.8))) });
    },
    { passive: false },
  );
}

function keys(cell, cells, draw, pick) {
  const base = cells[0].querySelector("img");
  let shown = null;
  cell.addEventListener("keydown", (event) => {
    if (event.target !== cell || event.ctrlKey || event.metaKey || event.altKey) return;
    const verdict = Object.keys(VERDICTS).find((name) => VERDICTS[name] === event.key);
    if (verdict && cell.dataset.verdictUrl) mark(cell, verdict);
    else if (event.key === "c") pick(cell);
    else if (event.key === "Enter") cell.querySelector("[data-does='take']")?.click();
    else if (event.key === "b" && !shown && base) {
      shown = base.cloneNode();
      cell.querySelector("[data-view]").append(shown);
      draw();
    } else move(cell, cells, event);
  });
  cell.addEventListener("keyup", ({ key }) => {
    if (key !== "b") return;
    shown?.remove();
    shown = null;
  });
}

function move(cell, cells, event) {
  const across = Math.max(1, cells.filter((other) => other.offsetTop === cells[1]?.offsetTop).length - 1);
  const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: across, ArrowUp: -across }[event.key];
  const next = step && cells[cells.indexOf(cell) + step];
  if (!next) return;
  event.preventDefault();
  next.focus();
}

async function mark(cell, verdict) {
  const body = new FormData(cell.querySelector("form"));
  body.set("verdict", verdict);
  const answer = await request(cell.dataset.verdictUrl, { method: "POST", body });
  if (answer.ok) cell.dataset.verdict = (await answer.json()).verdict;
}

async function follow(root, cells, draw) {
  const byNumber = new Map(cells.map((cell) => [cell.dataset.cell, cell]));
  const progress = root.querySelector("[data-progress]");
  const made = (news) => news.filter(({ state }) => state === "done").length;
  const news = await poll(async () => {
    const { swatches } = await (await request(root.dataset.stateUrl)).json();
    for (const swatch of swatches) show(byNumber.get(String(swatch.number)), swatch);
    draw();
    progress.textContent = `${made(swatches)} of ${swatches.length} made`;
    return swatches.some(({ state }) => state === "waiting" || state === "running") ? null : swatches;
  }, PAUSE_MS);
  root.querySelector("[data-while-open]")?.remove();
  root.querySelector("[data-when-made]").hidden = made(news) === 0;
}

function show(cell, { state, error, url, measures }) {
  const frame = cell.querySelector("[data-view]");
  const words = frame.querySelector("[data-words]");
  if (!words) return;
  if (!url) {
    words.textContent =
      error || { waiting: "Waiting …", running: "Running …", stopped: "Stopped", failed: "Failed" }[state];
    if (state === "failed" || state === "stopped") frame.querySelector("img")?.remove();
    return;
  }
  picture(frame, url);
  if (state !== "done") {
    words.textContent = "Running …";
    words.dataset.over = "";
    return;
  }
  words.remove();
  cell.querySelector("[data-measures]").textContent =
    `${measures.sharpness.toFixed(2)} · ${measures.drift.toFixed(2)} · ${measures.joins.toFixed(1)}`;
}

function picture(frame, url) {
  let image = frame.querySelector("img");
  if (!image) {
    image = new Image();
    image.alt = "";
    image.draggable = false;
    frame.prepend(image);
  }
  if (image.getAttribute("src") !== url) image.src = url;
}
