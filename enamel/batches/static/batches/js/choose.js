// choose.js: choose a batch's pictures: all, none, singly, or those of a folder.
export function init(root) {
  const boxes = [...root.querySelectorAll("[name=piece]")];
  const count = root.querySelector("[data-chosen]");
  const notify = () => {
    count.textContent = boxes.filter((box) => box.checked).length;
  };
  for (const button of root.querySelectorAll("[data-choose]")) {
    button.addEventListener("click", () => {
      for (const box of boxes) box.checked = button.dataset.choose === "all";
      root.dispatchEvent(new Event("input"));
    });
  }
  const showSource = () => {
    const chosen = root.querySelector("[name=from]:checked").value;
    for (const part of root.querySelectorAll("[data-from]")) part.hidden = part.dataset.from !== chosen;
  };
  root.addEventListener("input", () => {
    notify();
    showSource();
  });
  notify();
  showSource();
}
