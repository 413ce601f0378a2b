// refresh.js: looks again for what is being made, while nobody is typing.
const PAUSE_MS = 4000;

export function init() {
  setInterval(() => {
    const typing = document.activeElement?.matches("input, select, textarea");
    const typed = [...document.querySelectorAll("input:not([type=hidden])")].some((input) => input.value !== input.defaultValue);
    if (!typing && !typed) window.location.reload();
  }, PAUSE_MS);
}
