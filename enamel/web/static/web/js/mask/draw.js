// draw.js: turn pointer movements into steps of a mask: strokes with pressure, outlines, ovals, boxes.

const LEAST_APART = 1 / 6; // of the brush's radius: closer points change nothing that is seen
const PEN_AT_REST = 0.5; // what mice report as pressure

export const TOOLS = {
  brush: { begin: stroke },
  eraser: { begin: (at, how) => ({ ...stroke(at, how), erase: true }) },
  lasso: { begin: (at, { erase }) => ({ kind: "outline", points: [at.x, at.y], erase }) },
  ellipse: {
    begin: (at, { erase }) => ({ kind: "ellipse", x: at.x, y: at.y, across: 0.5, down: 0.5, turn: 0, erase, from: at }),
  },
  box: {
    begin: (at, { erase }) => ({ kind: "rectangle", x: at.x, y: at.y, width: 0.5, height: 0.5, erase, from: at }),
  },
};

function stroke(at, { radius, hardness }) {
  return { kind: "stroke", points: [at.x, at.y, pressure(at)], radius, hardness, erase: false };
}

const pressure = ({ pen }) => (pen > 0 && pen !== PEN_AT_REST ? pen : 1);

function drawn(step, at) {
  if (step.kind === "stroke") {
    const [x, y] = step.points.slice(-3);
    if (Math.hypot(at.x - x, at.y - y) < step.radius * LEAST_APART) return step;
    step.points.push(at.x, at.y, pressure(at));
  } else if (step.kind === "outline") {
    const [x, y] = step.points.slice(-2);
    if (Math.hypot(at.x - x, at.y - y) >= at.px) step.points.push(at.x, at.y);
  } else if (step.kind === "ellipse") {
    step.x = (step.from.x + at.x) / 2;
    step.y = (step.from.y + at.y) / 2;
    step.across = Math.max(0.5, Math.abs(at.x - step.from.x) / 2);
    step.down = Math.max(0.5, Math.abs(at.y - step.from.y) / 2);
  } else {
    step.x = Math.min(step.from.x, at.x);
    step.y = Math.min(step.from.y, at.y);
    step.width = Math.max(0.5, Math.abs(at.x - step.from.x));
    step.height = Math.max(0.5, Math.abs(at.y - step.from.y));
  }
  return step;
}

// a click without movement is not an area
function whole(step) {
  if (step.kind === "outline") return step.points.length >= 6;
  if (step.kind === "ellipse") return step.across > 1 && step.down > 1;
  if (step.kind === "rectangle") return step.width > 2 && step.height > 2;
  return true;
}

// `how()` returns the brush and whether shapes erase; `view()` the mask's scale and place on the surface
export function drawing(surface, { tool, how, view, show, done }) {
  let step = null;
  const place = (event) => {
    const bounds = surface.getBoundingClientRect();
    const { scale, left, top } = view();
    return {
      x: (event.clientX - bounds.left - left) / scale,
      y: (event.clientY - bounds.top - top) / scale,
      pen: event.pressure,
      px: 2 / scale,
    };
  };
  surface.addEventListener("pointerdown", (event) => {
    if (!tool() || event.button !== 0) return;
    event.preventDefault();
    surface.setPointerCapture(event.pointerId);
    const settings = { ...how(), erase: event.altKey };
    step = TOOLS[tool()].begin(place(event), settings);
    show(step);
  });
  surface.addEventListener("pointermove", (event) => {
    if (!step) return;
    for (const one of event.getCoalescedEvents?.() ?? [event]) step = drawn(step, place(one));
    if (!event.getCoalescedEvents?.().length) step = drawn(step, place(event));
    show(step);
  });
  const end = (event) => {
    if (!step) return;
    const made = { ...step };
    delete made.from;
    step = null;
    show(null);
    if (event.type === "pointerup" && whole(made)) done(made);
  };
  surface.addEventListener("pointerup", end);
  surface.addEventListener("pointercancel", end);
}
