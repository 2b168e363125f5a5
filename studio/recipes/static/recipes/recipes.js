// The choice of pictures: all or none at a click, and how many are chosen.

const choice = document.getElementById("choice");
const all = document.getElementById("choose-all");
const boxes = () => [...(choice?.querySelectorAll("input") ?? [])];

function count() {
  const chosen = boxes().filter((box) => box.checked).length;
  document.getElementById("chosen-count").textContent = chosen ? `${chosen} chosen` : "";
  all.textContent = chosen === boxes().length ? "Choose none" : "Choose all";
}

all?.addEventListener("click", () => {
  const wanted = boxes().some((box) => !box.checked);
  for (const box of boxes()) box.checked = wanted;
  count();
});
choice?.addEventListener("change", count);
if (choice) count();
