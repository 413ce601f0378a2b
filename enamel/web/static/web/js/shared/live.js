// live.js: one stream of news for the page. It says that something has changed; what, whoever waits asks for.
const SLOWER = 12; // while news arrive, so many times the usual pause passes before one asks anyway

const waiting = new Set();
let count = 0;
let source = null;
let open = false;

// how much has been heard so far: what is heard from here on ends the wait
export function heard() {
  return count;
}

// until there is news, or the pause is over
export function nextNews(pause, since) {
  listen();
  if (count !== since) return Promise.resolve();
  return new Promise((resolve) => {
    const timer = setTimeout(done, open ? pause * SLOWER : pause);
    function done() {
      clearTimeout(timer);
      waiting.delete(done);
      resolve();
    }
    waiting.add(done);
  });
}

function wake() {
  count += 1;
  for (const done of [...waiting]) done();
}

// a browser opens few connections to one server, so a page that nobody sees keeps none
function listen() {
  if (source || document.hidden) return;
  source = new EventSource("/news/");
  source.onmessage = () => {
    open = true;
    wake();
  };
  source.onerror = () => {
    if (open) wake();
    open = false;
  };
}

document.addEventListener("visibilitychange", () => {
  if (!document.hidden) {
    wake();
    return;
  }
  source?.close();
  source = null;
  open = false;
});
window.addEventListener("pagehide", () => source?.close());
