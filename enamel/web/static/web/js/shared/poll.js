// poll.js: repeat a request on each event, or after a pause without events, until an answer is final.
import { received, nextNews } from "./live.js";

export async function poll(ask, pause) {
  for (;;) {
    const since = received();
    const rested = sleep(pause); // however much happens, no more is asked than without news
    try {
      const found = await ask();
      if (found) return found;
    } catch {
      // the server is unavailable for a moment; the work goes on without it
    }
    await nextNews(pause, since);
    await rested;
  }
}

export function sleep(pause) {
  return new Promise((resolve) => {
    setTimeout(resolve, pause);
  });
}
