// order.js: follow an order at the print shop: its progress, then the shop's answer.
import { follow } from "../../prints/js/print-files.js";

export function init(root) {
  const said = root.querySelector("[data-words]");
  const bar = root.querySelector("[data-progress]");
  follow(root.dataset.stateUrl, ({ progress, words }) => {
    bar.value = progress;
    if (said && said.textContent !== words) said.textContent = words;
  });
}
