// A sun over a picture: its rim is light from the horizon, its middle light from straight above.

export const RIM = 0.42; // of the picture's shorter side
export const TURN = 2; // degrees that an arrow key turns or lifts a sun
const RADIANS = Math.PI / 180;

/** How far right of and above the middle a light stands, of a sun with this rim; degrees. */
export function placeOfLight(azimuth, elevation, rim) {
  const far = rim * Math.cos(elevation * RADIANS);
  return [far * Math.cos(azimuth * RADIANS), far * Math.sin(azimuth * RADIANS)];
}

/** Azimuth and elevation, degrees, of the light that stands so far right of and above the middle. */
export function lightAt(right, above, rim) {
  return [Math.atan2(above, right) / RADIANS, Math.acos(Math.min(1, Math.hypot(right, above) / rim)) / RADIANS];
}
