// print-files.js: asks after files that are being written; what was just ordered is taken away once it is there.
import { poll } from "../shared/poll.js";

const PAUSE_MS = 500;

export function init(root) {
  for (const entry of root.querySelectorAll("[data-print-file][data-open]")) follow(entry);
  const fresh = root.querySelector("[data-fresh]:not([data-open])");
  if (fresh?.querySelector("a")) takeAway(fresh.dataset.url);
}

async function follow(entry) {
  await poll(async () => {
    const { open, share } = await (await fetch(entry.dataset.printFile)).json();
    entry.querySelector("progress").value = share;
    return !open;
  }, PAUSE_MS);
  window.location.reload();
}

// once only: the page's address forgets it, so that looking again does not take it again
function takeAway(url) {
  const address = new URL(window.location);
  address.searchParams.delete("fresh");
  window.history.replaceState(null, "", address);
  window.location.assign(url);
}
