// released.js: wait until no button or link is held down: one that is replaced meanwhile would lose its click.
const PAUSE_MS = 50;

export async function released() {
  while (document.querySelector("button:active, a:active")) {
    await new Promise((done) => setTimeout(done, PAUSE_MS));
  }
}
