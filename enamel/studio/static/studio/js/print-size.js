// print-size.js: the physical size of a print file at the resolution typed.
const MM_PER_INCH = 25.4;

export function init(root) {
  const shown = root.querySelector("[data-print-size]");
  root.elements.ppi.addEventListener("input", () => {
    const ppi = Number(root.elements.ppi.value);
    if (!(ppi >= 10)) return;
    const inches = [root.dataset.width / ppi, root.dataset.height / ppi];
    const mm = inches.map((side) => Math.round(side * MM_PER_INCH)).join(" × ");
    shown.textContent = `${mm} mm (${inches.map((side) => side.toFixed(1)).join(" × ")} in)`;
  });
}
