// pair.js: two swatches in one frame, wiped against each other or blinked.
const BLINK_MS = 600;

export function pairs(root, size) {
  const dialog = root.querySelector("[data-pair]");
  const frame = dialog.querySelector("[data-frame]");
  const line = dialog.querySelector("input");
  const blink = dialog.querySelector("[data-blink]");
  let chosen = [];
  let timer = 0;

  const wipe = () => {
    const [, upper] = frame.querySelectorAll("img");
    if (upper) upper.style.clipPath = `inset(0 0 0 ${line.value}%)`;
  };
  const still = () => {
    clearInterval(timer);
    timer = 0;
    blink.setAttribute("aria-pressed", "false");
    wipe();
  };
  line.addEventListener("input", still);
  blink.addEventListener("click", () => {
    if (timer) return still();
    blink.setAttribute("aria-pressed", "true");
    const [, upper] = frame.querySelectorAll("img");
    let hidden = false;
    timer = setInterval(() => {
      hidden = !hidden;
      upper.style.clipPath = hidden ? "inset(0 0 0 100%)" : "none";
    }, BLINK_MS);
  });
  dialog.querySelector("[data-close]").addEventListener("click", () => dialog.close());
  dialog.addEventListener("close", still);

  // the first call picks, the second opens
  return (cell) => {
    if (!cell.querySelector("img")) return;
    chosen = [...chosen.filter((other) => other !== cell), cell].slice(-2);
    for (const other of root.querySelectorAll("[data-picked]")) delete other.dataset.picked;
    for (const other of chosen) other.dataset.picked = "";
    if (chosen.length < 2) return;
    frame.replaceChildren(...chosen.map((one) => {
      const image = one.querySelector("img").cloneNode();
      image.style.cssText = "position:absolute;inset:0;width:100%;height:100%";
      return image;
    }));
    frame.style.aspectRatio = `${size.width} / ${size.height}`;
    const names = chosen.map((one) => one.getAttribute("aria-label"));
    dialog.querySelector("[data-names]").textContent = `Left of the line: ${names[0]}. Right: ${names[1]}.`;
    chosen = [];
    for (const other of root.querySelectorAll("[data-picked]")) delete other.dataset.picked;
    dialog.showModal();
    wipe();
  };
}
