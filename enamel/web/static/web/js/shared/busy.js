// busy.js: a form that takes a while says so on its button, and is sent only once.
export function init(root) {
  root.addEventListener("submit", () => {
    const button = root.querySelector("button:not([type=button])");
    button.textContent = root.dataset.busy;
    button.disabled = true;
  });
}
