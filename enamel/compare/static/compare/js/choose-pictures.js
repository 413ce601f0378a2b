// choose-pictures.js: choose pictures to compare, kept in the order of choosing.
export function init(form) {
  const most = Number(form.dataset.most);
  const boxes = [...form.querySelectorAll("input[type=checkbox]")];
  const { show } = form.elements;
  const listed = new URLSearchParams(window.location.search).get("show")?.split(",") ?? [];
  let chosen = boxes.filter(({ checked }) => checked).map(({ value }) => value);
  chosen.sort((one, other) => listed.indexOf(one) - listed.indexOf(other));
  const notify = () => {
    show.value = chosen.join(",");
    for (const box of boxes) box.disabled = !box.checked && chosen.length >= most;
    form.querySelector("button").disabled = chosen.length < 1;
  };
  for (const box of boxes) {
    box.addEventListener("change", () => {
      chosen = box.checked ? [...chosen, box.value] : chosen.filter((token) => token !== box.value);
      notify();
    });
  }
  notify();
}
