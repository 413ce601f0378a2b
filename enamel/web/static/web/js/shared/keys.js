// keys.js: have keys press the button, or focus the field, with their action in data-key.
export function init(root) {
  const keys = Object.entries(JSON.parse(root.dataset.keys));
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey || writing(event.target)) return;
    const found = keys.filter(([, key]) => key === event.key);
    for (const [action] of found) {
      const target = document.querySelector(`[data-key="${action}"]`);
      const open = document.querySelector("dialog[open]");
      if (!target || target.disabled || (open && action !== "sheet")) continue;
      event.preventDefault();
      press(target, action);
      return;
    }
  });
}

function writing(target) {
  if (target.closest("textarea, select, [contenteditable]")) return true;
  return target.matches("input") && !["checkbox", "radio", "range"].includes(target.type);
}

// buttons that start work are only focused; Enter then presses them
function press(target, action) {
  const goes = ["fire", "swatch"].includes(action) || !target.matches("button, a.button");
  if (goes) target.focus();
  else target.click();
}
