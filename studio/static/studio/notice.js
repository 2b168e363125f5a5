// A word to the person at the top of the page, or in the dialog that is open over it.

const NOTICE = "notice";
const SAID = ":scope > .notice";

/** Says something; the same words are said once. */
export function say(text, kind = "") {
  const dialog = document.querySelector("dialog:modal");
  const place = dialog ?? document.getElementById(NOTICE);
  const said = dialog ? dialog.querySelector(SAID) : place;
  if (!place || said?.textContent.trim() === text) return;
  const line = document.createElement("p");
  line.className = "notice";
  line.setAttribute("role", "alert");
  line.dataset.kind = kind;
  line.textContent = text;
  if (!dialog) place.replaceChildren(line);
  else if (said) said.replaceWith(line);
  else dialog.append(line);
}

/** Takes back what was said of a kind, as it no longer holds. */
export function unsay(kind) {
  document.querySelector(`#${NOTICE} > [data-kind="${kind}"]`)?.remove();
}

/** Takes back what was said in a dialog, if there is one, as something else is asked for there. */
export function clearDialog(dialog) {
  dialog?.querySelector(SAID)?.remove();
}
