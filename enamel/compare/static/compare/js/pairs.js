// pairs.js: go to the next pair of a batch, with the same view.
const OWN = new Set(["show", "batch", "first", "second", "finding"]);

export function init(root) {
  root.addEventListener("click", (event) => {
    const link = event.target.closest("a[href]");
    if (!link) return;
    const target = new URL(link.href);
    for (const [name, value] of new URLSearchParams(window.location.search)) {
      if (!OWN.has(name)) target.searchParams.set(name, value);
    }
    link.href = target;
  });
}
