// print-size.js: the physical size of a print file at the resolution typed, in the artist's unit first.
import { MM_PER_INCH } from "../shared/screen.js";

const PER_INCH = { mm: MM_PER_INCH, cm: MM_PER_INCH / 10, in: 1 };
const DIGITS = { mm: 0, cm: 1, in: 1 };

export function init(root) {
  const shown = root.querySelector("[data-print-size]");
  root.elements.ppi.addEventListener("input", () => {
    const ppi = Number(root.elements.ppi.value);
    if (!(ppi >= 10)) return;
    const inches = [root.dataset.width / ppi, root.dataset.height / ppi];
    const written = (unit) => `${inches.map((side) => (side * PER_INCH[unit]).toFixed(DIGITS[unit])).join(" × ")} ${unit}`;
    const { unit } = root.dataset;
    shown.textContent = `${written(unit)} (${written(unit === "in" ? "mm" : "in")})`;
  });
}
