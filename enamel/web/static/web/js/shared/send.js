// send.js: send a form's data, or a few values with the page's token; return the answer, or the reason of a refusal.
import { request } from "./request.js";

export async function send(address, given) {
  const body = given instanceof FormData ? given : withToken(given);
  const answer = await request(address, { method: "POST", body, headers: { Accept: "application/json" } });
  if (answer.ok) return { answer };
  const { words } = await answer.json().catch(() => ({}));
  return { refused: words ?? "This could not be done." };
}

export function withToken(given) {
  const body = new FormData();
  body.set("csrfmiddlewaretoken", document.querySelector("[name=csrfmiddlewaretoken]").value);
  for (const [name, value] of Object.entries(given)) body.set(name, value);
  return body;
}
