// predict.js: show the predicted cost beside a form while it is filled in.
import { request } from "./request.js";

const PAUSE_MS = 300;

export function init(root) {
  const place = root.querySelector("[data-predicted]");
  let timer;
  let asked = 0;
  const ask = async () => {
    const mine = ++asked;
    const answer = await request(root.dataset.costUrl, { method: "POST", body: new FormData(root) });
    if (answer.ok && mine === asked) place.innerHTML = await answer.text();
  };
  const soon = () => {
    clearTimeout(timer);
    timer = setTimeout(() => ask().catch(() => {}), PAUSE_MS);
  };
  root.addEventListener("input", soon);
  soon();
}
