// live-part.js: keeps a part of a page as the server has it now, without moving what the artist is at.
const PAUSE_MS = 1500;

export function init(root) {
  let last = null;
  const look = async () => {
    const address = new URL(window.location);
    address.searchParams.set("part", "1");
    const answer = await fetch(address);
    if (!answer.ok) return;
    const fresh = await answer.text();
    if (fresh !== last && !root.dataset.held) exchange(root, fresh);
    last = fresh;
  };
  const again = async () => {
    // the server may be away for a moment; a page that nobody sees asks for nothing
    if (!document.hidden) await look().catch(() => {});
    setTimeout(again, PAUSE_MS);
  };
  document.addEventListener("visibilitychange", () => { if (!document.hidden) look().catch(() => {}); });
  setTimeout(again, PAUSE_MS);
}

function exchange(root, fresh) {
  const focused = root.contains(document.activeElement) ? document.activeElement.dataset.focus : null;
  const scrolled = new Map([...root.querySelectorAll("[data-scrolls]")].map((one) => [one.dataset.scrolls, one.scrollTop]));
  const old = new Map([...root.querySelectorAll("img")].map((image) => [image.getAttribute("src"), image]));
  const made = document.createElement("template");
  made.innerHTML = fresh;
  // pictures that are there already stay, so that nothing flickers
  for (const image of made.content.querySelectorAll("img")) {
    const known = old.get(image.getAttribute("src"));
    if (known) image.replaceWith(known);
  }
  root.replaceChildren(made.content);
  for (const [name, top] of scrolled) {
    const part = root.querySelector(`[data-scrolls="${name}"]`);
    if (part) part.scrollTop = top;
  }
  if (focused) root.querySelector(`[data-focus="${CSS.escape(focused)}"]`)?.focus();
}
