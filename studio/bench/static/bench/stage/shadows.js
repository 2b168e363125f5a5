// Shadows on the flat picture, from how high the horizon stands around each texel: once asked for, the light is moved
// without asking again (Max 1988, Horizon mapping; Sloan & Cohen 2000, Interactive horizon mapping).

const SOFT = 0.05; // sine of elevation over which the sun comes up, about the width of what one texel tells
const FULL = 255;

// how the light of the sky is coded: what comes from the right and from above on the picture, -1/2 to 1/2, times `scale` and
// `none`; what comes from straight above it times 255
const SKY_CODE = { scale: 254, none: 128 };

// of the sky above a horizon, by 255 times the sine of its elevation: what comes from above, and from aside
const ELEVATIONS = Float64Array.from({ length: FULL + 1 }, (_, code) => Math.asin(code / FULL));
const ABOVE = Float32Array.from(ELEVATIONS, (angle) => Math.cos(angle) ** 2);
const ASIDE = Float32Array.from(ELEVATIONS, (angle) => Math.PI / 2 - angle - Math.sin(angle) * Math.cos(angle));

/**
 * Where the light of an even sky comes from on each texel, and where a sun is seen, from horizons (directions, rows,
 * columns), 255 times the sine of their elevation, for a picture of some rows and columns.
 */
export function shadowsFrom(horizons, rows, columns) {
  const [ways, high, wide] = horizons.shape;
  const count = high * wide;
  const small = new Uint8Array(count);
  const spread = spreader(high, wide, rows, columns);
  return {
    sky: skyFrom(horizons, spread, rows * columns),
    skyCode: SKY_CODE,
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

/**
 * The light of an even sky on each texel as a vector whose product with a normal is what a surface of that normal gets of it,
 * 1 in the open (Dozier & Frew 1990, Rapid calculation of terrain parameters for radiation modeling from digital elevation
 * data, IEEE Trans. Geoscience and Remote Sensing 28): uint8 in threes, as `SKY_CODE` has them. `spread` is a `spreader`
 * to the size of the picture.
 */
function skyFrom(horizons, spread, texels) {
  const [ways, high, wide] = horizons.shape;
  const count = high * wide;
  const out = new Uint8Array(3 * texels);
  const [across, up, above] = [0, 1, 2].map(() => new Float32Array(count));
  const turns = Float64Array.from({ length: ways }, (_, way) => (2 * Math.PI * (way + 0.5)) / ways);
  const [rights, upwards] = [Math.cos, Math.sin].map((part) =>
    turns.map((turn) => (part(turn) * SKY_CODE.scale) / ways),
  );
  for (let i = 0; i < count; i++) {
    let [fromRight, fromUp, fromAbove] = [SKY_CODE.none, SKY_CODE.none, 0];
    for (let way = 0, at = i; way < ways; way++, at += count) {
      const aside = ASIDE[horizons[at]];
      fromRight += rights[way] * aside;
      fromUp += upwards[way] * aside;
      fromAbove += ABOVE[horizons[at]];
    }
    across[i] = fromRight;
    up[i] = fromUp;
    above[i] = (fromAbove * FULL) / ways;
  }
  [across, up, above].forEach((parts, channel) => {
    spread(parts, out, 3, channel);
  });
  return out;
}

/**
 * What brings a small picture to another size, by straight lines between its texels; as one channel of some where that is
 * asked for.
 */
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
  return (small, out = new Uint8Array(rows * columns), stride = 1, channel = 0) => {
    for (let row = 0, at = channel; row < rows; row++) {
      const [above, share] = [downs[row] * wide, downShares[row]];
      const below = high > 1 ? above + wide : above;
      for (let i = 0; i < wide; i++) line[i] = small[above + i] + share * (small[below + i] - small[above + i]);
      line[wide] = line[wide - 1];
      for (let column = 0; column < columns; column++, at += stride) {
        const left = rights[column];
        out[at] = line[left] + rightShares[column] * (line[left + 1] - line[left]) + 0.5;
      }
    }
    return out;
  };
}
