// print-files.js: follow files that are being written or sent, and download the one just submitted once it is done.
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

// show the state until it is final, then reload the page
export async function follow(address, show) {
  await poll(async () => {
    const news = await (await request(address)).json();
    show(news);
    return !news.open;
  }, PAUSE_MS);
  window.location.reload();
}

// once only: it is removed from the page's address, so that reloading does not download it again
function takeAway(url) {
  const address = new URL(window.location.href);
  address.searchParams.delete("fresh");
  window.history.replaceState(null, "", address);
  window.location.assign(url);
}
