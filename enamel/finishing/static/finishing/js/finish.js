// finish.js: the steps of a finish: their controls, their proposals, and a live preview.
import { send } from "../../web/js/shared/send.js";
import { toggle } from "../../web/js/shared/canvas.js";
import { whenOpen } from "../../web/js/shared/viewer.js";
import { curveEditor } from "./finish-curve.js";
import { finishPresets } from "./finish-presets.js";
import { live, pictureIn } from "../../workspace/js/live.js";

export function init(root) {
  const field = root.elements.recipe;
  const recipe = JSON.parse(field.value);
  const without = new Set();
  let preview = () => {};
  const notify = () => {
    field.value = JSON.stringify(recipe);
    preview();
  };
  const steps = [...root.querySelectorAll("[data-step]")].map((part) =>
    stepOf(root, part, recipe, { without, notify }),
  );
  finishPresets(
    document.getElementById("finish-presets"),
    root,
    () => field.value,
    (taken) => {
      for (const step of steps) if (taken[step.name]) step.take(taken[step.name]);
      notify();
    },
  );
  root.querySelector("[data-all-automatic]").addEventListener("click", async () => {
    for (const step of steps) await step.decide();
  });
  let all = false;
  toggle(root.querySelector("[data-without-all]"), (on) => {
    all = on;
    preview();
  });
  whenOpen((bench) => {
    pick(
      root,
      bench,
      (colour) => steps.find(({ name }) => name === "tone").take({ ...recipe.tone, on: true, grey: colour }),
      notify,
    );
    preview = live(bench, {
      canvas: document.querySelector("[data-made]"),
      says: root.querySelector("[data-preview-says]"),
      address: root.dataset.preview,
      form: () => {
        const seen = {};
        for (const [name, step] of Object.entries(recipe))
          seen[name] = without.has(name) ? { ...step, on: false } : step;
        if (all || !Object.values(seen).some(({ on }) => on)) return null;
        const body = new FormData(root);
        body.set("recipe", JSON.stringify(seen));
        return body;
      },
    });
    preview();
  });
}

// one step: show and change its settings; every change can be undone
function stepOf(root, part, recipe, { without, notify }) {
  const name = part.dataset.step;
  const on = part.querySelector("[data-on]");
  const unfold = part.querySelector("[data-unfold]");
  const body = part.querySelector(`#step-${name}`);
  const reason = part.querySelector("[data-reason]");
  const back = part.querySelector("[data-back]");
  const controls = [...part.querySelectorAll("[data-control]")].map((control) =>
    controlOf(control, root.dataset.slider, (key, value) => change({ [key]: value })),
  );
  const texts = [...part.querySelectorAll("[data-text]")];
  const curve = part.querySelector("[data-curve]");
  const editor = curve && curveEditor(curve, (points) => change({ curve: points }));
  let before = null;

  const show = () => {
    const step = recipe[name];
    on.checked = step.on;
    for (const control of controls) control.show(step[control.key]);
    for (const text of texts) text.value = step[text.dataset.text];
    editor?.show(step.curve);
    part.querySelector("[data-short]").textContent = step.on
      ? controls
          .slice(0, 2)
          .map((control) => control.words(step[control.key]))
          .join(", ")
      : "";
  };
  // a changed setting is meant to be seen, so it switches the step on
  const change = (settings) => {
    recipe[name] = { ...recipe[name], on: true, ...settings };
    show();
    notify();
  };
  const take = (settings) => {
    before = recipe[name];
    back.disabled = false;
    recipe[name] = { ...recipe[name], ...settings };
    show();
  };
  const decide = async () => {
    const form = new FormData(root);
    form.set("step", name);
    const { answer, refused } = await send(root.dataset.automatic, form);
    reason.hidden = false;
    if (!answer) {
      reason.textContent = refused;
      return;
    }
    const { step, reason: words } = await answer.json();
    reason.textContent = words;
    take(step);
    notify();
  };
  const open = () => {
    body.hidden = !body.hidden;
    unfold.setAttribute("aria-expanded", !body.hidden);
  };

  on.addEventListener("change", () => {
    if (on.checked && body.hidden) open();
    change({ on: on.checked });
  });
  unfold.addEventListener("click", open);
  for (const text of texts) text.addEventListener("input", () => change({ [text.dataset.text]: text.value }));
  part.querySelector("[data-automatic]").addEventListener("click", decide);
  back.addEventListener("click", () => {
    recipe[name] = before;
    back.disabled = true;
    reason.hidden = true;
    show();
    notify();
  });
  toggle(part.querySelector("[data-without]"), (off) => {
    if (off) without.add(name);
    else without.delete(name);
    notify();
  });
  show();
  return { name, take, decide };
}

// a number and its slider, which is logarithmic where the range is wide
function controlOf(root, slider, changed) {
  const { control: key, low, high } = root.dataset;
  const [least, most] = [Number(low), Number(high)];
  const number = root.querySelector("input[type=number]");
  const range = root.querySelector("input[type=range]");
  const wide = root.dataset.wide !== undefined;
  const by = Number(number.dataset.stepBy);
  const rounded = (value) => Number((Math.round(value / by) * by).toFixed(3));
  const toPlace = (value) =>
    slider * (wide ? Math.log(value / least) / Math.log(most / least) : (value - least) / (most - least));
  const toValue = (place) => {
    const fraction = place / slider;
    const value = wide ? least * (most / least) ** fraction : least + (most - least) * fraction;
    return Math.min(most, Math.max(least, rounded(value)));
  };
  number.addEventListener("input", () => {
    if (number.value !== "" && number.checkValidity()) changed(key, number.valueAsNumber);
  });
  range.addEventListener("input", () => changed(key, toValue(range.valueAsNumber)));
  return {
    key,
    show(value) {
      if (document.activeElement !== number) number.value = value;
      if (document.activeElement !== range) range.value = toPlace(value);
    },
    words: (value) => `${root.querySelector("label").textContent.toLowerCase()} ${value}`,
  };
}

// the next click on the picture picks the colour to be made neutral
function pick(root, { viewer, layer }, take, notify) {
  const button = root.querySelector("[data-pick]");
  let picking = false;
  const turn = (on) => {
    picking = on;
    button.setAttribute("aria-pressed", on);
  };
  button.addEventListener("click", () => turn(!picking));
  viewer.addHandler("canvas-click", async (event) => {
    if (!picking || !event.quick) return;
    turn(false);
    event.preventDefaultAction = true;
    const place = viewer.world.getItemAt(0).viewportToImageCoordinates(viewer.viewport.pointFromPixel(event.position));
    const [x, y] = [Math.floor(place.x), Math.floor(place.y)];
    if (x < 0 || y < 0 || x >= layer.width || y >= layer.height) return;
    const body = new FormData(root);
    const nothing = Object.fromEntries(Object.keys(JSON.parse(root.elements.recipe.value)).map((name) => [name, {}]));
    body.set("recipe", JSON.stringify(nothing));
    body.set("window", [Math.max(0, x - 2), Math.max(0, y - 2), 5, 5].join(" "));
    body.set("pixels", "25");
    const { answer } = await send(root.dataset.preview, body);
    if (!answer) return;
    take(meanColour(await pictureIn(answer)));
    notify();
  });
}

function meanColour({ data }) {
  const sums = [0, 0, 0];
  for (let at = 0; at < data.length; at += 4) for (let part = 0; part < 3; part += 1) sums[part] += data[at + part];
  const count = data.length / 4;
  return `#${sums
    .map((sum) =>
      Math.max(8, Math.round(sum / count))
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
}
