// Shadows on the flat picture, from how high the horizon stands around each texel: once asked for, the light is moved
// without asking again (Max 1988, Horizon mapping; Sloan & Cohen 2000, Interactive horizon mapping).

const SOFT = 0.05; // sine of elevation over which the sun comes up, about the width of what one texel tells
const FULL = 255;

/**
 * What the light of the sky is worth on each texel, and where a sun is seen, from horizons (directions, rows, columns), 255
 * times the sine of their elevation, for a picture of some rows and columns.
 */
export function shadowsFrom(horizons, rows, columns) {
  const [ways, high, wide] = horizons.shape;
  const count = high * wide;
  const small = new Uint8Array(count);
  for (let i = 0; i < count; i++) {
    let total = 0;
    for (let way = 0, at = i; way < ways; way++, at += count) total += horizons[at] * horizons[at];
    small[i] = Math.round(FULL - total / (ways * FULL)); // the mean of cos^2, of an even sky
  }
  const spread = spreader(high, wide, rows, columns);
  return {
    sky: spread(small),
    horizons,
    soft: SOFT,
    /** Where a sun is seen that lies towards a direction, unit length: 255 in full light, 0 in shadow. */
    sun([x, y, z]) {
      const place = (Math.atan2(y, x) / (2 * Math.PI)) * ways - 0.5;
      const first = Math.floor(place);
      const share = place - first;
      const [one, other] = [first, first + 1].map((way) => (((way % ways) + ways) % ways) * count);
      const lowest = (z - SOFT / 2) * FULL;
      const scale = 1 / SOFT;
      for (let i = 0; i < count; i++) {
        const horizon = horizons[one + i] + share * (horizons[other + i] - horizons[one + i]);
        const seen = FULL - (horizon - lowest) * scale;
        small[i] = Math.min(Math.max(seen, 0), FULL);
      }
      return spread(small);
    },
  };
}

/** What brings a small picture to another size, by straight lines between its texels. */
function spreader(high, wide, rows, columns) {
  const along = (small, large) => {
    const [first, share] = [new Int32Array(large), new Float32Array(large)];
    for (let i = 0; i < large; i++) {
      const place = Math.min(Math.max(((i + 0.5) * small) / large - 0.5, 0), small - 1);
      first[i] = Math.min(Math.floor(place), Math.max(0, small - 2));
      share[i] = place - first[i];
    }
    return [first, share];
  };
  const [downs, downShares] = along(high, rows);
  const [rights, rightShares] = along(wide, columns);
  const line = new Float32Array(wide + 1);
  return (small) => {
    const out = new Uint8Array(rows * columns);
    for (let row = 0, at = 0; row < rows; row++) {
      const [above, share] = [downs[row] * wide, downShares[row]];
      const below = high > 1 ? above + wide : above;
      for (let i = 0; i < wide; i++) line[i] = small[above + i] + share * (small[below + i] - small[above + i]);
      line[wide] = line[wide - 1];
      for (let column = 0; column < columns; column++, at++) {
        const left = rights[column];
        out[at] = line[left] + rightShares[column] * (line[left + 1] - line[left]) + 0.5;
      }
    }
    return out;
  };
}
