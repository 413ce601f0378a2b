// arrived.js: asks after a file that the kiln is reading until it is done with.
import { poll } from "./poll.js";

const PAUSE_MS = 700;

// {url, refused} once it is done with; hear is told how much of it is read
export function arrived(stateUrl, hear) {
  return poll(async () => {
    const answer = await fetch(stateUrl);
    if (answer.status === 404) return { url: null, refused: "It was dismissed." };
    const state = await answer.json();
    if (!state.open) return state;
    if (state.share !== null) hear(state.share);
    return null;
  }, PAUSE_MS);
}
