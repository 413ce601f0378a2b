// dialog.js: a button that opens a dialog; the dialog's own buttons close it.
export function init(root) {
  const dialog = /** @type {HTMLDialogElement} */ (document.getElementById(root.dataset.dialog));
  root.addEventListener("click", () => {
    if (dialog.open) dialog.close();
    else dialog.showModal();
  });
  dialog.querySelector("[data-close]")?.addEventListener("click", () => dialog.close());
}
