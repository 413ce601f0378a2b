// compare-input.js: mouse, keys and buttons of the comparing bench.
import { sortable } from "./measures.js";
import { AMOUNTS } from "./ways.js";

const MOVE = 0.1; // of the stage, for one press of an arrow

export function listen(bench) {
  buttons(bench);
  pointer(bench);
  keyboard(bench);
  lists(bench);
}

function buttons(bench) {
  const { root } = bench;
  const on = (selector, act) => {
    for (const button of root.querySelectorAll(selector)) button.addEventListener("click", () => act(button));
  };
  on("[data-way]", ({ dataset }) => {
    bench.playing = false;
    bench.set({ way: dataset.way });
    bench.canvas.focus({ preventScroll: true }); // so that space and arrows work at once
  });
  on("[data-first]", ({ dataset }) => bench.set({ first: Number(dataset.first), finding: -1 }));
  on("[data-second]", ({ dataset }) => bench.set({ second: Number(dataset.second), finding: -1 }));
  on("[data-toggle]", ({ dataset }) => bench.set({ [dataset.toggle]: !bench.state[dataset.toggle] }));
  on("[data-flip]", () => bench.flip());
  on("[data-next-second]", () => bench.set({ second: (bench.state.second + 1) % bench.pictures.length, finding: -1 }));
  on("[data-more]", () => bench.change(1));
  on("[data-less]", () => bench.change(-1));
  on("[data-step-finding]", ({ dataset }) => bench.step(Number(dataset.stepFinding)));
  on("[data-all-boxes]", (button) => {
    bench.allBoxes = !bench.allBoxes;
    button.setAttribute("aria-pressed", bench.allBoxes);
    bench.paintSoon();
  });
  on("[data-play]", (button) => {
    bench.playing = !bench.playing;
    button.setAttribute("aria-pressed", bench.playing);
    bench.blinking();
  });
  on("[data-full-screen]", () =>
    document.fullscreenElement
      ? document.exitFullscreen()
      : bench.root.querySelector("[data-full]").requestFullscreen(),
  );
  on("[data-save]", () => bench.save());
  on("[data-zoom]", ({ dataset }) => {
    if (dataset.zoom === "fit") bench.set({ zoom: 0, u: 0.5, v: bench.shape / 2 });
    else if (dataset.zoom === "print") bench.printSize();
    else if (dataset.zoom === "in" || dataset.zoom === "out")
      bench.zoomTo(bench.zoom * (dataset.zoom === "in" ? 1.5 : 1 / 1.5));
    else bench.zoomTo(Number(dataset.zoom));
  });
  root.querySelector("[data-amount] input").addEventListener("input", ({ target }) => {
    bench.set({ [AMOUNTS[bench.way].name]: Number(target.value) });
  });
  root.querySelector("[data-map]").addEventListener("change", ({ target }) => bench.set({ map: target.value }));
}

function lists(bench) {
  for (const entry of bench.root.querySelectorAll("[data-finding]")) {
    entry.addEventListener("click", () => {
      const place = Number(entry.dataset.finding);
      bench.go(place, bench.subject.findings[place].box, bench.subject.width);
    });
  }
  sortable(bench.root.querySelector("[data-table]"));
}

// the pointer's position in the pane under it, in device px
function within(bench, event) {
  const bounds = bench.canvas.getBoundingClientRect();
  const x = (event.clientX - bounds.left) * bench.ratio;
  const y = (event.clientY - bounds.top) * bench.ratio;
  const pane = (bench.panes ?? []).find(
    (one) => x >= one.x && x < one.x + one.width && y >= one.y && y < one.y + one.height,
  );
  return {
    x: x - (pane?.x ?? 0),
    y: y - (pane?.y ?? 0),
    fraction: { x: x / bench.canvas.width, y: y / bench.canvas.height },
  };
}

function pointer(bench) {
  const { canvas, line } = bench;
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    bench.dragged = [event.clientX, event.clientY];
  });
  canvas.addEventListener("pointermove", (event) => {
    if (canvas.hasPointerCapture(event.pointerId)) {
      const [x, y] = bench.dragged;
      bench.dragged = [event.clientX, event.clientY];
      bench.set({
        u: bench.state.u - ((event.clientX - x) * bench.ratio) / bench.k,
        v: bench.state.v - ((event.clientY - y) * bench.ratio) / bench.k,
      });
    } else if (bench.way === "loupe") bench.set(within(bench, event).fraction);
  });
  canvas.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      bench.zoomTo(bench.zoom * 1.0015 ** -event.deltaY, within(bench, event));
    },
    { passive: false },
  );
  line.addEventListener("pointerdown", (event) => {
    line.setPointerCapture(event.pointerId);
    line.focus();
    event.preventDefault();
  });
  line.addEventListener("pointermove", (event) => {
    if (!line.hasPointerCapture(event.pointerId)) return;
    const { fraction } = within(bench, event);
    if (!event.shiftKey) return bench.set(fraction);
    // with Shift, rotate the line around its middle
    const across = (fraction.x - bench.state.x) * bench.canvas.width;
    const down = (fraction.y - bench.state.y) * bench.canvas.height;
    const turn = (Math.atan2(across, down) * 180) / Math.PI;
    return bench.set({ angle: Math.round(((turn + 270) % 180) - 90) });
  });
  const small = bench.root.querySelector("[data-navigator]");
  small.addEventListener("pointerdown", (event) => {
    const bounds = small.getBoundingClientRect();
    bench.set({
      u: (event.clientX - bounds.left) / bounds.width,
      v: ((event.clientY - bounds.top) / bounds.height) * bench.shape,
    });
  });
}

function keyboard(bench) {
  bench.canvas.addEventListener("keydown", (event) => arrows(bench, event, event.shiftKey));
  bench.line.addEventListener("keydown", (event) => {
    if (event.shiftKey && ["ArrowLeft", "ArrowRight"].includes(event.key)) {
      event.preventDefault();
      bench.change(event.key === "ArrowRight" ? -1 : 1);
    } else arrows(bench, event, true);
  });
  for (const target of [bench.canvas, bench.line]) {
    target.addEventListener("keydown", (event) => {
      if (event.key !== " ") return;
      event.preventDefault();
      bench.flip();
    });
  }
}

// arrows move the picture; with Shift, or while the line is focused, the line or the lens
function arrows(bench, event, tool) {
  const [x, y] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key] ?? [0, 0];
  if (!x && !y) return;
  event.preventDefault();
  if (tool) return bench.set({ x: bench.state.x + 0.02 * x, y: bench.state.y + 0.02 * y });
  const pane = bench.pane();
  return bench.set({
    u: bench.state.u + (MOVE * x * pane.width) / bench.k,
    v: bench.state.v + (MOVE * y * pane.height) / bench.k,
  });
}
