// Raw arrays from the server: a length, a JSON header, then the bytes of each array.

const TYPES = { uint8: Uint8Array, uint16: Uint16Array, uint32: Uint32Array, float32: Float32Array };

const LONGEST = 3000; // letters that fit into an address; what is drawn by hand may be longer and is posted

/** Fetches a packet. Gives its header with `arrays`, each a typed array with its `shape`. */
export async function fetchPacket(address, parameters) {
  const asked = new URLSearchParams(parameters);
  const headers = { Accept: "application/octet-stream" };
  const long = String(asked).length > LONGEST;
  if (long) headers["X-CSRFToken"] = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
  const answer = await (long ? fetch(address, { method: "POST", body: asked, headers }) : fetch(`${address}?${asked}`, { headers }));
  if (answer.status === 422) throw new Error((await answer.json()).message);
  if (!answer.ok) throw new Error("The studio did not answer. The piece is kept; reload the page.");
  const bytes = await answer.arrayBuffer();
  const length = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length)));
  for (const [name, { type, shape, offset }] of Object.entries(header.arrays)) {
    const count = shape.reduce((product, side) => product * side, 1);
    header.arrays[name] = Object.assign(new TYPES[type](bytes, 4 + length + offset, count), { shape });
  }
  return header;
}

/** Runs one request at a time; of those that come while one is under way only the last is sent. */
export class Latest {
  #busy = false;
  #waiting = null;

  async run(work) {
    this.#waiting = work;
    if (this.#busy) return;
    this.#busy = true;
    while (this.#waiting) {
      const next = this.#waiting;
      this.#waiting = null;
      await next();
    }
    this.#busy = false;
  }
}
