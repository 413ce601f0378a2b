// save-view.js: save a canvas as a PNG file, with lines of text on a strip below it.
const LINE = 20;

export async function saveLabelled(canvas, ratio, name, lines) {
  const step = LINE * ratio;
  const out = new OffscreenCanvas(canvas.width, canvas.height + step * (lines.length + 1));
  const context = out.getContext("2d");
  context.fillStyle = "#f4f1e8";
  context.fillRect(0, 0, out.width, out.height);
  context.drawImage(canvas, 0, 0);
  context.fillStyle = "#1b1d22";
  context.font = `${14 * ratio}px Barlow, sans-serif`;
  lines.forEach((words, place) => {
    context.fillText(words, 12 * ratio, canvas.height + step * (place + 1.2), out.width - 24 * ratio);
  });
  const link = document.createElement("a");
  link.href = URL.createObjectURL(await out.convertToBlob({ type: "image/png" }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
