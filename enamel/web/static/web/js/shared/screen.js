// screen.js: this screen's pixels per millimetre, calibrated once by holding a card to it.
import { svg } from "./svg.js";

const KEPT = "enamel.screen.px-per-mm";
const CARD_MM = 85.6; // ID-1 card, ISO/IEC 7810
export const MM_PER_INCH = 25.4;
export const USUAL_PX_PER_MM = 96 / MM_PER_INCH;

export function pxPerMm() {
  return Number(localStorage.getItem(KEPT)) || null;
}

// ask with the dialog; call back once the length is saved
export function calibrate(dialog, done) {
  const bar = dialog.querySelector("[data-card]");
  const scale = dialog.querySelector("[data-card-scale]");
  const slider = dialog.querySelector("input");
  const show = () => {
    bar.setAttribute("width", slider.value);
    scale.replaceChildren(...ticks(slider.value / CARD_MM));
  };
  slider.value = (pxPerMm() ?? USUAL_PX_PER_MM) * CARD_MM;
  slider.oninput = show;
  dialog.querySelector("[data-close]").onclick = () => dialog.close();
  dialog.querySelector("[data-keep]").onclick = () => {
    localStorage.setItem(KEPT, String(slider.value / CARD_MM));
    dialog.close();
    done();
  };
  show();
  dialog.showModal();
}

function ticks(perMm) {
  const found = [];
  for (let mm = 0; mm <= CARD_MM; mm += 10)
    found.push(svg("path", { d: `M${mm * perMm + 0.5} 60V${mm % 50 ? 66 : 71}` }));
  return found;
}
