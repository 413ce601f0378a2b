// wipe.js: show one picture left of a line and another right of it; the artist drags the line.
const STEP = 0.01;

export function wipe(line, viewer, upper) {
  let fraction = 0.5;

  const place = (next) => {
    fraction = Math.min(1, Math.max(0, next));
    line.style.left = `${fraction * 100}%`;
    line.setAttribute("aria-valuenow", Math.round(fraction * 100));
    clip();
  };
  const clip = () => {
    const x = fraction * line.parentElement.clientWidth;
    const size = upper.getContentSize();
    const edge = upper.viewerElementToImageCoordinates(new window.OpenSeadragon.Point(x, 0)).x;
    const width = Math.min(size.x, Math.max(0, edge));
    upper.setOpacity(width > 0 ? 1 : 0);
    upper.setClip(new window.OpenSeadragon.Rect(0, 0, width, size.y));
  };

  line.addEventListener("pointerdown", (event) => {
    line.setPointerCapture(event.pointerId);
    event.preventDefault();
    line.focus();
  });
  line.addEventListener("pointermove", (event) => {
    if (!line.hasPointerCapture(event.pointerId)) return;
    const bounds = line.parentElement.getBoundingClientRect();
    place((event.clientX - bounds.left) / bounds.width);
  });
  line.addEventListener("keydown", (event) => {
    const moves = { ArrowLeft: fraction - STEP, ArrowRight: fraction + STEP, Home: 0, End: 1 };
    if (!(event.key in moves)) return;
    event.preventDefault();
    const stride = event.shiftKey ? 10 : 1;
    const next = moves[event.key];
    place(event.key.startsWith("Arrow") ? fraction + (next - fraction) * stride : next);
  });
  viewer.addHandler("update-viewport", clip);
  viewer.addHandler("resize", clip);
  place(fraction);
}
