// compare.js: the comparing bench: move and zoom several aligned pictures together, and step through their findings.
import { listen } from "./compare-input.js";
import { boxes, chart, map, names } from "./overlays.js";
import { Pyramid, Still } from "./pyramid.js";
import { saveLabelled } from "./save-view.js";
import { MM_PER_INCH, calibrate, pxPerMm } from "../../web/js/shared/screen.js";
import { read, write } from "./view-address.js";
import { AMOUNTS, ways } from "./ways.js";

const NEAREST = 1.99; // from here on the largest picture's px are shown as they are
const MOVES = ["u", "v", "x", "y", "zoom"]; // what changes with every frame, and only on the canvas

export function init(root) {
  new Bench(root).start();
}

class Bench {
  constructor(root) {
    this.root = root;
    this.stage = root.querySelector("[data-stage]");
    this.canvas = root.querySelector("[data-canvas]");
    this.context = this.canvas.getContext("2d", { alpha: false });
    this.line = root.querySelector("[data-line]");
    this.apart = JSON.parse(root.dataset.apart);
    this.pictures = JSON.parse(root.dataset.pictures).map((facts) => {
      const source = facts.tiles
        ? new Pyramid(facts, () => this.paintSoon())
        : new Still(facts, () => this.paintSoon());
      return Object.assign(source, facts);
    });
    this.largest = this.pictures.reduce((one, other) => (other.width > one.width ? other : one));
    this.shape = this.largest.height / this.largest.width;
    this.ratio = window.devicePixelRatio || 1;
    this.sheets = {};
    this.playing = false; // blinks by itself
    this.allBoxes = false; // shows every finding
    this.turn = 0;
    this.state = read(root.dataset.way, this.shape, this.pictures.length);
  }

  start() {
    listen(this);
    new ResizeObserver(() => this.#resize()).observe(this.stage);
    this.#resize();
    this.set({ way: this.way });
    this.root.dataset.open = "";
  }

  // the scene that the ways of comparing draw
  #scene() {
    return {
      ...this.state,
      pictures: this.pictures,
      first: this.first,
      second: this.second,
      size: { width: this.canvas.width, height: this.canvas.height },
      at: { x: this.state.x, y: this.state.y },
      turn: this.turn,
      ratio: this.ratio,
      sheets: this.sheets,
      frame: (pane) => this.frame(pane),
      smooth: (picture) => this.smooth(picture),
    };
  }

  get first() {
    return this.pictures[this.state.first] ?? this.pictures[0];
  }

  get second() {
    return this.pictures[this.state.second] ?? this.pictures[0];
  }

  // device px for one width of the picture
  get k() {
    const { width, height } = this.pane();
    const fit = Math.min(width, height / this.shape);
    return this.state.zoom ? this.state.zoom * this.largest.width : fit;
  }

  frame(pane) {
    const k = this.k;
    const left = Math.round((this.state.u - pane.width / 2 / k) * k) / k;
    const top = Math.round((this.state.v - pane.height / 2 / k) * k) / k;
    return { left, top, k, width: pane.width, height: pane.height };
  }

  // whether a picture is smoothed at a scale: the largest is unsmoothed from 200 % on, smaller ones as chosen
  smooth(picture) {
    return (scale) => scale < 1 || (picture.width < this.largest.width ? this.state.smooth : scale < NEAREST);
  }

  pane() {
    const columns = { side: this.pictures.length, grid: Math.ceil(Math.sqrt(this.pictures.length)) }[this.way] ?? 1;
    const rows = this.way === "grid" ? Math.ceil(this.pictures.length / columns) : 1;
    return { width: this.canvas.width / columns, height: this.canvas.height / rows };
  }

  get way() {
    return this.state.way;
  }

  // drawing -----------------------------------------------------------------------------------

  paintSoon() {
    this.frameAsked ??= requestAnimationFrame(() => {
      this.frameAsked = null;
      this.#draw();
    });
  }

  #draw() {
    if (this.way === "table") {
      this.root.dataset.complete = "";
      return;
    }
    const { context } = this;
    context.fillStyle = getComputedStyle(this.stage).backgroundColor;
    context.fillRect(0, 0, this.canvas.width, this.canvas.height);
    const scene = this.#scene();
    const panes = ways[this.way](context, scene);
    const subject = this.subject;
    if (this.state.map && subject.maps[this.state.map]) {
      subject.charts ??= {};
      subject.charts[this.state.map] ??= chart(subject.maps[this.state.map]);
      map(context, scene, panes, subject.charts[this.state.map], this.shape);
    }
    const current = subject.findings[this.state.finding];
    const shown = this.allBoxes ? subject.findings : subject.findings.filter((finding) => finding === current);
    boxes(context, scene, panes, shown, current, subject.width);
    names(context, panes, this.ratio);
    this.panes = panes;
    this.#place();
    this.#navigator();
    this.root.querySelector("[data-zoom-now]").textContent = `${Math.round(this.zoom * 100)} %`;
    if (!this.begun && this.pictures.every(({ begun }) => begun)) {
      this.begun = true;
      performance.mark("pictures"); // when there was something of every picture to be seen
    }
    if (this.pictures.every(({ complete }) => complete)) this.root.dataset.complete = "";
    else delete this.root.dataset.complete;
  }

  #place() {
    this.line.hidden = this.way !== "wipe";
    const { x, y, angle } = this.state;
    this.line.style.cssText = `left:${x * 100}%;top:${y * 100}%;transform:translate(-50%,-50%) rotate(${-angle}deg)`;
    this.line.setAttribute("aria-valuenow", Math.round(x * 100));
  }

  #navigator() {
    const small = this.root.querySelector("[data-navigator]");
    const context = small.getContext("2d");
    const width = 150;
    const height = Math.max(1, Math.round(width * this.shape));
    if (small.height !== height) Object.assign(small, { width, height });
    const whole = { left: 0, top: 0, k: width, width, height };
    context.fillStyle = "#777";
    context.fillRect(0, 0, width, height);
    const { waiting } = this.first;
    this.first.draw(context, whole, () => true);
    if (waiting) this.first.waiting = waiting; // the stage's tiles come first
    const frame = this.frame({ ...this.pane() });
    const box = [
      frame.left * width,
      frame.top * width,
      (frame.width / frame.k) * width,
      (frame.height / frame.k) * width,
    ];
    for (const [style, thick] of [
      ["#1b1d22", 3],
      ["#f4f1e8", 1.5],
    ]) {
      context.strokeStyle = style;
      context.lineWidth = thick;
      context.strokeRect(...box);
    }
  }

  #resize() {
    const { clientWidth, clientHeight } = this.stage;
    if (!clientWidth || !clientHeight) return;
    this.canvas.width = Math.round(clientWidth * this.ratio);
    this.canvas.height = Math.round(clientHeight * this.ratio);
    this.paintSoon();
  }

  // state -------------------------------------------------------------------------------------

  set(change) {
    Object.assign(this.state, change);
    const { state } = this;
    state.u = Math.min(1, Math.max(0, state.u));
    state.v = Math.min(this.shape, Math.max(0, state.v));
    state.x = Math.min(1, Math.max(0, state.x));
    state.y = Math.min(1, Math.max(0, state.y));
    this.paintSoon();
    if (!Object.keys(change).every((name) => MOVES.includes(name))) this.#notify();
    clearTimeout(this.writing);
    this.writing = setTimeout(
      () =>
        write(
          state,
          this.shape,
          this.pictures.map(({ token }) => token),
        ),
      150,
    );
  }

  get subject() {
    return this.second.findings.length || !this.first.findings.length ? this.second : this.first;
  }

  #notify() {
    const { root, state } = this;
    for (const button of root.querySelectorAll("[data-way]"))
      button.setAttribute("aria-pressed", button.dataset.way === this.way);
    for (const [name, place] of [
      ["first", state.first],
      ["second", state.second],
    ]) {
      for (const button of root.querySelectorAll(`[data-${name}]`))
        button.setAttribute("aria-pressed", Number(button.dataset[name]) === place);
    }
    for (const button of root.querySelectorAll("[data-toggle]"))
      button.setAttribute("aria-pressed", Boolean(state[button.dataset.toggle]));
    for (const part of root.querySelectorAll("[data-only]"))
      part.hidden = !part.dataset.only.split(" ").includes(this.way);
    root.querySelector("[data-table]").hidden = this.way !== "table";
    this.stage.hidden = this.way === "table";
    const amount = AMOUNTS[this.way];
    const control = root.querySelector("[data-amount]");
    control.hidden = !amount;
    if (amount) {
      const slider = control.querySelector("input");
      Object.assign(slider, { min: amount.from, max: amount.to, step: amount.step, value: state[amount.name] });
      control.querySelector("label").textContent = amount.words;
      const text =
        amount.unit === "×"
          ? `× ${state.gain}`
          : `${state[amount.name]}${amount.unit.startsWith(":") ? "" : " "}${amount.unit}`;
      control.querySelector("output").textContent = text;
      slider.setAttribute("aria-valuetext", text);
    }
    root.querySelector("[data-apart-line]").textContent =
      this.apart[`${this.first.token} ${this.second.token}`] ?? "one picture";
    root.querySelector("[data-enlarged]").textContent = state.smooth
      ? "Smaller pictures smoothed"
      : "Smaller pictures unsmoothed";
    this.#notifyFindings();
    this.blinking();
  }

  #notifyFindings() {
    const { subject, state } = this;
    for (const list of this.root.querySelectorAll("[data-findings-of]"))
      list.hidden = list.dataset.findingsOf !== subject.token;
    for (const entry of this.root.querySelectorAll("[data-finding]")) {
      const current = !entry.closest("[data-findings-of]").hidden && Number(entry.dataset.finding) === state.finding;
      if (current) entry.setAttribute("aria-current", "true");
      else entry.removeAttribute("aria-current");
    }
    const select = this.root.querySelector("[data-map]");
    for (const option of select.options) option.disabled = option.value !== "" && !(option.value in subject.maps);
    select.value = state.map in subject.maps ? state.map : "";
  }

  blinking() {
    const rate = this.way === "blink" && this.playing ? this.state.rate : 0;
    if (rate === this.rate) return;
    this.rate = rate;
    clearInterval(this.blinks);
    if (rate) this.blinks = setInterval(() => this.flip(), 1000 / rate);
  }

  // actions -----------------------------------------------------------------------------------

  flip() {
    if (this.way === "blink") {
      this.turn += 1;
      this.paintSoon();
    } else this.set({ first: this.state.second, second: this.state.first });
  }

  zoomTo(zoom, place = null) {
    const pane = this.pane();
    const before = this.frame(pane);
    const next = Math.min(32, Math.max(this.#fit() / 2, zoom));
    if (!place) return this.set({ zoom: next });
    const k = next * this.largest.width;
    return this.set({
      zoom: next,
      u: before.left + place.x / before.k + (pane.width / 2 - place.x) / k,
      v: before.top + place.y / before.k + (pane.height / 2 - place.y) / k,
    });
  }

  #fit() {
    const { width, height } = this.pane();
    return Math.min(width, height / this.shape) / this.largest.width;
  }

  get zoom() {
    return this.k / this.largest.width;
  }

  step(by) {
    const { findings, width } = this.subject;
    if (!findings.length) return;
    const next =
      (this.state.finding + by + (this.state.finding < 0 && by < 0 ? 1 : 0) + findings.length) % findings.length;
    this.go(next, findings[next].box, width);
  }

  go(finding, [x, y, wide, high], width) {
    const pane = this.pane();
    const fraction = this.largest.width / width;
    const whole = wide >= 0.98 * width;
    const room = Math.min(pane.width / (wide * fraction), pane.height / (high * fraction)) / 2.5;
    this.set({
      finding,
      u: (x + wide / 2) / width,
      v: (y + high / 2) / width,
      zoom: whole ? 0 : Math.min(2, Math.max(this.#fit(), room)),
    });
    this.root
      .querySelector(`[data-findings-of="${this.subject.token}"] [data-finding="${finding}"]`)
      ?.scrollIntoView({ block: "nearest" });
  }

  change(by) {
    const amount = AMOUNTS[this.way];
    if (!amount) return;
    const value = this.state[amount.name] + by * amount.step;
    this.set({ [amount.name]: Math.min(amount.to, Math.max(amount.from, value)) });
  }

  printSize() {
    const ppi = (Number(this.root.dataset.ppi) * this.largest.width) / Number(this.root.dataset.printWidth);
    const go = () => this.set({ zoom: (pxPerMm() * this.ratio * MM_PER_INCH) / ppi });
    if (pxPerMm()) go();
    else calibrate(this.root.querySelector("[data-calibrate]"), go);
  }

  // the view as a PNG, with a strip that says what it shows
  save() {
    const { root, first, second } = this;
    const way = root.querySelector(`[data-way="${this.way}"]`).textContent.trim();
    saveLabelled(this.canvas, this.ratio, `${root.dataset.title}-${this.way}.png`, [
      `${root.dataset.title}: ${way}, ${Math.round(this.zoom * 100)} % of ${this.largest.width} × ${this.largest.height} px`,
      ...this.pictures.map(
        ({ letter, name, width, height, settings }) => `${letter}  ${name}, ${width} × ${height} px, ${settings}`,
      ),
      `${first.letter} → ${second.letter}: ${this.apart[`${first.token} ${second.token}`] ?? "one picture"}`,
      root.querySelector("[data-enlarged]").textContent,
    ]);
  }
}
