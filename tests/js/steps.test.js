// A mask's steps: undone, redone, and carried to another size of the picture.
import assert from "node:assert/strict";
import { test } from "node:test";

import { Steps } from "../../enamel/web/static/web/js/mask/steps.js";

const box = { kind: "rectangle", x: 10, y: 20, width: 30, height: 40 };
const stroke = { kind: "stroke", radius: 4, points: [1, 2, 0.5, 3, 4, 1] };

test("every step is undone and redone, and listeners are notified", () => {
  const mask = new Steps([100, 100]);
  let notified = 0;
  mask.listen(() => (notified += 1));
  mask.add(box);
  mask.add(stroke);
  mask.undo();
  assert.deepEqual(mask.steps, [box]);
  mask.redo();
  assert.deepEqual(mask.steps, [box, stroke]);
  assert.equal(notified, 4);
});

test("a new step forgets what was undone", () => {
  const mask = new Steps([100, 100]);
  mask.add(box);
  mask.undo();
  mask.add(stroke);
  mask.redo();
  assert.deepEqual(mask.steps, [stroke]);
});

test("a mask drawn on another size is scaled: places and lengths, not pressure", () => {
  const mask = new Steps([200, 200]);
  mask.take({ size: [100, 100], steps: [box, stroke] });
  const [larger, longer] = mask.steps;
  assert.deepEqual(larger, { kind: "rectangle", x: 20, y: 40, width: 60, height: 80 });
  assert.deepEqual(longer, { kind: "stroke", radius: 8, points: [2, 4, 0.5, 6, 8, 1] });
  assert.deepEqual(box.x, 10);
});

test("undoing an empty mask changes nothing", () => {
  const mask = new Steps([100, 100]);
  mask.undo();
  mask.redo();
  assert.equal(mask.toJson(), '{"size":[100,100],"steps":[]}');
});
