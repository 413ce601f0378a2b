// live.js: one stream of events for the page. An event says that something has changed, not what.
const SLOWER = 12; // while news arrive, how many usual pauses pass before it asks anyway

const waiting = new Set();
let count = 0;
let source = null;
let open = false;

// how many events have been received so far; one more ends a wait that began with this number
export function received() {
  return count;
}

// resolves when there is an event, or after the pause
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

// a browser opens few connections to one server, so a hidden page keeps none
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
