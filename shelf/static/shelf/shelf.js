// Pictures dropped anywhere on the shelf are handed to its form.

const form = document.getElementById("drop");
const input = document.getElementById("pictures");
const busy = document.getElementById("busy");

function send() {
  if (!input.files.length) return;
  busy.textContent = input.files.length > 1 ? `Reading ${input.files.length} pictures…` : "Reading the picture…";
  busy.hidden = false;
  form.submit();
}

input.addEventListener("change", send);

for (const kind of ["dragover", "dragleave", "drop"]) {
  document.addEventListener(kind, (event) => {
    event.preventDefault();
    document.body.classList.toggle("dragging", kind === "dragover");
    if (kind === "drop" && event.dataTransfer.files.length) {
      input.files = event.dataTransfer.files;
      send();
    }
  });
}

// coming back by the browser's history shows the page as it was left
window.addEventListener("pageshow", () => {
  busy.hidden = true;
  form.reset();
});
