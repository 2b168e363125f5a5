// What arrives of a delivery is looked at in a dialog; the server fills it.

const dialog = document.getElementById("receiver");

document.addEventListener("click", ({ target }) => {
  if (target.closest("[data-receive]")) dialog.showModal();
});
dialog.addEventListener("close", () => document.getElementById("received").replaceChildren());
