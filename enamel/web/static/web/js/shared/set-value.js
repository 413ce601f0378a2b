// set-value.js: gives a field a value as if the artist had typed it.
export function setValue(field, value) {
  field.value = value;
  field.dispatchEvent(new Event("input", { bubbles: true }));
}
