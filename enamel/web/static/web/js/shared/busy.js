// busy.js: show on a form's button that sending takes a while, and send it only once.
export function init(root) {
  root.addEventListener("submit", () => {
    const button = root.querySelector("button:not([type=button])");
    button.textContent = root.dataset.busy;
    button.disabled = true;
  });
}
