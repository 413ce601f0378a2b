// main.js: gives each element with data-module="…" its modules.
import * as upload from "./pieces/upload.js";
import * as bench from "./workspace/bench.js";
import * as busy from "./shared/busy.js";
import * as candidates from "./mending/candidates.js";
import * as choose from "./kiln/choose.js";
import * as choosePictures from "./compare/choose-pictures.js";
import * as compare from "./compare/compare.js";
import * as dialog from "./shared/dialog.js";
import * as drop from "./pieces/drop.js";
import * as finish from "./workspace/finish.js";
import * as firing from "./workspace/firing.js";
import * as predict from "./shared/predict.js";
import * as inlay from "./workspace/inlay.js";
import * as keys from "./shared/keys.js";
import * as livePart from "./shared/live-part.js";
import * as pairs from "./compare/pairs.js";
import * as pieces from "./pieces/pieces.js";
import * as order from "./files/order.js";
import * as print from "./workspace/print.js";
import * as printFiles from "./workspace/print-files.js";
import * as proof from "./workspace/proof.js";
import * as ready from "./shared/ready.js";
import * as refresh from "./shared/refresh.js";
import * as reorder from "./kiln/reorder.js";
import * as section from "./workspace/section.js";
import * as settings from "./workspace/settings.js";
import * as sheet from "./sheet/sheet.js";
import * as split from "./pieces/split.js";
import * as strip from "./workspace/strip.js";
import * as submitOnChange from "./shared/submit-on-change.js";
import * as surround from "./shared/surround.js";
import * as swatch from "./workspace/swatch.js";
import * as touchUp from "./workspace/touch-up.js";
import * as wordRegions from "./workspace/word-regions.js";

const modules = {
  upload,
  bench,
  busy,
  candidates,
  choose,
  "choose-pictures": choosePictures,
  compare,
  dialog,
  drop,
  finish,
  firing,
  predict,
  inlay,
  keys,
  "live-part": livePart,
  order,
  pairs,
  pieces,
  print,
  "print-files": printFiles,
  proof,
  ready,
  refresh,
  reorder,
  section,
  settings,
  sheet,
  split,
  strip,
  "submit-on-change": submitOnChange,
  surround,
  swatch,
  "touch-up": touchUp,
  "word-regions": wordRegions,
};

for (const root of document.querySelectorAll("[data-module]")) {
  for (const name of root.dataset.module.split(" ")) modules[name].init(root);
}
