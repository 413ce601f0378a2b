// arrival.js: a file that the kiln reads or tries; the page is shown anew when it is done with.
import { arrived } from "../shared/arrived.js";

export function init(root) {
  const bar = root.querySelector("progress");
  arrived(root.dataset.stateUrl, (share) => (bar.value = share)).then(() => window.location.reload());
}
