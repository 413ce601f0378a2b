// pyramid.js: draw one picture at any place and scale: tiles are fetched on demand, with coarser ones in their place until then.
const AT_ONCE = 8;
const KEPT = 160; // decoded tiles of one picture, about 1 MB each

export class Pyramid {
  // `tiles` is JSON with the address and the size of tiles; `changed` is called when there is more to draw
  constructor({ tiles, width, height }, changed) {
    const { url, tileSize, overlap } = JSON.parse(tiles);
    this.url = url;
    this.tileSize = tileSize;
    this.overlap = overlap;
    this.width = width;
    this.height = height;
    this.changed = changed;
    this.top = Math.ceil(Math.log2(Math.max(width, height)));
    this.bottom = Math.max(0, this.top - Math.ceil(Math.log2(Math.max(width, height) / this.tileSize)));
    this.bitmaps = new Map(); // in order of use
    this.waiting = [];
    this.running = 0;
    this.asked = new Set();
  }

  // draws the part under `frame`: left and top in widths of the picture, k device px for one width, width and height in device px
  draw(context, frame, smooth) {
    const scale = frame.k / this.width;
    const level = Math.min(this.top, Math.max(this.bottom, this.top + Math.ceil(Math.log2(scale) - 1e-6)));
    const zoom = scale * 2 ** (this.top - level); // device px for one px of the level
    const columns = Math.ceil(Math.ceil(this.width / 2 ** (this.top - level)) / this.tileSize);
    const rows = Math.ceil(Math.ceil(this.height / 2 ** (this.top - level)) / this.tileSize);
    const side = this.tileSize * zoom;
    const x0 = -frame.left * frame.k;
    const y0 = -frame.top * frame.k;
    this.waiting = [[this.bottom, 0, 0]];
    context.imageSmoothingEnabled = smooth(scale);
    for (let row = Math.max(0, Math.floor(-y0 / side)); row < rows && y0 + row * side < frame.height; row += 1) {
      for (
        let column = Math.max(0, Math.floor(-x0 / side));
        column < columns && x0 + column * side < frame.width;
        column += 1
      ) {
        this.#tile(context, level, column, row, x0 + column * side, y0 + row * side, zoom);
      }
    }
    this.#fetchMore();
  }

  #tile(context, level, column, row, x, y, zoom) {
    const found = this.#known(level, column, row);
    if (!found) return;
    const { bitmap, fraction, left, top, width, height, overlapX, overlapY } = found;
    // edges on whole device px, so that no hairline shows between tiles
    const px = zoom / fraction;
    const start = Math.round(x - overlapX * px);
    const above = Math.round(y - overlapY * px);
    const end = Math.round(x - overlapX * px + width * px);
    const below = Math.round(y - overlapY * px + height * px);
    context.drawImage(bitmap, left, top, width, height, start, above, end - start, below - above);
  }

  // a tile, or that part of a coarser one
  #known(level, column, row) {
    for (let coarser = level, fraction = 1; coarser >= this.bottom; coarser -= 1, fraction /= 2) {
      const c = Math.floor(column * fraction);
      const r = Math.floor(row * fraction);
      const key = `${coarser}/${c}_${r}`;
      const bitmap = this.bitmaps.get(key);
      if (!bitmap) {
        if (coarser === level) this.waiting.unshift([coarser, c, r]);
        continue;
      }
      this.bitmaps.delete(key);
      this.bitmaps.set(key, bitmap);
      const overlapX = c > 0 ? this.overlap : 0;
      const overlapY = r > 0 ? this.overlap : 0;
      if (fraction === 1) {
        return { bitmap, fraction, left: 0, top: 0, width: bitmap.width, height: bitmap.height, overlapX, overlapY };
      }
      const part = this.tileSize * fraction;
      const left = (column * fraction - c) * this.tileSize + overlapX;
      const top = (row * fraction - r) * this.tileSize + overlapY;
      const width = Math.min(part, bitmap.width - left);
      const height = Math.min(part, bitmap.height - top);
      if (width <= 0 || height <= 0) return null;
      return { bitmap, fraction, left, top, width, height, overlapX: 0, overlapY: 0 };
    }
    return null;
  }

  #fetchMore() {
    while (this.running < AT_ONCE && this.waiting.length) {
      const [level, column, row] = this.waiting.pop();
      const key = `${level}/${column}_${row}`;
      if (this.asked.has(key) || this.bitmaps.has(key)) continue;
      this.asked.add(key);
      this.running += 1;
      this.#fetch(key).finally(() => {
        this.running -= 1;
        this.#fetchMore();
      });
    }
  }

  async #fetch(key) {
    try {
      const answer = await fetch(`${this.url}${key}.png`);
      if (!answer.ok) return;
      this.bitmaps.set(key, await createImageBitmap(await answer.blob()));
      for (const [oldest, bitmap] of this.bitmaps) {
        if (this.bitmaps.size <= KEPT) break;
        bitmap.close();
        this.bitmaps.delete(oldest);
      }
      this.changed();
    } finally {
      this.asked.delete(key);
    }
  }

  get begun() {
    return this.bitmaps.size > 0;
  }

  get complete() {
    return this.running === 0 && this.waiting.length === 0;
  }
}

// a single image that shows a window of the whole, such as a swatch
export class Still {
  constructor({ image, width, box }, changed) {
    this.width = width;
    this.box = box;
    this.complete = false;
    fetch(image)
      .then((answer) => answer.blob())
      .then(createImageBitmap)
      .then((bitmap) => {
        this.bitmap = bitmap;
        this.complete = true;
        changed();
      });
  }

  get begun() {
    return Boolean(this.bitmap);
  }

  draw(context, frame, smooth) {
    if (!this.bitmap) return;
    const scale = frame.k / this.width;
    const [x, y, width, height] = this.box;
    context.imageSmoothingEnabled = smooth(scale);
    context.drawImage(
      this.bitmap,
      x * scale - frame.left * frame.k,
      y * scale - frame.top * frame.k,
      width * scale,
      height * scale,
    );
  }
}
