// submit-on-change.js: submit a form as soon as a choice changes.
export function init(root) {
  root.addEventListener("change", () => root.requestSubmit());
}
