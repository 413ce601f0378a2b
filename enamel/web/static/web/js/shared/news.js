// news.js: show a long firing in the page's title, and by a notification where the artist wants that.
const LONG_SECONDS = 30;
const title = document.title;

export function showProgress(progress, secondsLeft) {
  document.title = `${Math.round(100 * progress)} % · ${title}`;
  const offer = document.querySelector("[data-notify-me]");
  if (!offer || !("Notification" in window)) return;
  offer.hidden = Notification.permission !== "default" || !(secondsLeft > LONG_SECONDS);
  offer.querySelector("button").onclick = async () => {
    await Notification.requestPermission();
    offer.hidden = true;
  };
}

export function tellEnd(words) {
  document.title = title;
  if (!("Notification" in window) || Notification.permission !== "granted" || !document.hidden) return;
  new Notification("Enamel", { body: words, tag: window.location.pathname });
}
