// The light that everything is looked at with, in linear light: a warm sun and a cool sky over a dark ground, as in stills.

export const SUN = [1, 0.95, 0.86];
export const SKY = [0.723, 0.807, 0.905];
export const GROUND = [0.074, 0.069, 0.06];
export const SUNLIGHT = 3.1; // irradiance of what faces the sun
export const SKYLIGHT = 4.4; // of what faces all of the sky, at an ambient of 1
export const AMBIENT = 0.125;
export const REFLECTS = 0.045; // of the light that falls on a dielectric of 1.5, on average; the rest enters it

export const CLAY = [0.716, 0.701, 0.672]; // albedo of what has no colours of its own
export const SOOT = [0.003, 0.003, 0.003]; // of black, which shows nothing but shine
