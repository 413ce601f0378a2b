// submit-on-change.js: a choice takes effect at once.
export function init(root) {
  root.addEventListener("change", () => root.requestSubmit());
}
