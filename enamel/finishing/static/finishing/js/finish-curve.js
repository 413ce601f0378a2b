// finish-curve.js: edit a tone curve: points in a square, moved by the pointer or by arrow keys.
import { svg } from "../../web/js/shared/svg.js";

const SIDE = 200;
const NEAR = 0.02; // least distance across between two points
const MOST = 12;
const NUDGE = 0.01;
const SAMPLES = 64;

export function curveEditor(root, changed) {
  let points = [
    [0, 0],
    [1, 1],
  ];
  let held = null;
  let focused = null;

  const draw = () => {
    const grid = [0.25, 0.5, 0.75].flatMap((fraction) => [
      svg("path", {
        d: `M${fraction * SIDE} 0V${SIDE}M0 ${fraction * SIDE}H${SIDE}`,
        class: "stroke-rule",
        "stroke-width": 0.5,
        fill: "none",
      }),
    ]);
    const line = svg("path", { d: path(points), class: "stroke-cobalt", "stroke-width": 2, fill: "none" });
    const dots = points.map(([x, y], place) =>
      svg("circle", {
        cx: x * SIDE,
        cy: (1 - y) * SIDE,
        r: 6,
        tabindex: 0,
        "data-point": place,
        role: "slider",
        "aria-label": `Point ${place + 1} of ${points.length}`,
        "aria-valuetext": `${Math.round(100 * x)} % becomes ${Math.round(100 * y)} %`,
        "aria-valuenow": Math.round(100 * y),
        class: "fill-white stroke-ink cursor-move",
        "stroke-width": 1.5,
      }),
    );
    const place = focused; // taking the old dots away takes the focus with them
    root.replaceChildren(...grid, line, ...dots);
    if (place !== null) dots[place]?.focus();
  };
  const notify = () => {
    draw();
    changed(points);
  };
  const move = (place, x, y) => {
    const low = place === 0 ? 0 : points[place - 1][0] + NEAR;
    const high = place === points.length - 1 ? 1 : points[place + 1][0] - NEAR;
    points = points.with(place, [round(Math.min(high, Math.max(low, x))), round(Math.min(1, Math.max(0, y)))]);
    notify();
  };
  const at = (event) => {
    const box = root.getBoundingClientRect();
    return [(event.clientX - box.left) / box.width, 1 - (event.clientY - box.top) / box.height];
  };

  root.addEventListener("pointerdown", (event) => {
    const [x, y] = at(event);
    const dot = event.target.closest("[data-point]");
    if (dot) held = Number(dot.dataset.point);
    else {
      const place = points.findIndex(([other]) => other > x);
      const room = place > 0 && points.length < MOST && x - points[place - 1][0] > NEAR && points[place][0] - x > NEAR;
      if (!room) return;
      points = points.toSpliced(place, 0, [round(x), round(Math.min(1, Math.max(0, y)))]);
      held = place;
      notify();
    }
    focused = held;
    root.setPointerCapture(event.pointerId);
    event.preventDefault();
    draw();
  });
  root.addEventListener("pointermove", (event) => {
    if (held !== null) move(held, ...at(event));
  });
  for (const end of ["pointerup", "pointercancel"])
    root.addEventListener(end, () => {
      held = null;
    });
  root.addEventListener("focusin", ({ target }) => {
    focused = Number(target.dataset.point);
  });
  root.addEventListener("focusout", () => {
    if (held === null && !root.contains(document.activeElement)) focused = null;
  });
  root.addEventListener("keydown", (event) => {
    const place = Number(event.target.dataset.point);
    const step = { ArrowLeft: [-NUDGE, 0], ArrowRight: [NUDGE, 0], ArrowUp: [0, NUDGE], ArrowDown: [0, -NUDGE] }[
      event.key
    ];
    if (step) {
      event.preventDefault();
      focused = place;
      move(place, points[place][0] + step[0], points[place][1] + step[1]);
    } else if (["Delete", "Backspace"].includes(event.key) && place > 0 && place < points.length - 1) {
      event.preventDefault();
      points = points.toSpliced(place, 1);
      focused = place - 1;
      notify();
    }
  });

  return {
    show(given) {
      points = given.map((point) => [...point]);
      draw();
    },
  };
}

const round = (value) => Math.round(value * 1000) / 1000;

// the engine's own curve: cubic pieces whose slopes are limited so that they never overshoot
function path(points) {
  const widths = points.slice(1).map(([x], place) => x - points[place][0]);
  const rises = points.slice(1).map(([, y], place) => (y - points[place][1]) / widths[place]);
  const slopes = points.map((_, place) => {
    if (place === 0) return rises[0];
    if (place === points.length - 1) return rises.at(-1);
    const [before, after] = [rises[place - 1], rises[place]];
    if (before * after <= 0) return 0;
    const [first, second] = [2 * widths[place] + widths[place - 1], widths[place] + 2 * widths[place - 1]];
    return (first + second) / (first / before + second / after);
  });
  const drawn = [];
  for (let sample = 0; sample <= SAMPLES; sample += 1) {
    const x = points[0][0] + (points.at(-1)[0] - points[0][0]) * (sample / SAMPLES);
    const place = Math.min(
      widths.length - 1,
      Math.max(
        0,
        points.findLastIndex(([other]) => other <= x),
      ),
    );
    const t = (x - points[place][0]) / widths[place];
    const y =
      (1 + 2 * t) * (1 - t) ** 2 * points[place][1] +
      t * (1 - t) ** 2 * widths[place] * slopes[place] +
      t ** 2 * (3 - 2 * t) * points[place + 1][1] +
      t ** 2 * (t - 1) * widths[place] * slopes[place + 1];
    drawn.push(`${(x * SIDE).toFixed(1)} ${((1 - y) * SIDE).toFixed(1)}`);
  }
  const [first, last] = [points[0], points.at(-1)];
  return `M0 ${(1 - first[1]) * SIDE}H${first[0] * SIDE}L${drawn.join("L")}H${SIDE}`.replace(
    /NaN/g,
    String((1 - last[1]) * SIDE),
  );
}
