// main.js: gives each element with data-module="…" its modules.
import * as arrival from "./arrival.js";
import * as bench from "./bench.js";
import * as busy from "./busy.js";
import * as choosePictures from "./choose-pictures.js";
import * as compare from "./compare.js";
import * as dialog from "./dialog.js";
import * as drop from "./drop.js";
import * as firing from "./firing.js";
import * as keys from "./keys.js";
import * as pieces from "./pieces.js";
import * as print from "./print.js";
import * as printSize from "./print-size.js";
import * as ready from "./ready.js";
import * as refresh from "./refresh.js";
import * as section from "./section.js";
import * as settings from "./settings.js";
import * as sheet from "./sheet.js";
import * as split from "./split.js";
import * as submitOnChange from "./submit-on-change.js";
import * as surround from "./surround.js";
import * as swatch from "./swatch.js";
import * as touchUp from "./touch-up.js";
import * as wordRegions from "./word-regions.js";

const modules = {
  arrival,
  bench,
  busy,
  "choose-pictures": choosePictures,
  compare,
  dialog,
  drop,
  firing,
  keys,
  pieces,
  print,
  "print-size": printSize,
  ready,
  refresh,
  section,
  settings,
  sheet,
  split,
  "submit-on-change": submitOnChange,
  surround,
  swatch,
  "touch-up": touchUp,
  "word-regions": wordRegions,
};

for (const root of document.querySelectorAll("[data-module]")) {
  for (const name of root.dataset.module.split(" ")) modules[name].init(root);
}
