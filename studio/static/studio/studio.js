// What every page needs: a word when the studio does not answer.

document.addEventListener("htmx:sendError", () => say("The studio does not answer. Is it still running? Your last change was not kept."));
document.addEventListener("htmx:responseError", (event) => {
  if (event.detail.xhr.status >= 500) say("Something broke. Your last change was not kept; everything before it is.");
  if ([403, 404].includes(event.detail.xhr.status)) say("The studio did not take that. Reload the page and try again.");
});

function say(text) {
  const notice = document.getElementById("notice");
  if (!notice) return;
  const line = document.createElement("p");
  line.className = "notice";
  line.setAttribute("role", "alert");
  line.textContent = text;
  notice.replaceChildren(line);
}
