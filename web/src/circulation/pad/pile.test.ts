import { expect, test } from "vitest";
import * as pile from "./pile";

const tag = (number: string, more: Partial<pile.Tag> = {}): pile.Tag => ({
  tag: `E0${number}${more.part ? `/${more.part}` : ""}`,
  number,
  part: 1,
  parts: 1,
  secure: true,
  ...more,
});
const lay = (p: pile.Pile, ...tags: pile.Tag[]) => tags.reduce(pile.laid, p);
const nothingAsked = () => false;
const numbers = (things: pile.Thing[]) => things.map((t) => t.number);

test("a thing is fed once, and again only after it was lifted", () => {
  let p = lay(pile.empty, tag("31"), tag("32"));
  expect(numbers(pile.next(p, false))).toEqual(["31", "32"]);
  p = pile.fed(p, "31", "scan 1");
  p = lay(p, tag("31")); // told again
  expect(numbers(pile.next(p, true))).toEqual(["32"]);
  p = pile.lifted(p, "E031", nothingAsked);
  p = lay(p, tag("31"));
  expect(numbers(pile.next(p, true))).toEqual(["31", "32"].reverse());
});

test("a thing of several parts waits for all, until nothing more comes", () => {
  const p = lay(pile.empty, tag("31", { part: 1, parts: 3 }), tag("31", { part: 3, parts: 3 }));
  expect(pile.next(p, false)).toEqual([]);
  expect(pile.next(p, true)).toEqual([{ number: "31", here: 2, parts: 3, fed: false }]);
  expect(pile.next(lay(p, tag("31", { part: 2, parts: 3 })), false)[0]?.here).toBe(3);
});

test("security is owed until every tag of the thing has taken it", () => {
  let p = lay(pile.empty, tag("31", { part: 1, parts: 2 }), tag("31", { part: 2, parts: 2 }));
  p = pile.wanted(p, ["31"], false, "Tides");
  expect(pile.toSwitch(p)).toHaveLength(2);
  p = lay(p, tag("31", { part: 1, parts: 2, secure: false }));
  expect(p.owed["31"]).toEqual({ on: false, title: "Tides" });
  p = lay(p, tag("31", { part: 2, parts: 2, secure: false }));
  expect(p.owed).toEqual({});
});

test("lifted before it was switched: it is told, not fed again, and switched when it is laid on again", () => {
  let p = pile.fed(lay(pile.empty, tag("31")), "31", "scan 1");
  p = pile.lifted(p, "E031", (scan) => scan === "scan 1"); // not answered yet
  p = pile.wanted(p, ["031-short", "31"], false, "Tides");
  p = pile.answered(p, nothingAsked);
  expect(Object.keys(p.owed)).toEqual(["31"]);
  p = lay(p, tag("31"));
  expect(pile.next(p, true)).toEqual([]);
  expect(pile.toSwitch(p)).toEqual([{ tag: "E031", on: false }]);
});

test("lifted while it was asked for, and not lent: it may be laid on again", () => {
  let p = pile.fed(lay(pile.empty, tag("31")), "31", "scan 1");
  p = pile.lifted(p, "E031", () => true);
  expect(pile.next(lay(p, tag("31")), true)).toEqual([]);
  p = pile.answered(p, nothingAsked);
  expect(numbers(pile.next(lay(p, tag("31")), true))).toEqual(["31"]);
});

test("what has never lain on the pad carries no tag that anybody knows of", () => {
  expect(pile.wanted(pile.empty, ["31"], false, "Tides").owed).toEqual({});
});

test("a tag that does not take it is not retrying by itself", () => {
  let p = pile.wanted(lay(pile.empty, tag("31")), ["31"], false, "Tides");
  p = pile.refused(p, "E031", "the tag did not take it");
  expect(pile.toSwitch(p)).toEqual([]);
  expect(pile.toSwitch(pile.unstuck(p))).toHaveLength(1);
  expect(pile.toSwitch(lay(pile.lifted(p, "E031", nothingAsked), tag("31")))).toHaveLength(1);
});

test("let be: nothing is owed, and it may be laid on anew", () => {
  let p = pile.wanted(lay(pile.empty, tag("31")), ["31"], false, "Tides");
  p = pile.letBe(pile.lifted(pile.fed(p, "31", "scan 1"), "E031", nothingAsked), "31");
  expect(p.owed).toEqual({});
  expect(numbers(pile.next(lay(p, tag("31")), true))).toEqual(["31"]);
});

test("asked for all of it, the pad says what has gone and come meanwhile", () => {
  let p = lay(pile.unread(pile.empty, "E0?1"), tag("31"), tag("32"));
  p = pile.fed(p, "31", "scan 1");
  p = pile.looked(p, [tag("32"), tag("33")], ["E0?2"], nothingAsked);
  expect(numbers(pile.things(p))).toEqual(["32", "33"]);
  expect(p.silent).toEqual(["E0?2"]);
  expect(p.fed).toEqual({});
  expect(pile.laid(p, { ...tag("34"), tag: "E0?2" }).silent).toEqual([]);
});
