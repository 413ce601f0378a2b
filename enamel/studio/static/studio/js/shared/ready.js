// ready.js: waits until a layer can be looked at, then shows it.
const PAUSE_MS = 600;

export function init(root) {
  const ask = async () => {
    try {
      const answer = await fetch(root.dataset.stateUrl);
      if (answer.ok && (await answer.json()).ready) return window.location.reload();
    } catch {
      // the server is away for a moment
    }
    setTimeout(ask, PAUSE_MS);
  };
  setTimeout(ask, PAUSE_MS);
}
