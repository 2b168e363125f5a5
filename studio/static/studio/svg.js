// Making SVG elements.

/** An SVG element with attributes and children. */
export function svg(name, attributes = {}, ...children) {
  const element = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
}

export const clamp = (value, low, high) => Math.min(Math.max(value, low), high);
