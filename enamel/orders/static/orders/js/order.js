// order.js: a file on its way to the print shop: how far it is, then what the shop said.
import { follow } from "../../prints/js/print-files.js";

export function init(root) {
  const said = root.querySelector("[data-words]");
  const bar = root.querySelector("[data-progress]");
  follow(root.dataset.stateUrl, ({ progress, words }) => {
    bar.value = progress;
    if (said && said.textContent !== words) said.textContent = words;
  });
}
