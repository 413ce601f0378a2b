import assert from "node:assert/strict";
import { test } from "node:test";

import { pacedFrames } from "../../enamel/web/static/web/js/shared/frames.js";

function bench() {
  const state = { time: 0, drawn: 0, timers: new Map(), next: 1 };
  const later = (run, ms) => {
    state.timers.set(state.next, { run, at: state.time + ms });
    return state.next++;
  };
  const frames = pacedFrames({
    request: (draw) => draw(),
    cancelRequest: (number) => (state.cancelled = number),
    now: () => state.time,
    later,
    cancelLater: (timer) => state.timers.delete(timer),
  });
  const draw = () => (state.drawn += 1);
  const pass = (ms) => {
    state.time += ms;
    for (const [timer, { run, at }] of [...state.timers]) {
      if (at > state.time) continue;
      state.timers.delete(timer);
      run();
    }
  };
  return { state, frames, draw, pass };
}

test("every frame is given while something happens", () => {
  const { state, frames, draw } = bench();
  frames.paced(draw);
  frames.paced(draw);
  assert.equal(state.drawn, 2);
});

test("frames become rare when nothing has happened for a second", () => {
  const { state, frames, draw, pass } = bench();
  pass(1001);
  frames.paced(draw);
  assert.equal(state.drawn, 0);
  pass(199);
  assert.equal(state.drawn, 0);
  pass(1);
  assert.equal(state.drawn, 1);
});

test("waking gives the frame that waits at once, and once", () => {
  const { state, frames, draw, pass } = bench();
  pass(2000);
  frames.paced(draw);
  frames.wake();
  assert.equal(state.drawn, 1);
  pass(500);
  assert.equal(state.drawn, 1);
  frames.paced(draw);
  assert.equal(state.drawn, 2);
});

test("a frame that waits can be cancelled, and so can one of the browser's", () => {
  const { state, frames, draw, pass } = bench();
  pass(2000);
  frames.cancel(frames.paced(draw));
  pass(500);
  frames.wake();
  assert.equal(state.drawn, 0);
  frames.cancel(7);
  assert.equal(state.cancelled, 7);
});
