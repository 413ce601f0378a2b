// live.js: a preview of the visible part, made by the engine whenever the view or the settings change.
//
// One request at a time: meanwhile the newest settings wait, so that a value that is being
// dragged is followed as fast as the engine answers, and the last preview shows the last settings.
import { send } from "../../web/js/shared/send.js";

// returns a function to call when settings change; `form` returns the data to send, or null for no preview
export function live({ viewer, layer }, { canvas, says, address, form }) {
  const item = viewer.world.getItemAt(0);
  const ratio = window.devicePixelRatio || 1;
  let shown = null; // { image, part }
  let busy = false;
  let again = false;

  const draw = () => {
    canvas.width = canvas.clientWidth * ratio;
    canvas.height = canvas.clientHeight * ratio;
    if (!shown) return;
    const [x, y, width, height] = shown.part;
    const start = item.imageToViewerElementCoordinates(new window.OpenSeadragon.Point(x, y));
    const end = item.imageToViewerElementCoordinates(new window.OpenSeadragon.Point(x + width, y + height));
    const context = canvas.getContext("2d");
    context.imageSmoothingEnabled = (end.x - start.x) * ratio < 2 * shown.image.width;
    context.drawImage(
      shown.image,
      start.x * ratio,
      start.y * ratio,
      (end.x - start.x) * ratio,
      (end.y - start.y) * ratio,
    );
  };

  const seen = () => {
    const bounds = item.viewportToImageRectangle(viewer.viewport.getBounds(true));
    const [left, top] = [Math.max(0, Math.floor(bounds.x)), Math.max(0, Math.floor(bounds.y))];
    const right = Math.min(layer.width, Math.ceil(bounds.x + bounds.width));
    const bottom = Math.min(layer.height, Math.ceil(bounds.y + bounds.height));
    return [left, top, right - left, bottom - top];
  };

  const show = (image, part, words) => {
    shown = image && { image, part };
    says.textContent = words;
    draw();
  };

  const make = async () => {
    const body = form();
    const part = seen();
    if (!body || part[2] <= 0 || part[3] <= 0) return show(null, null, "");
    body.set("window", part.join(" "));
    body.set("pixels", Math.max(1, Math.min(4_000_000, canvas.clientWidth * canvas.clientHeight * ratio * ratio)));
    const { answer, refused } = await send(address, body);
    if (!answer) return show(null, null, refused);
    const image = await createImageBitmap(await pictureIn(answer));
    const exact = image.width === part[2];
    return show(
      image,
      part,
      exact ? "As the layer will have it, pixel by pixel." : "Reduced; zoom in for the very pixels.",
    );
  };

  const follow = async () => {
    if (busy) {
      again = true;
      return;
    }
    busy = true;
    do {
      again = false;
      await make();
    } while (again);
    busy = false;
  };

  viewer.addHandler("update-viewport", draw);
  viewer.addHandler("animation-finish", follow);
  viewer.addHandler("resize", follow);
  return follow;
}

// plain samples where the answer has their width in a header, else an image file
export async function pictureIn(answer) {
  const width = Number(answer.headers.get("Enamel-Width"));
  return width ? new ImageData(new Uint8ClampedArray(await answer.arrayBuffer()), width) : answer.blob();
}
