// As much of a page as the scripts ask for while they are loaded, so that what they decide is tested without a browser.

import { register } from "node:module";

register("./static.js", import.meta.url);

class Part extends EventTarget {
  dataset = {};
  classList = { toggle: () => {} };
  toggleAttribute() {}
  setAttribute() {}
  replaceChildren() {}
  append() {}
  remove() {}
  querySelector = () => null;
  querySelectorAll = () => [];
  getAttribute = () => '{"X-CSRFToken": "token"}';
}

const parts = new Map();
const page = new Part();
page.getElementById = (name) => parts.get(name) ?? parts.set(name, new Part()).get(name);
page.createElement = () => new Part();
page.createElementNS = () => new Part();
page.body = new Part();
page.documentElement = new Part();
globalThis.document = page;
globalThis.window = new EventTarget();
globalThis.localStorage = { getItem: () => null, setItem: () => {} };
globalThis.sessionStorage = globalThis.localStorage;
globalThis.matchMedia = () => ({ matches: false });
