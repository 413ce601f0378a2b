// steps.js: the current mask: its steps, with undo and redo. Notifies listeners.
export class Steps {
  constructor(size, steps = []) {
    this.size = size;
    this.steps = steps;
    this.undone = [];
    this.before = []; // whole lists, for what replaces all steps at once
    this.listeners = [];
  }

  listen(listener) {
    this.listeners.push(listener);
  }

  notify() {
    for (const listener of this.listeners) listener(this);
  }

  add(step) {
    this.replace([...this.steps, step]);
  }

  replace(steps) {
    this.before.push(this.steps);
    this.steps = steps;
    this.undone = [];
    this.notify();
  }

  undo() {
    if (!this.before.length) return;
    this.undone.push(this.steps);
    this.steps = this.before.pop();
    this.notify();
  }

  redo() {
    if (!this.undone.length) return;
    this.before.push(this.steps);
    this.steps = this.undone.pop();
    this.notify();
  }

  // scale a mask that was drawn at another size of the picture
  take({ size, steps }) {
    this.replace(steps.map((step) => scaled(step, this.size[0] / size[0])));
  }

  toJson() {
    return JSON.stringify({ size: this.size, steps: this.steps });
  }
}

const LENGTHS = ["x", "y", "width", "height", "across", "down", "radius", "by"];

function scaled(step, factor) {
  if (factor === 1) return step;
  const made = { ...step };
  for (const name of LENGTHS) if (name in made) made[name] *= factor;
  if (made.points) {
    const each = made.kind === "stroke" ? 3 : 2;
    made.points = made.points.map((value, place) => (place % each < 2 ? value * factor : value));
  }
  return made;
}
