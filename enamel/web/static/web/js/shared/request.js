// request.js: fetches something from Enamel; where the session has ended, the artist signs in and comes back to this page.
const SIGN_IN = "/sign-in/";

export async function request(address, options = undefined) {
  const answer = await fetch(address, options);
  if (!answer.redirected || new URL(answer.url).pathname !== SIGN_IN) return answer;
  window.location.reload();
  return new Promise(() => {}); // nothing is done any more with a page that is being left
}
