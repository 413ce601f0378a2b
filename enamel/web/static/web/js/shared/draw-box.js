// draw-box.js: draw a box on the picture, after a button is pressed.
const SMALLEST = 16;

// calls `drawn` with the box [x, y, width, height] in px of the layer while it is drawn; `settled` at its end
export function drawBox(button, { viewer, layer }, drawn, settled = () => {}) {
  const svg = document.querySelector("[data-regions]");
  const item = viewer.world.getItemAt(0);
  let from = null;
  const pressed = () => button.getAttribute("aria-pressed") === "true";
  const turn = (on) => {
    button.setAttribute("aria-pressed", on);
    svg.style.pointerEvents = on ? "auto" : "none";
    svg.style.cursor = on ? "crosshair" : "";
  };
  const at = (event) => {
    const bounds = svg.getBoundingClientRect();
    const place = new window.OpenSeadragon.Point(event.clientX - bounds.left, event.clientY - bounds.top);
    const { x, y } = item.viewerElementToImageCoordinates(place);
    return [Math.min(layer.width, Math.max(0, x)), Math.min(layer.height, Math.max(0, y))];
  };
  button.addEventListener("click", () => turn(!pressed()));
  svg.addEventListener("pointerdown", (event) => {
    if (!pressed()) return;
    svg.setPointerCapture(event.pointerId);
    from = at(event);
  });
  svg.addEventListener("pointermove", (event) => {
    if (!from || !pressed()) return;
    const to = at(event);
    const left = Math.round(Math.min(from[0], to[0]));
    const top = Math.round(Math.min(from[1], to[1]));
    const width = Math.round(Math.abs(from[0] - to[0]));
    const height = Math.round(Math.abs(from[1] - to[1]));
    if (width >= SMALLEST && height >= SMALLEST) drawn([left, top, width, height]);
  });
  svg.addEventListener("pointerup", () => {
    if (!from || !pressed()) return;
    from = null;
    turn(false);
    settled();
  });
  turn(false);
}
