// ready.js: waits until a layer can be looked at, then shows it.
import { request } from "./request.js";
import { poll } from "./poll.js";

const PAUSE_MS = 600;

export function init(root) {
  poll(async () => {
    const answer = await request(root.dataset.stateUrl);
    return answer.ok && (await answer.json()).ready;
  }, PAUSE_MS).then(() => window.location.reload());
}
