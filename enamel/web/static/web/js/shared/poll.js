// poll.js: asks whenever there is news, or after a pause where none arrive, until an answer settles it.
import { received, nextNews } from "./live.js";

export async function poll(ask, pause) {
  for (;;) {
    const since = received();
    const rested = sleep(pause); // however much happens, no more is asked than without news
    try {
      const found = await ask();
      if (found) return found;
    } catch {
      // the server is away for a moment; what is asked about goes on without it
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
