// A word to the person at the top of the page.

const NOTICE = "notice";

/** Says something; the same words are said once. */
export function say(text, kind = "") {
  const notice = document.getElementById(NOTICE);
  if (!notice || notice.textContent.trim() === text) return;
  const line = document.createElement("p");
  line.className = "notice";
  line.setAttribute("role", "alert");
  line.dataset.kind = kind;
  line.textContent = text;
  notice.replaceChildren(line);
}

/** Takes back what was said of a kind, as it no longer holds. */
export function unsay(kind) {
  document.querySelector(`#${NOTICE} > [data-kind="${kind}"]`)?.remove();
}
