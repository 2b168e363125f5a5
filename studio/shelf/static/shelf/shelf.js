// Pictures dropped anywhere on the shelf are handed in one by one, so that each has its progress and a broken one does not
// stop the others; then pieces are made of what was kept.

const form = document.getElementById("drop");
const input = document.getElementById("pictures");
const folder = document.getElementById("folder");
const busy = document.getElementById("busy");
const bar = document.getElementById("progress");
const words = document.getElementById("busy-words");
const refusals = document.getElementById("refused");
const token = form.querySelector("[name=csrfmiddlewaretoken]").value;
const LONGEST_NAME = 150; // letters that are sent of a file's name, the last ones
const HIDDEN = /(^|\/)\./;

async function take(files) {
  const wanted = files.filter((file) => !HIDDEN.test(file.webkitRelativePath || file.name));
  if (!wanted.length) return;
  busy.hidden = false;
  refusals.hidden = true;
  const [kept, refused] = [[], []];
  const whole = wanted.reduce((sum, file) => sum + file.size, 0) || 1;
  let done = 0;
  for (const [number, file] of wanted.entries()) {
    say(`Importing ${file.name}, ${number + 1} of ${wanted.length}`);
    try {
      const answer = await send(
        form.dataset.keep,
        [["pictures", file]],
        (sent) => (bar.value = (100 * (done + sent)) / whole),
      );
      kept.push(...answer.sources);
      refused.push(...answer.refused);
      for (const arrival of answer.arrivals) await follow(arrival, file.name, kept, refused);
    } catch (problem) {
      refused.push([file.name, problem.message]);
    }
    done += file.size;
    bar.value = (100 * done) / whole;
  }
  let go = null;
  if (kept.length) {
    say(kept.length > 1 ? `Looking at ${kept.length} pictures…` : "Looking at the picture…");
    try {
      const answer = await send(form.action, [["source", kept.join(",")]]);
      refused.push(...answer.refused);
      go = answer.go;
    } catch (problem) {
      refused.push(["Making a piece", problem.message]);
    }
  }
  if (go && !refused.length) location.assign(go);
  else complain(refused, go);
}

/** Waits for an upload that is taken in in the background, and adds what comes of it. */
async function follow(address, name, kept, refused) {
  for (;;) {
    const answer = await fetch(address, { headers: { Accept: "application/json" } });
    if (!answer.ok) throw new Error("The studio does not answer. What was imported is on the shelf.");
    const told = await answer.json();
    if (!told.active) {
      kept.push(...told.sources);
      refused.push(...told.refused);
      return;
    }
    bar.value = 100 * told.fraction;
    say(told.message || `${name} is waiting to be imported`);
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}

function send(address, fields, onSent = () => {}) {
  return new Promise((resolve, reject) => {
    const body = new FormData();
    for (const [name, value] of fields)
      if (value instanceof File) body.append(name, value, value.name.slice(-LONGEST_NAME));
      else body.append(name, value);
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("X-CSRFToken", token);
    request.setRequestHeader("Accept", "application/json");
    request.responseType = "json";
    request.upload.onprogress = ({ loaded }) => onSent(loaded);
    request.onload = () =>
      request.status === 200 && request.response
        ? resolve(request.response)
        : reject(
            new Error(request.response?.message ?? "The studio did not accept it. Reload the page and try again."),
          );
    request.onerror = () => reject(new Error("The studio does not answer, or the file is larger than 600 MB."));
    request.send(body);
  });
}

function say(text) {
  words.textContent = text;
}

function complain(refused, go) {
  busy.hidden = true;
  refusals.hidden = false;
  refusals.replaceChildren(
    ...refused.map(([name, reason]) => {
      const item = document.createElement("li");
      const title = document.createElement("b");
      title.textContent = name;
      item.append(title, `: ${reason}`);
      item.setAttribute("role", "alert");
      return item;
    }),
  );
  if (!go) return;
  const item = document.createElement("li");
  const link = document.createElement("a");
  [link.href, link.className, link.textContent] = [go, "button", "Continue with what was imported"];
  item.append(link);
  refusals.append(item);
}

for (const chooser of [input, folder]) chooser.addEventListener("change", () => take([...chooser.files]));
document.getElementById("choose-folder").addEventListener("click", () => folder.click());

for (const kind of ["dragover", "dragleave", "drop"]) {
  document.addEventListener(kind, async (event) => {
    event.preventDefault();
    document.body.classList.toggle("dragging", kind === "dragover");
    if (kind !== "drop") return;
    const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
    const loose = [...event.dataTransfer.files];
    take(entries.length ? (await Promise.all(entries.map(filesIn))).flat() : loose);
  });
}

/** The files in a dropped entry, those in its folders too. */
async function filesIn(entry) {
  if (entry.isFile) return [await new Promise((resolve, reject) => entry.file(resolve, reject))];
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) break;
    found.push(...some);
  }
  return (await Promise.all(found.map(filesIn))).flat();
}

// coming back by the browser's history shows the page as it was left
window.addEventListener("pageshow", () => {
  busy.hidden = true;
  form.reset();
});
