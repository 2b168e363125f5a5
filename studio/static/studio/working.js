// What takes longer than a moment: how far it is, in words and as a bar, with a button to stop it.

const MOMENT = 1000; // ms before anything is shown
const BETWEEN = 500; // ms between two questions

/** A page names itself, so that what it asked for is told from what another window asks for. */
export const PAGE = Math.random().toString(36).slice(2).padEnd(8, "0");

const underWay = new Map(); // since when, and how it is stopped, by the name of the request
let asking = null;
let count = 0;

/** Notes that a request begins. Gives the name to send with it; `stop` ends it. */
export function begin(stop = null) {
  const name = `${PAGE}${++count}`;
  underWay.set(name, { since: performance.now(), stop });
  asking ??= setTimeout(tell, MOMENT);
  return name;
}

/** Notes that it has ended. */
export function end(name) {
  underWay.delete(name);
  if (underWay.size) return;
  clearTimeout(asking);
  asking = null;
  document.getElementById("working")?.remove();
}

async function tell() {
  const [name, request] = [...underWay].find(([, { since }]) => performance.now() - since >= MOMENT) ?? [];
  if (name) {
    const answer = await fetch(`/progress/${name}`).catch(() => null);
    const told = answer?.status === 200 ? await answer.json() : null;
    if (told && underWay.has(name)) show(name, request, told);
  }
  asking = underWay.size ? setTimeout(tell, BETWEEN) : null;
}

function show(name, { stop }, { fraction, message }) {
  let box = document.getElementById("working");
  if (!box) {
    box = document.createElement("div");
    box.id = box.className = "working";
    box.append(document.createElement("progress"), document.createElement("span"));
    box.lastChild.setAttribute("role", "status");
    document.body.append(box);
  }
  box.firstChild.value = fraction;
  box.firstChild.ariaLabel = message;
  const words = `${message}…`;
  if (box.children[1].textContent !== words) box.children[1].textContent = words;
  box.querySelector("button")?.remove();
  if (!stop) return;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "button small";
  button.textContent = "Stop";
  button.addEventListener("click", () => {
    stop();
    end(name);
  });
  box.append(button);
}
