// candidates.js: show candidates as they are made, compare them with before, and accept, reject or paint with them, also by key.
import { request } from "../../web/js/shared/request.js";
import { drawing } from "../../web/js/mask/draw.js";
import { overlay } from "../../web/js/mask/overlay.js";
import { Steps } from "../../web/js/mask/steps.js";
import { poll } from "../../web/js/shared/poll.js";
import { send } from "../../web/js/shared/send.js";

const PAUSE_MS = 500;
const KEYS = { y: "accepted", n: "rejected" };

export function init(root) {
  const cells = [...root.querySelectorAll("[data-candidate]")];
  const wrong = root.querySelector("[data-wrong]");
  const brush = root.querySelector("[data-radius]");
  const size = [Number(root.dataset.width), Number(root.dataset.height)];
  let painting = null;

  const judge = async (address, given) => {
    const { answer, refused } = await send(address, given);
    wrong.textContent = refused ?? "";
    if (answer) showVerdicts(root, cells, (await answer.json()).candidates);
  };
  const paintOn = (cell) => {
    if (cell && !cell.querySelector("[data-after]")) return;
    painting?.querySelector("[data-do=paint]").setAttribute("aria-pressed", false);
    painting?.querySelector("[data-mask]").classList.add("pointer-events-none");
    painting = painting === cell ? null : cell;
    for (const part of root.querySelectorAll("[data-brush]")) part.hidden = !painting;
    if (!painting) return;
    painting.querySelector("[data-do=paint]").setAttribute("aria-pressed", true);
    cell.mask ??= paintable(
      cell,
      size,
      () => brush.value / 400,
      (steps) => judge(cell.dataset.paint, { over: steps.toJson() }),
    );
    cell.querySelector("[data-mask]").hidden = false;
    cell.querySelector("[data-mask]").classList.remove("pointer-events-none");
  };
  root.querySelector("[data-unpaint]").addEventListener("click", () => {
    painting.mask.replace([]);
    judge(painting.dataset.paint, { over: "" });
  });
  for (const cell of cells) {
    for (const button of cell.querySelectorAll("[data-do]")) {
      const wanted = button.dataset.do;
      button.addEventListener("click", () =>
        wanted === "paint" ? paintOn(cell) : judge(cell.dataset.judge, { verdict: wanted }),
      );
    }
    cell.addEventListener("keydown", (event) => {
      if (event.target !== cell || event.ctrlKey || event.metaKey || event.altKey) return;
      if (KEYS[event.key] && cell.querySelector("[data-after]")) {
        judge(cell.dataset.judge, { verdict: KEYS[event.key] });
        if (cell.closest("section").querySelectorAll("[data-candidate]").length === 1)
          cells[cells.indexOf(cell) + 1]?.focus();
      } else if (event.key === "m") paintOn(cell);
      else if (event.key === "b") see(cell, true);
      else go(cells, cell, event);
    });
    cell.addEventListener("keyup", ({ key }) => {
      if (key === "b") see(cell, false);
    });
    if (cell.dataset.over) paintOn(cell);
  }
  if (painting) paintOn(painting);
  cells[0]?.focus();
  if ("open" in root.dataset) follow(root, cells);
}

// before and after are shown at the same place, so that changes are conspicuous
function see(cell, before) {
  const after = cell.querySelector("[data-after]");
  if (!after) return;
  after.dataset.own ??= after.src;
  after.src = before ? cell.closest("section").querySelector("[data-before]").src : after.dataset.own;
}

function go(cells, cell, event) {
  const row = cells.filter((other) => other.offsetTop === cell.offsetTop);
  const below = cells.filter((other) =>
    event.key === "ArrowDown" ? other.offsetTop > cell.offsetTop : other.offsetTop < cell.offsetTop,
  );
  const next = {
    ArrowRight: () => cells[cells.indexOf(cell) + 1],
    ArrowLeft: () => cells[cells.indexOf(cell) - 1],
    ArrowDown: () => below[Math.min(row.indexOf(cell), below.length - 1)],
    ArrowUp: () => below[below.length - row.length + row.indexOf(cell)] ?? below.at(-1),
  }[event.key]?.();
  if (!next) return;
  event.preventDefault();
  next.focus();
}

function showVerdicts(root, cells, candidates) {
  for (const { number, verdict, painted } of candidates) {
    const cell = cells.find((one) => one.dataset.candidate === String(number));
    if (!cell) continue;
    cell.dataset.verdict = verdict;
    cell.toggleAttribute("data-painted", painted);
    for (const button of cell.querySelectorAll("[data-do]:not([data-do=paint])"))
      button.setAttribute("aria-pressed", button.dataset.do === verdict);
  }
  root.querySelector("[data-lay]").disabled = !candidates.some(({ verdict }) => verdict === "accepted");
}

// the brush on a candidate's picture: steps in px of the layer
function paintable(cell, size, radius, kept) {
  const canvas = cell.querySelector("[data-mask]");
  canvas.hidden = false;
  const seen = cell.dataset.seen.split(",").map(Number);
  const steps = new Steps(size, cell.dataset.over ? JSON.parse(cell.dataset.over).steps : []);
  const view = () => {
    const scale = canvas.clientWidth / seen[2];
    return { scale, left: -seen[0] * scale, top: -seen[1] * scale };
  };
  const show = overlay(canvas, steps, { view, moved: () => {} });
  let erase = false;
  canvas.addEventListener(
    "pointerdown",
    (event) => {
      erase = event.shiftKey;
    },
    { capture: true },
  );
  drawing(canvas, {
    tool: () => (canvas.classList.contains("pointer-events-none") ? null : erase ? "eraser" : "brush"),
    how: () => ({ radius: Math.max(1, radius() * Math.max(seen[2], seen[3])), hardness: 0.6 }),
    view,
    show,
    done: (step) => {
      steps.add(step);
      kept(steps);
    },
  });
  return steps;
}

async function follow(root, cells) {
  const progress = root.querySelector("[data-progress]");
  await poll(async () => {
    const { candidates } = await (await request(root.dataset.stateUrl)).json();
    for (const candidate of candidates)
      arrive(
        cells.find((one) => one.dataset.candidate === String(candidate.number)),
        candidate,
      );
    const made = candidates.filter(({ state }) => state === "done").length;
    progress.textContent = `${made} of ${candidates.length} made`;
    return candidates.some(({ state }) => state === "waiting" || state === "running") ? null : candidates;
  }, PAUSE_MS);
  root.querySelector("[data-while-open]")?.remove();
}

function arrive(cell, { state, error, url }) {
  const words = cell?.querySelector("[data-words]");
  if (!words) return;
  if (!url) {
    words.textContent =
      error || { waiting: "Waiting …", running: "Running …", stopped: "Stopped", failed: "Failed" }[state];
    return;
  }
  const image = new Image();
  image.alt = "";
  image.draggable = false;
  image.className = "w-full";
  image.dataset.after = "";
  image.src = url;
  words.replaceWith(image);
}
