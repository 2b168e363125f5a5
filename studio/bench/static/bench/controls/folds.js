// What was opened stays open when the server sends its part of the page anew.

const open = new Set();
const folds = () => document.querySelectorAll("details[data-fold]");

document.addEventListener(
  "toggle",
  ({ target }) => {
    if (!target.dataset?.fold) return;
    if (target.open) open.add(target.dataset.fold);
    else if (target.isConnected) open.delete(target.dataset.fold);
  },
  true,
);
document.addEventListener("htmx:afterSwap", restore);
document.addEventListener("htmx:oobAfterSwap", restore);

function restore() {
  for (const fold of folds()) if (open.has(fold.dataset.fold)) fold.open = true;
}
