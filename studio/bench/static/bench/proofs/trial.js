// The trial sheet: says how many of its pictures are there, and can be stopped. What is taken from it closes it.

const dialog = document.getElementById("trial");
const sheet = document.getElementById("trial-sheet");
const progress = document.getElementById("trial-progress");
const words = progress.querySelector("span");
const stop = progress.querySelector("button");

const waiting = () => [...sheet.querySelectorAll(".trial")].filter((cell) => cell.querySelector(".waiting"));

function show() {
  const [left, all] = [waiting().length, sheet.querySelectorAll(".trial").length];
  progress.hidden = !all;
  words.textContent = left ? `${all - left} of ${all}` : `${all} made`;
  stop.hidden = !left;
}

stop.addEventListener("click", () => {
  for (const cell of waiting()) {
    htmx.trigger(cell, "htmx:abort");
    cell.remove();
  }
  show();
});
document.addEventListener("click", ({ target }) => target.closest("#open-trial") && dialog.showModal());
document.addEventListener("htmx:afterSettle", ({ detail }) => sheet.contains(detail.target) && show());
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.successful && detail.requestConfig.verb === "post" && dialog.contains(detail.elt)) dialog.close();
});
dialog.addEventListener("close", () => {
  stop.click(); // nothing of it is made any more
  sheet.replaceChildren();
  show();
});
