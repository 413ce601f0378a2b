// live-part.js: keep a part of a page up to date, without disturbing what the artist is doing.
import { request } from "./request.js";
import { poll } from "./poll.js";
import { released } from "./released.js";

const PAUSE_MS = 1500;

export function init(root) {
  let last = written(root);
  // the server may have refused a change that was shown here
  root.addEventListener("enamel:moved", () => {
    last = null;
  });
  // a hidden page requests nothing
  poll(async () => {
    if (document.hidden) return;
    const address = new URL(window.location.href);
    address.searchParams.set("part", "1");
    const answer = await request(address);
    if (!answer.ok) return;
    const fresh = document.createElement("template");
    fresh.innerHTML = await answer.text();
    const now = written(fresh);
    await released();
    if (now === last || root.dataset.held) return;
    exchange(root, fresh.content);
    last = now;
  }, PAUSE_MS);
}

// without the forms' tokens, which differ each time
function written(part) {
  return part.innerHTML.trim().replaceAll(/(csrfmiddlewaretoken" value=")[^"]*/g, "$1");
}

function exchange(root, fresh) {
  const active = /** @type {HTMLElement} */ (document.activeElement);
  const focused = root.contains(active) ? active.dataset.focus : null;
  const scrolled = new Map(
    [...root.querySelectorAll("[data-scrolls]")].map((one) => [one.dataset.scrolls, one.scrollTop]),
  );
  const old = new Map([...root.querySelectorAll("img")].map((image) => [image.getAttribute("src"), image]));
  // keep existing images, so that nothing flickers
  for (const image of fresh.querySelectorAll("img")) {
    const known = old.get(image.getAttribute("src"));
    if (known) image.replaceWith(known);
  }
  root.replaceChildren(fresh);
  for (const [name, top] of scrolled) {
    const part = root.querySelector(`[data-scrolls="${name}"]`);
    if (part) part.scrollTop = top;
  }
  if (focused) root.querySelector(`[data-focus="${CSS.escape(focused)}"]`)?.focus();
}
