// upload-read.js: follows an upload that a worker reads, until that has ended.
import { request } from "./request.js";
import { poll } from "./poll.js";

const PAUSE_MS = 700;

// returns {url, rejected} in the end; onProgress is called with the fraction read
export function uploadRead(stateUrl, onProgress) {
  return poll(async () => {
    const answer = await request(stateUrl);
    if (answer.status === 404) return { url: null, rejected: "It was dismissed." };
    const state = await answer.json();
    if (!state.open) return state;
    if (state.progress !== null) onProgress(state.progress);
    return null;
  }, PAUSE_MS);
}
