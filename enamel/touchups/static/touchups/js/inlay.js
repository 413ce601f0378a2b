// inlay.js: inlays: their order, opacity and masks, with a live preview.
import { Steps } from "../../web/js/mask/steps.js";
import { ask, maskTools } from "../../web/js/mask/tools.js";
import { live } from "../../workspace/js/live.js";
import { send } from "../../web/js/shared/send.js";
import { toggle } from "../../web/js/shared/canvas.js";
import { whenOpen } from "../../web/js/shared/viewer.js";

export function init(root) {
  whenOpen((bench) => {
    const size = [bench.layer.width, bench.layer.height];
    const field = root.elements.inlays;
    let inlays = JSON.parse(field.value || "[]").map((settings) => ({
      ...settings,
      name: nameOf(root, settings.source),
    }));
    let chosen = inlays.length ? 0 : null;
    const steps = new Steps(size);
    const preview = live(bench, {
      canvas: document.querySelector("[data-made]"),
      says: root.querySelector("[data-preview-says]"),
      address: root.dataset.preview,
      form: () => (field.value === "[]" ? null : new FormData(root)),
    });
    const part = root.querySelector("[data-one]");
    const store = () => {
      field.value = JSON.stringify(inlays.map((inlay) => ({ ...inlay, name: undefined })));
      preview();
    };
    const choose = (place) => {
      chosen = place;
      part.hidden = place === null;
      if (place !== null) {
        const settings = inlays[place];
        part.querySelector("[data-one-name]").textContent = settings.name;
        part.querySelector("[data-opacity]").value = Math.round(settings.opacity * 100);
        part.querySelector("[data-opacity-now]").textContent = `${Math.round(settings.opacity * 100)} %`;
        part.querySelector("[data-mixing]").value = settings.mixing;
        part.querySelector("[data-seamless]").checked = settings.seamless > 0;
        steps.steps = settings.mask ? settings.mask.steps : [];
        [steps.before, steps.undone] = [[], []];
        steps.notify();
      }
      list();
    };
    const change = (settings) => {
      if (chosen === null) return;
      Object.assign(inlays[chosen], settings);
      store();
    };
    const list = () => {
      root.querySelector("[data-list]").replaceChildren(
        ...[...inlays.entries()].reverse().map(([place, settings]) =>
          entry(settings, place === chosen, {
            pick: () => choose(place),
            up: place < inlays.length - 1 && (() => swap(place, place + 1)),
            down: place > 0 && (() => swap(place, place - 1)),
            remove: () => {
              inlays = inlays.filter((_, other) => other !== place);
              choose(inlays.length ? Math.min(place, inlays.length - 1) : null);
              store();
            },
          }),
        ),
      );
    };
    const swap = (one, other) => {
      [inlays[one], inlays[other]] = [inlays[other], inlays[one]];
      choose(other);
      store();
    };
    const add = (source, name, homography) => {
      inlays.push({ source, mask: null, opacity: 1, mixing: "as it is", seamless: 0, homography, name });
      choose(inlays.length - 1);
      store();
    };
    root.querySelector("[data-add]")?.addEventListener("click", () => {
      const [option] = root.querySelector("[data-source]").selectedOptions;
      add(option.value, option.textContent, JSON.parse(option.dataset.homography));
    });
    layFile(root, add);
    blink(root.querySelector("[data-blink]"));
    part.querySelector("[data-opacity]").addEventListener("input", ({ target }) => {
      part.querySelector("[data-opacity-now]").textContent = `${target.value} %`;
      change({ opacity: target.value / 100 });
    });
    part.querySelector("[data-mixing]").addEventListener("change", ({ target }) => change({ mixing: target.value }));
    part
      .querySelector("[data-seamless]")
      .addEventListener("change", ({ target }) => change({ seamless: target.checked ? 1 : 0 }));
    for (const button of part.querySelectorAll("[data-by]")) {
      button.addEventListener("click", async () => {
        const tools = root.querySelector("[data-mask-tools]");
        const found = await ask(tools, tools.dataset.measured, {
          measure: button.dataset.by,
          over: inlays[chosen].source,
        });
        if (found) steps.take(found.mask);
      });
    }
    maskTools(root.querySelector("[data-mask-tools]"), bench, steps);
    steps.listen(() => {
      const mask = steps.steps.length ? { size, steps: steps.steps } : null;
      if (chosen !== null && JSON.stringify(inlays[chosen].mask) !== JSON.stringify(mask)) change({ mask });
    });
    toggle(root.querySelector("[data-show-mask]"), (on) => {
      document.querySelector("[data-mask]").hidden = !on;
    });
    toggle(root.querySelector("[data-show-inlay]"), (on) => {
      document.querySelector("[data-made]").hidden = !on;
    });
    choose(chosen);
    store();
  });
}

// the server aligns a file and returns how well; nothing is laid before the artist has seen it
function layFile(root, add) {
  const field = root.querySelector("[data-file]");
  const says = root.querySelector("[data-file-says]");
  field.addEventListener("change", async () => {
    if (!field.files.length) return;
    says.hidden = false;
    says.textContent = "Looking where it lies …";
    const { answer, refused } = await send(field.dataset.file, { file: field.files[0] });
    field.value = "";
    if (!answer) {
      says.textContent = refused;
      return;
    }
    const { source, name, homography, words } = await answer.json();
    says.textContent = words;
    add(source, name, homography);
  });
}

// at most three times a second, because faster flashes can harm
function blink(button) {
  const canvas = document.querySelector("[data-made]");
  let timer = 0;
  toggle(button, (on) => {
    clearInterval(timer);
    canvas.style.visibility = "";
    if (on)
      timer = setInterval(() => {
        canvas.style.visibility = canvas.style.visibility ? "" : "hidden";
      }, 500);
  });
}

function nameOf(root, source) {
  const option = [...(root.querySelector("[data-source]")?.options ?? [])].find(({ value }) => value === source);
  return option?.textContent ?? "A layer that is gone";
}

function entry(settings, current, { pick, up, down, remove }) {
  const item = document.createElement("li");
  item.className = "flex items-center gap-1 rounded-[3px] border border-rule bg-white p-1 text-[13px]";
  const button = (words, does, label) => {
    const made = document.createElement("button");
    made.type = "button";
    made.className = "button button-small px-1.5";
    made.textContent = words;
    made.disabled = !does;
    if (label) made.setAttribute("aria-label", label);
    if (does) made.addEventListener("click", does);
    return made;
  };
  const name = button(settings.name, pick);
  name.classList.add("min-w-0", "flex-1", "truncate", "justify-start");
  name.setAttribute("aria-current", current);
  item.append(name, button("↑", up, "Move up"), button("↓", down, "Move down"), button("×", remove, "Remove"));
  return item;
}
