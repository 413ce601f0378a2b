// measures.js: sort the table of measures by the column whose heading is pressed; rows without a value come last.
export function sortable(table) {
  const heads = [...table.querySelectorAll("[data-sort]")];
  const body = table.querySelector("[data-rows]");
  for (const head of heads) {
    head.addEventListener("click", () => {
      const up = head.parentElement.getAttribute("aria-sort") !== "ascending";
      for (const other of heads) other.parentElement.setAttribute("aria-sort", "none");
      head.parentElement.setAttribute("aria-sort", up ? "ascending" : "descending");
      body.replaceChildren(...sorted([...body.rows], Number(head.dataset.sort), up));
    });
  }
}

function sorted(rows, column, up) {
  const value = ({ cells }) => (cells[column].dataset.value === "" ? NaN : Number(cells[column].dataset.value));
  return rows.sort((one, other) => {
    const [a, b] = [value(one), value(other)];
    if (Number.isNaN(a) || Number.isNaN(b)) return Number(Number.isNaN(a)) - Number(Number.isNaN(b));
    return up ? a - b : b - a;
  });
}
