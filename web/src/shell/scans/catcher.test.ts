import { describe, expect, test } from "vitest";
import { Catcher, type Caught } from "./catcher";

/** Types into one field: each key so many milliseconds after the one before it. What was caught is not typed. */
class Hand {
  value = "";
  caught: Caught[] = [];
  private now = 1000;
  private readonly catcher = new Catcher();
  constructor(private readonly inScanLine = false) {}

  type(text: string, gap: number | number[], held = false) {
    [...text].forEach((key, k) => {
      this.now += Array.isArray(gap) ? gap[k % gap.length]! : gap;
      this.catcher.stroke({ key, at: this.now, value: this.value, inScanLine: this.inScanLine, held });
      this.value += key;
    });
    return this;
  }

  enter(gap = 5) {
    this.now += gap;
    const caught = this.catcher.stroke({ key: "Enter", at: this.now, value: this.value, inScanLine: this.inScanLine });
    if (caught) {
      this.caught.push(caught);
      this.value = caught.before ?? "";
    }
    return this;
  }
}

const card = "21846000031184";

describe("a scan", () => {
  const cases: [name: string, hand: Hand, caught: Caught[], left: string][] = [
    ["in an empty field", new Hand().type(card, 4).enter(), [{ text: card, before: "" }], ""],
    ["in the scan line", new Hand(true).type(card, 4).enter(), [{ text: card, before: "" }], ""],
    [
      "after half a word in the scan line: the word stays, the code goes",
      new Hand(true).type("salt ch", 180).type(card, [400, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4]).enter(),
      [{ text: card, before: "salt ch" }],
      "salt ch",
    ],
    [
      "of a busy station, two keys late",
      new Hand().type(card, [5, 5, 5, 5, 300, 5, 5, 5, 5, 400, 5, 5, 5, 5]).enter(),
      [{ text: card, before: "" }],
      "",
    ],
    [
      "of a station so busy that its first key stands apart",
      new Hand().type(card, [5, 200, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5]).enter(),
      [{ text: card, before: "" }],
      "",
    ],
    [
      "of one whose first two keys stand apart for longer, in an empty field",
      new Hand(true).type(card, [5, 5, 600, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 5]).enter(),
      [{ text: card, before: "" }],
      "",
    ],
    [
      "soon after a quickly typed word",
      new Hand(true).type("ferry", 150).type(card, [250, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4]).enter(),
      [{ text: card, before: "ferry" }],
      "ferry",
    ],
    [
      "of a station that stands still in its middle for two seconds",
      new Hand(true).type(card, [5, 5, 5, 5, 5, 5, 5, 5, 2000, 5, 5, 5, 5, 5]).enter(),
      [{ text: card, before: "" }],
      "",
    ],
    [
      "after another whose Enter was lost: it stays, and is not put before it",
      new Hand(true).type("31846000274417", 4).type(card, [2000, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4]).enter(),
      [{ text: card, before: "31846000274417" }],
      "31846000274417",
    ],
    ["of a code with letters", new Hand().type("LNF-77A012", 6).enter(), [{ text: "LNF-77A012", before: "" }], ""],
    [
      "and another at once",
      new Hand().type(card, 4).enter().type("31846000274417", 4).enter(),
      [
        { text: card, before: "" },
        { text: "31846000274417", before: "" },
      ],
      "",
    ],
  ];
  test.each(cases)("%s", (_, hand, caught, left) => {
    expect(hand.caught).toEqual(caught);
    expect(hand.value).toBe(left);
  });
});

describe("typing", () => {
  const cases: [name: string, hand: Hand][] = [
    ["a number slowly", new Hand(true).type("31846000274417", 130).enter(400)],
    ["a name quickly, its end as fast as a scanner", new Hand(true).type("Asta Li", 160).type("ndgren", 40).enter(60)],
    ["a short number quickly", new Hand(true).type("1984", 20).enter()],
    ["a key held down", new Hand(true).type("1", 500).type("1111111111", 33, true).enter(200)],
    ["a digit and Enter", new Hand(true).type("2", 900).enter(150)],
    ["a code quickly, and Enter a second later", new Hand().type(card, 5).enter(1200)],
  ];
  test.each(cases)("%s is nobody's scan", (_, hand) => {
    expect(hand.caught).toEqual([]);
  });
});

test("a key may belong to a scan that has begun for as long as one of its keys may be late, and to none after its end", () => {
  const catcher = new Catcher();
  const stroke = (key: string, at: number) => catcher.stroke({ key, at, value: "", inScanLine: true });
  expect(catcher.goesOn(1000)).toBe(false);
  [...card].forEach((key, k) => stroke(key, 1000 + 4 * k));
  expect(catcher.goesOn(1056)).toBe(true);
  expect(catcher.goesOn(1352)).toBe(true);
  expect(catcher.goesOn(1353)).toBe(false);
  stroke("Enter", 1056);
  expect(catcher.goesOn(1060)).toBe(false);
});
