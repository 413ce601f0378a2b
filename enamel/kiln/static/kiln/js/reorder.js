// reorder.js: reorder what waits, by dragging, or with Shift and the arrows.
import { withToken } from "../../web/js/shared/send.js";

export function init(root) {
  let dragged = null;

  root.addEventListener("dragstart", (event) => {
    dragged = event.target.closest("[data-move]");
    if (!dragged) return;
    event.dataTransfer.effectAllowed = "move";
    root.dataset.held = "yes";
  });
  root.addEventListener("dragover", (event) => {
    const over = event.target.closest("[data-move]");
    if (dragged && over && over.parentElement === dragged.parentElement) event.preventDefault();
  });
  root.addEventListener("drop", (event) => {
    const over = event.target.closest("[data-move]");
    if (!dragged || !over || over === dragged) return;
    event.preventDefault();
    send(dragged, places(dragged).indexOf(over) - places(dragged).indexOf(dragged));
  });
  root.addEventListener("dragend", () => {
    dragged = null;
    delete root.dataset.held;
  });
  root.addEventListener("keydown", (event) => {
    const moved = event.target.closest("[data-move]");
    const steps = { ArrowUp: -1, ArrowLeft: -1, ArrowDown: 1, ArrowRight: 1 }[event.key];
    if (!moved || !steps || !event.shiftKey) return;
    event.preventDefault();
    send(moved, steps);
  });
}

function places(moved) {
  return [...moved.parentElement.querySelectorAll(":scope > [data-move]")];
}

// move it on the page at once; the server's order arrives a moment later
function send(moved, steps) {
  const list = places(moved);
  const at = list.indexOf(moved);
  const other = list[Math.min(Math.max(0, at + steps), list.length - 1)];
  if (other !== moved) other[steps < 0 ? "before" : "after"](moved);
  moved.focus();
  moved.dispatchEvent(new Event("enamel:moved", { bubbles: true }));
  // the answer redirects to this page
  fetch(moved.dataset.move, { method: "POST", body: withToken({ do: "move", steps }), redirect: "manual" });
}
