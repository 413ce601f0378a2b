// section.js: pick a layer in the drawn section: arrows move, a peek shows it, Shift picks the layer to wipe against.
export function init(root) {
  const bands = [...root.querySelectorAll("[data-band]")];
  const peek = root.querySelector("[data-peek]");
  for (const band of bands) {
    band.addEventListener("pointerenter", () => show(peek, band));
    band.addEventListener("focus", () => show(peek, band));
    band.addEventListener("pointerleave", () => {
      peek.hidden = true;
    });
    band.addEventListener("blur", () => {
      peek.hidden = true;
    });
    band.addEventListener("click", (event) => {
      if (!event.shiftKey) return;
      event.preventDefault();
      const address = new URL(window.location.href);
      address.searchParams.set("against", band.dataset.band);
      window.location.assign(address);
    });
    band.addEventListener("keydown", (event) => {
      const next = neighbour(bands, band, event.key);
      if (!next) return;
      event.preventDefault();
      next.focus();
    });
  }
}

function show(peek, band) {
  const { thumbnail, says } = band.dataset;
  if (!thumbnail) return;
  peek.querySelector("img").src = thumbnail;
  peek.querySelector("p").textContent = says;
  const bounds = band.getBoundingClientRect();
  peek.hidden = false;
  peek.style.left = `${bounds.right + 12}px`;
  peek.style.top = `${Math.max(52, Math.min(bounds.top, window.innerHeight - peek.offsetHeight - 12))}px`;
}

// up to a layer made from this one, down to its parent, sideways to its neighbours
function neighbour(bands, band, key) {
  const { parent } = band.dataset;
  const children = bands.filter((other) => other.dataset.parent === band.dataset.band);
  const siblings = bands.filter((other) => other.dataset.parent === parent);
  siblings.sort((one, other) => one.dataset.x - other.dataset.x);
  const place = siblings.indexOf(band);
  return {
    ArrowUp: children[0],
    ArrowDown: bands.find((other) => other.dataset.band === parent),
    ArrowLeft: siblings[place - 1],
    ArrowRight: siblings[place + 1],
  }[key];
}
