// frames.js: animation frames that become rare while nothing happens.
const AWAKE_MS = 1000; // after the last sign of life every frame is given
const IDLE_MS = 200; // then one in this time

// `paced` and `cancel` in place of the browser's two functions; `wake` gives every frame for a while again
export function pacedFrames({ request, cancelRequest, now, later, cancelLater }) {
  let awakeUntil = now() + AWAKE_MS;
  const idle = new Map();

  const paced = (draw) => {
    if (now() < awakeUntil) return request(draw);
    const timer = later(() => {
      idle.delete(timer);
      request(draw);
    }, IDLE_MS);
    idle.set(timer, draw);
    return -timer; // the browser's own numbers are positive
  };
  const cancel = (number) => {
    if (number > 0) return cancelRequest(number);
    idle.delete(-number);
    return cancelLater(-number);
  };
  const wake = () => {
    awakeUntil = now() + AWAKE_MS;
    for (const [timer, draw] of idle) {
      cancelLater(timer);
      request(draw);
    }
    idle.clear();
  };
  return { paced, cancel, wake };
}

const INPUTS = ["pointerdown", "pointermove", "pointerup", "wheel", "keydown", "touchmove", "resize"];

// The viewer requests frames continuously, also when nothing moves: a tenth of a core for every open page.
export function paceViewer(library) {
  const { paced, cancel, wake } = pacedFrames({
    request: library.requestAnimationFrame,
    cancelRequest: library.cancelAnimationFrame,
    now: () => performance.now(),
    later: (run, ms) => window.setTimeout(run, ms),
    cancelLater: (timer) => window.clearTimeout(timer),
  });
  library.requestAnimationFrame = paced;
  library.cancelAnimationFrame = cancel;
  for (const name of INPUTS) window.addEventListener(name, wake, { capture: true, passive: true });
  return wake;
}
