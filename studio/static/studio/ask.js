// Asking the studio for something: a failure is said once on the page, and the next question is asked as ever.

import { say, unsay } from "./notice.js";
import { begin, end } from "./working.js";

const SILENT = "The studio does not answer. Is it still running? What you have is kept.";
const LONGEST = 3000; // letters that fit into an address; what is longer is posted

/** What is thrown when there is no answer to use; where the studio could not be reached the page says it already. */
export class Unanswered extends Error {
  constructor(message, said) {
    super(message);
    this.said = said;
  }
}

/** The studio's answer. `parameters` go into the address, or are posted when they are long. */
export async function ask(address, parameters = {}, signal = undefined) {
  const asked = new URLSearchParams(parameters);
  const long = String(asked).length > LONGEST;
  const name = begin();
  const headers = { "X-Request": name };
  if (long) headers["X-CSRFToken"] = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
  const query = String(asked) ? `${address}${address.includes("?") ? "&" : "?"}${asked}` : address;
  let answer;
  try {
    answer = await (long
      ? fetch(address, { method: "POST", body: asked, headers, signal })
      : fetch(query, { headers, signal }));
  } catch (problem) {
    if (problem.name === "AbortError") throw problem;
    say(SILENT, "silent");
    throw new Unanswered(SILENT, true);
  } finally {
    end(name);
  }
  unsay("silent");
  if (answer.ok) return answer;
  const told = answer.headers.get("Content-Type")?.startsWith("application/json") ? await answer.json() : {};
  throw new Unanswered(told.message ?? "The studio could not answer that. The piece is kept; reload the page.", false);
}

/** The same, read as JSON; null where there is no answer to use. */
export async function askJson(address, parameters = {}, signal = undefined) {
  try {
    return await (await ask(address, parameters, signal)).json();
  } catch (problem) {
    if (problem instanceof Unanswered || problem.name === "AbortError") return null;
    throw problem;
  }
}

const PATIENCE = 2000; // ms that work may take which newer work waits for

/** Runs one piece of work at a time; of those that come while one is under way only the last is run.
 *
 * Work gets a signal. With `yields` it is aborted when the next one comes: what takes long and nobody waits for. Other
 * work is aborted when the next one has come and its time is over; the studio then stops computing for it.
 */
export class Latest {
  #running = null;
  #waiting = null;

  get busy() {
    return Boolean(this.#running || this.#waiting);
  }

  async run(work, { yields = false } = {}) {
    this.#waiting = { work, yields };
    const running = this.#running;
    if (running) {
      const left = running.yields ? 0 : running.since + PATIENCE - performance.now();
      if (left <= 0) running.stop.abort();
      else running.late ??= setTimeout(() => running.stop.abort(), left);
      return;
    }
    while (this.#waiting) {
      const next = this.#waiting;
      this.#waiting = null;
      this.#running = { yields: next.yields, stop: new AbortController(), since: performance.now(), late: null };
      try {
        await next.work(this.#running.stop.signal);
      } catch (problem) {
        if (!(problem instanceof Unanswered) && problem.name !== "AbortError") console.error(problem);
      } finally {
        clearTimeout(this.#running.late);
        this.#running = null;
      }
    }
  }
}
