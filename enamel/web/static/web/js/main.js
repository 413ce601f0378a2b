// main.js: start the modules that elements name in data-module="…". Only those on the page are loaded.
const modules = {
  bench: () => import("../../workspace/js/bench.js"),
  busy: () => import("./shared/busy.js"),
  candidates: () => import("../../touchups/js/candidates.js"),
  choose: () => import("../../batches/js/choose.js"),
  "choose-pictures": () => import("../../compare/js/choose-pictures.js"),
  compare: () => import("../../compare/js/compare.js"),
  dialog: () => import("./shared/dialog.js"),
  drop: () => import("../../library/js/drop.js"),
  finish: () => import("../../finishing/js/finish.js"),
  firing: () => import("../../firings/js/firing.js"),
  inlay: () => import("../../touchups/js/inlay.js"),
  keys: () => import("./shared/keys.js"),
  "live-part": () => import("./shared/live-part.js"),
  order: () => import("../../orders/js/order.js"),
  pairs: () => import("../../compare/js/pairs.js"),
  pieces: () => import("../../library/js/pieces.js"),
  predict: () => import("./shared/predict.js"),
  print: () => import("../../prints/js/print.js"),
  "print-files": () => import("../../prints/js/print-files.js"),
  proof: () => import("../../prints/js/proof.js"),
  ready: () => import("./shared/ready.js"),
  refresh: () => import("./shared/refresh.js"),
  reorder: () => import("../../kiln/js/reorder.js"),
  section: () => import("../../workspace/js/section.js"),
  settings: () => import("../../firings/js/settings.js"),
  sheet: () => import("../../swatches/js/sheet.js"),
  split: () => import("../../library/js/split.js"),
  strip: () => import("../../prints/js/strip.js"),
  "submit-on-change": () => import("./shared/submit-on-change.js"),
  surround: () => import("./shared/surround.js"),
  swatch: () => import("../../swatches/js/swatch.js"),
  "touch-up": () => import("../../touchups/js/touch-up.js"),
  upload: () => import("../../library/js/upload.js"),
  "word-regions": () => import("../../firings/js/word-regions.js"),
};

// all are fetched at once and started in the page's order, because some listen to events of others
const roots = [...document.querySelectorAll("[data-module]")];
const wanted = roots.flatMap((root) => root.dataset.module.split(" ").map((name) => ({ root, name })));
const loaded = await Promise.all(wanted.map(({ name }) => modules[name]()));
wanted.forEach(({ root }, place) => loaded[place].init(root));
document.documentElement.dataset.scripts = "ready";
