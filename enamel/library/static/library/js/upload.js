// upload.js: follow an upload that a worker reads, and reload the page when it has ended.
import { uploadRead } from "../../web/js/shared/upload-read.js";

export function init(root) {
  const bar = root.querySelector("progress");
  uploadRead(root.dataset.stateUrl, (progress) => (bar.value = progress)).then(() => window.location.reload());
}
