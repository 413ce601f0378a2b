// firing.js: follow a running firing: fetch its state, show its progress, hand its tiles on.
import { request } from "../../web/js/shared/request.js";
import { showProgress, tellEnd } from "../../web/js/shared/news.js";
import { poll } from "../../web/js/shared/poll.js";

const PAUSE_MS = 700;

export function init(root) {
  let after = 0;
  let coat = null;

  const show = (news) => {
    root.querySelector("[data-bar]").value = news.done;
    root.querySelector("[data-done]").textContent = news.done;
    root.querySelector("[data-unattended]").hidden = !news.unattended;
    if (news.state === "running") {
      root.querySelector("[data-state-name]").textContent = "Firing";
      if (news.secondsLeft !== null) {
        root.querySelector("[data-left]").textContent = `about ${duration(news.secondsLeft)} left`;
      }
    }
    const afresh = coat !== null && coat !== news.coat;
    coat = news.coat;
    for (const tile of news.tiles) after = Math.max(after, tile.number);
    showProgress(news.total ? news.done / news.total : 0, news.secondsLeft);
    document.dispatchEvent(
      new CustomEvent("enamel:tiles", { detail: { afresh, tiles: news.tiles, done: news.done, coat: news.coat } }),
    );
  };

  poll(async () => {
    const answer = await request(`${root.dataset.firing}?after=${after}`);
    if (!answer.ok) return null;
    const news = await answer.json();
    if (news.state !== "waiting" && news.state !== "running") return news;
    show(news);
    return null;
  }, PAUSE_MS).then(({ state, shown }) => end(root, state, shown));
}

function end(root, state, shown) {
  const { title, piece } = root.dataset;
  if (state === "done") {
    tellEnd(`${title} is fired.`);
    window.location.assign(shown);
    return;
  }
  tellEnd(`The firing of ${title} ${state === "failed" ? "failed" : "was paused"}.`);
  window.location.assign(piece);
}

function duration(seconds) {
  if (seconds < 1) return "1 s";
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 60) return `${minutes} min`;
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")} min`;
}
