// set-and-tell.js: gives a field a value as if the artist had typed it.
export function setAndTell(field, value) {
  field.value = value;
  field.dispatchEvent(new Event("input", { bubbles: true }));
}
