// print-files.js: asks after files that are being written or sent; what was just ordered is taken away once it is there.
import { request } from "../../web/js/shared/request.js";
import { poll } from "../../web/js/shared/poll.js";

const PAUSE_MS = 500;

export function init(root) {
  for (const entry of root.querySelectorAll("[data-print-file][data-open]")) {
    const bar = entry.querySelector("progress");
    const said = entry.querySelector("[data-left]");
    follow(entry.dataset.printFile, ({ progress, words }) => {
      bar.value = progress;
      said.textContent = words;
    });
  }
  for (const line of root.querySelectorAll("[data-order]")) {
    const said = line.querySelector("[data-order-words]");
    follow(line.dataset.order, ({ words }) => {
      if (said.textContent !== words) said.textContent = words;
    });
  }
  const fresh = root.querySelector("[data-fresh]:not([data-open])");
  if (fresh?.querySelector("a")) takeAway(fresh.dataset.url);
}

// shows the news until there are no more, then reloads the page
export async function follow(address, show) {
  await poll(async () => {
    const news = await (await request(address)).json();
    show(news);
    return !news.open;
  }, PAUSE_MS);
  window.location.reload();
}

// once only: the page's address forgets it, so that looking again does not take it again
function takeAway(url) {
  const address = new URL(window.location.href);
  address.searchParams.delete("fresh");
  window.history.replaceState(null, "", address);
  window.location.assign(url);
}
