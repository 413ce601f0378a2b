// canvas.js: a canvas as large as its place on the screen, sharp on screens of any density.
export function fresh(canvas) {
  const ratio = window.devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = canvas;
  canvas.width = Math.round(width * ratio);
  canvas.height = Math.round(height * ratio);
  const context = canvas.getContext("2d");
  context.scale(ratio, ratio);
  return { context, width, height };
}

// a button that shows and hides something; `turned` is called
export function toggle(button, turned) {
  button?.addEventListener("click", () => {
    const on = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", on);
    turned(on);
  });
}
