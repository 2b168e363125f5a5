// How many texels are asked for while a control moves, so that the stage follows the hand.

export const FINEST = 1024; // texels on the long side
export const COARSEST = 256;
const QUICK = 100; // ms in which the stage follows a hand

/** A pace: a quarter of the texels are drawn next when these took too long, four times as many when they were quick. */
export class Pace {
  longest = FINEST;

  /** Takes note of how many ms the last picture took. */
  took(ms) {
    if (ms > QUICK) this.longest = Math.max(COARSEST, this.longest / 2);
    else if (ms < QUICK / 5) this.longest = Math.min(FINEST, this.longest * 2);
  }
}
