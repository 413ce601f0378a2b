// svg.js: make SVG elements with their attributes.
export function svg(name, attributes = {}) {
  return place(document.createElementNS("http://www.w3.org/2000/svg", name), attributes);
}

export function place(element, attributes) {
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  return element;
}
