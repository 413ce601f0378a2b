// touch-up.js: choose what to mend: a mask painted on the picture, or faces.
import { Steps } from "../../web/js/mask/steps.js";
import { maskTools } from "../../web/js/mask/tools.js";
import { setValue } from "../../web/js/shared/set-value.js";
import { whenOpen } from "../../web/js/shared/viewer.js";
import { editFaces } from "./faces.js";

export function init(root) {
  root
    .querySelector("[data-put-words]")
    ?.addEventListener("click", ({ target }) => setValue(root.elements.prompt, target.dataset.putWords));
  whenOpen((bench) => {
    const field = root.elements.mask;
    const size = [bench.layer.width, bench.layer.height];
    const steps = new Steps(size);
    if (field.value) {
      const given = JSON.parse(field.value);
      steps.take(given);
      steps.before = [];
    }
    steps.listen(() => setValue(field, steps.steps.length ? steps.toJson() : ""));
    maskTools(root.querySelector("[data-mask-tools]"), bench, steps);
    editFaces(root, bench, (face) => steps.replace(withHair(face, Number(root.elements.hair.value))));
  });
}

// a soft ellipse around a face, with a margin for its hair
function withHair({ form, box }, margin) {
  const across = form.across + (box[2] * margin) / 2;
  const down = form.down + (box[3] * margin) / 2;
  return [
    { ...form, across, down },
    { kind: "feather", by: Math.min(across, down) / 3 },
  ];
}
