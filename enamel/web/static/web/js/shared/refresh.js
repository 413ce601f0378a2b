// refresh.js: reload what is being made, while nobody is typing.
import { received, nextNews } from "./live.js";
import { sleep } from "./poll.js";

const SETTLED_MS = 1500; // by then the stream has said that it is there
const PAUSE_MS = 4000;

export async function init() {
  await sleep(SETTLED_MS);
  for (;;) {
    const since = received();
    await sleep(PAUSE_MS - SETTLED_MS);
    await nextNews(PAUSE_MS, since);
    const typing = document.activeElement?.matches("input, select, textarea");
    const typed = [...document.querySelectorAll("input:not([type=hidden])")].some(
      (input) => input.value !== input.defaultValue,
    );
    if (!typing && !typed && !document.hidden) {
      window.location.reload();
      return;
    }
  }
}
