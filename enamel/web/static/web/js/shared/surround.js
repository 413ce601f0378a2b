// surround.js: choose how light the grey around the picture is; the browser remembers it.
const KEPT = "enamel.surround";

export function init(root) {
  const slider = root.querySelector("[data-surround]");
  if (!slider) return;
  const show = () => {
    const grey = Math.round(2.55 * slider.value);
    root.style.setProperty("--color-surround", `rgb(${grey} ${grey} ${grey})`);
    localStorage.setItem(KEPT, slider.value);
  };
  slider.value = localStorage.getItem(KEPT) ?? slider.value;
  slider.addEventListener("input", show);
  for (const button of root.querySelectorAll("[data-step]")) {
    button.addEventListener("click", () => {
      slider.value = Number(slider.value) + Number(button.dataset.step);
      show();
    });
  }
  show();
}
