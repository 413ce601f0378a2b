// pieces.js: move among the pieces by arrows, and mark the focused one by key.
import { request } from "../../web/js/shared/request.js";

export function init(root) {
  const cards = [...root.querySelectorAll("[data-piece]")];
  const links = cards.map((card) => card.querySelector("[data-open]"));
  root.addEventListener("keydown", (event) => {
    const place = links.indexOf(document.activeElement);
    const next = place < 0 ? null : links[place + step(cards, event.key)];
    if (!next || next === document.activeElement) return;
    event.preventDefault();
    next.focus();
  });
  for (const card of cards) {
    card.addEventListener("submit", (event) => {
      event.preventDefault();
      send(card, event.submitter.value);
    });
    card.addEventListener("focusin", () => carryKeys(root, card));
  }
}

// keys press the buttons of the focused card
function carryKeys(root, card) {
  for (const old of root.querySelectorAll("[data-key]")) delete old.dataset.key;
  for (const button of card.querySelectorAll("button[name='mark']")) button.dataset.key = `mark-${button.value}`;
}

function step(cards, key) {
  const across = cards.filter((card) => card.offsetTop === cards[0].offsetTop).length;
  return { ArrowRight: 1, ArrowLeft: -1, ArrowDown: across, ArrowUp: -across }[key] ?? 0;
}

async function send(card, mark) {
  const body = new FormData(card.querySelector("form"));
  body.set("mark", mark);
  const answer = await request(card.dataset.markUrl, { method: "POST", body, headers: { Accept: "application/json" } });
  if (!answer.ok) return;
  const now = (await answer.json()).mark;
  card.dataset.mark = now;
  for (const button of card.querySelectorAll("button[name='mark']")) {
    button.setAttribute("aria-pressed", button.value === now);
  }
}
