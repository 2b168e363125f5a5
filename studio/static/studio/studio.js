// What every page needs: a word when the studio does not answer, or refuses what was sent.

import { clearDialog, say } from "./notice.js";
import { PAGE, begin, end } from "./working.js";

document.addEventListener("htmx:sendError", () =>
  say("The studio does not answer. Is it still running? Your last change was not kept.", "silent"),
);
document.addEventListener("htmx:timeout", () =>
  say("The studio took too long to answer. Your last change may not be kept; reload the page.", "silent"),
);
const isSentence = (answer) => answer.getResponseHeader("Content-Type")?.startsWith("text/plain");

// a refusal is said, and what is on the page stays
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (detail.xhr.status >= 400 && isSentence(detail.xhr)) detail.shouldSwap = false;
});
document.addEventListener("htmx:responseError", ({ detail }) => {
  const { status, responseText } = detail.xhr;
  if (isSentence(detail.xhr)) say(responseText);
  else if (status >= 500) say("Something broke. Your last change was not kept; everything before it is.");
  else if (status === 400 || status === 413)
    say("That was too much at once for the studio. Your last change was not kept.");
  else if (![409, 422].includes(status)) say("The studio did not accept that. Reload the page and try again."); // those bring their own words
});

document.addEventListener("htmx:configRequest", ({ detail }) => (detail.headers["X-Page"] = PAGE));

// what takes longer than a moment shows how far it is, and can be stopped
document.addEventListener("htmx:beforeSend", ({ detail }) => {
  clearDialog(detail.elt.closest("dialog"));
  const name = begin(() => htmx.trigger(detail.elt, "htmx:abort"));
  detail.xhr.setRequestHeader("X-Request", name);
  detail.xhr.addEventListener("loadend", () => end(name));
});
