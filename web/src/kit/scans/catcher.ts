/**
 * Tells what a scanner types from what a person types, key by key.
 *
 * A scanner is a fast keyboard that ends in Enter: keys closer together than a person types belong to one scan,
 * wherever the focus is, and whatever was left half typed there.
 */

/** Keys closer than this, in milliseconds, belong to one scan. */
const fastGap = 70;
/** A busy station may make a key or two of a scan late, by less than this. A person is late with nearly all of them. */
const hiccup = 800;
const hiccups = (length: number) => Math.floor(length / 5);
const shortestScan = 6;

/** One key as it came: when, in milliseconds, and what the field that had the focus said before it. */
export interface Stroke {
  key: string;
  at: number;
  /** The key was held down and repeats. */
  held?: boolean;
  /** What the focused field says before the key takes effect; undefined where none has the focus. */
  value?: string;
  inScanLine: boolean;
}

/** A scan that has just ended: its text, and what the field must say again. */
export interface Caught {
  text: string;
  before?: string;
}

export class Catcher {
  private burst = "";
  private last = -Infinity;
  private slow = 0;
  private before: string | undefined;

  /** Whether the keys of now come as fast as those of a scanner. */
  get running() {
    return this.burst.length > 1;
  }

  /** Takes a key. What it gives at Enter was scanned, and is nobody's typing. */
  stroke(s: Stroke): Caught | undefined {
    const gap = s.at - this.last;
    if (s.key === "Enter") {
      const caught = this.ended(s, gap);
      this.forget();
      return caught;
    }
    if (s.key.length !== 1) return undefined; // Shift and the like come between letters of a code
    const late = gap > fastGap || s.held === true;
    if (late && this.burst.length >= 3 && gap < hiccup && this.slow < 2 && !s.held) this.slow++;
    else if (late) {
      this.burst = "";
      this.slow = 0;
      this.before = s.value;
    }
    this.burst += s.key;
    this.last = s.at;
    return undefined;
  }

  private ended(s: Stroke, gap: number): Caught | undefined {
    const slow = this.slow + (gap > fastGap * 2 ? 1 : 0);
    if (this.burst.length < shortestScan || gap >= hiccup || slow > hiccups(this.burst.length)) return undefined;
    // A quick hand may type the end of a word like a scanner. Codes have digits.
    const tail = s.inScanLine && s.value !== this.burst;
    if (tail && !/\d/.test(this.burst)) return undefined;
    return { text: this.burst, before: this.before };
  }

  private forget() {
    this.burst = "";
    this.last = -Infinity;
    this.slow = 0;
    this.before = undefined;
  }
}
