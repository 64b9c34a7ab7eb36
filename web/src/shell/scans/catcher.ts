/**
 * Tells what a scanner types from what a person types, key by key.
 *
 * A scanner is a fast keyboard that ends in Enter: keys closer together than a person types belong to one scan,
 * wherever the focus is, and whatever was left half typed there. A busy station may make a key or two of a scan late; a
 * person is late with nearly all of them. So the keys before an Enter are looked at as stretches of fast keys with late
 * ones between, and a scan is the last stretch with as many before it as belong to it.
 */

/** Keys closer than this, in milliseconds, are one stretch. */
const fastGap = 70;
/** A late key of a busy station comes within this. */
const hiccup = 800;
/**
 * A station that stands still in the middle of a scan goes on within this: nobody types so fast and then stops. What comes after it
 * and is as long as a code is a scan of its own.
 */
const standstill = 4000;
const surelyScanned = 3;
const wholeCode = 12;
/** So many late keys may be in a scan of a length. */
const hiccups = (length: number) => Math.floor(length / 5);
const shortestScan = 6;
/** A shorter stretch than this in the middle of others is typing. */
const shortestStretch = 3;
/**
 * The first key or two of a scan may stand apart, where all of it is digits: as long as any late key in an empty field, so
 * long where something stood there.
 */
const stumble = 300;
/** No scan is longer. */
const longest = 200;

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

/** Keys that came fast after each other, and how late the first of them was. */
interface Stretch {
  text: string;
  gap: number;
  before?: string;
}

export class Catcher {
  private keys: Stroke[] = [];

  /** Whether the keys of now come as fast as those of a scanner. */
  get running() {
    const [last, before] = [this.keys.at(-1), this.keys.at(-2)];
    return last !== undefined && before !== undefined && last.at - before.at <= fastGap;
  }

  /** Whether a key at this time may belong to the scan that has begun. */
  goesOn(at: number) {
    const last = this.keys.at(-1);
    return last !== undefined && at - last.at <= stumble;
  }

  /** Takes a key. What it gives at Enter was scanned, and is nobody's typing. */
  stroke(s: Stroke): Caught | undefined {
    if (s.key === "Enter") {
      const caught = this.ended(s);
      this.keys = [];
      return caught;
    }
    if (s.key.length !== 1) return undefined; // Shift and the like come between letters of a code
    const last = this.keys.at(-1);
    if (s.held || (last && s.at - last.at > this.patience()) || this.keys.length > longest) this.keys = [];
    if (!s.held) this.keys.push(s);
    return undefined;
  }

  /** How late the next key may be. */
  private patience() {
    const last = this.stretches().at(-1)?.text ?? "";
    return last.length >= surelyScanned ? standstill : hiccup;
  }

  private ended(s: Stroke): Caught | undefined {
    const last = this.keys.at(-1);
    if (!last || s.at - last.at > hiccup) return undefined;
    const scan = joined(this.stretches(), s.at - last.at > 2 * fastGap ? 1 : 0);
    if (!scan || scan.text.length < shortestScan) return undefined;
    // A quick hand may type the end of a word like a scanner. Codes have digits.
    const tail = s.inScanLine && s.value !== scan.text;
    if (tail && !/\d/.test(scan.text)) return undefined;
    return { text: scan.text, before: scan.before };
  }

  private stretches(): Stretch[] {
    const out: Stretch[] = [];
    this.keys.forEach((k, n) => {
      const gap = k.at - (this.keys[n - 1]?.at ?? -Infinity);
      const current = out.at(-1);
      if (current && gap <= fastGap) current.text += k.key;
      else out.push({ text: k.key, gap, before: k.value });
    });
    return out;
  }
}

/** The scan that the last stretch ends: with those before it that belong to it, as many as may be late. */
function joined(stretches: Stretch[], late: number): Stretch | undefined {
  let scan = stretches.pop();
  for (let slow = late; scan; slow++) {
    const before = stretches.pop();
    const whole: string = (before?.text ?? "") + scan.text;
    const apart = scan.gap > hiccup && scan.text.length >= wholeCode;
    if (!before || apart || slow + 1 > hiccups(whole.length))
      return slow <= hiccups(scan.text.length) ? scan : undefined;
    const alone = before.before === "" || scan.gap <= stumble;
    const stumbled = stretches.length === 0 && alone && /^\d+$/.test(whole);
    if (before.text.length < shortestStretch && !stumbled) return scan;
    scan = { ...before, text: whole };
  }
  return undefined;
}
