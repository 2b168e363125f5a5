// The colours of the look for what is drawn by WebGL, the same in both themes, as pictures are.

export const PAPER = 0xf1f5f4;
export const INK = 0x15252c;
export const DATUM = 0xb3105f;
export const ABOVE = 0xb9791a;
export const BELOW = 0x2a6a98;
