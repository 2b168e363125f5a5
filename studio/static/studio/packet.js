// Raw arrays from the server: a length, a JSON header, then the bytes of each array.

import { ask } from "./ask.js";

const TYPES = { uint8: Uint8Array, uint16: Uint16Array, uint32: Uint32Array, float32: Float32Array };

/** Fetches a packet. Gives its header with `arrays`, each a typed array with its `shape`. */
export async function fetchPacket(address, parameters, signal = undefined) {
  const bytes = await (await ask(address, parameters, signal)).arrayBuffer();
  const length = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length)));
  for (const [name, { type, shape, offset }] of Object.entries(header.arrays)) {
    const count = shape.reduce((product, side) => product * side, 1);
    header.arrays[name] = Object.assign(new TYPES[type](bytes, 4 + length + offset, count), { shape });
  }
  return header;
}
