// main.js: gives each element with data-module="…" its modules.
import * as bench from "./bench.js";
import * as busy from "./busy.js";
import * as drop from "./drop.js";
import * as firing from "./firing.js";
import * as printSize from "./print-size.js";
import * as ready from "./ready.js";
import * as refresh from "./refresh.js";
import * as settings from "./settings.js";
import * as submitOnChange from "./submit-on-change.js";
import * as touchUp from "./touch-up.js";
import * as wordRegions from "./word-regions.js";

const modules = {
  bench,
  busy,
  drop,
  firing,
  "print-size": printSize,
  ready,
  refresh,
  settings,
  "submit-on-change": submitOnChange,
  "touch-up": touchUp,
  "word-regions": wordRegions,
};

for (const root of document.querySelectorAll("[data-module]")) {
  for (const name of root.dataset.module.split(" ")) modules[name].init(root);
}
