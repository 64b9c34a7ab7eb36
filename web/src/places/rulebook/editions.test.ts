import { expect, test } from "vitest";
import { sayIn, sayWall } from "../../ui/say";
import { onTheLine } from "./Editions";
import type { Edition } from "./types";

const edition = (id: number, state: Edition["state"]) => ({ id, number: id, state }) as Edition;

test("the line of editions shows what is in force or comes, the last of the others, and what is looked at", () => {
  const list = [
    ...[1, 2, 3, 4, 5, 6].map((id) => edition(id, "superseded")),
    edition(7, "in_force"),
    edition(8, "coming"),
    edition(9, "withdrawn"),
    ...Array.from({ length: 24 }, (_, k) => edition(10 + k, "draft")),
  ];
  expect(onTheLine(list).map((e) => e.id)).toEqual([5, 6, 7, 8, 9, 31, 32, 33]);
  expect(onTheLine(list, 2).map((e) => e.id)).toEqual([2, 5, 6, 7, 8, 9, 31, 32, 33]);
  expect(onTheLine(list.slice(0, 3)).map((e) => e.id)).toEqual([1, 2, 3]);
});

test("a moment of a branch is said by the clock that it carries, whatever the station's or the network's is", () => {
  sayIn({ timezone: "America/Halifax", currency: "CAD", now: "2026-10-06T12:00:00Z" });
  expect(sayWall("2026-10-06T15:00")).toBe("Tue 6 Oct, 15:00");
  expect(sayWall("2026-10-06T15:00:00-03:00")).toBe("Tue 6 Oct, 15:00");
  expect(sayWall("2026-10-06T16:30:00+05:45")).toBe("Tue 6 Oct, 16:30");
  expect(sayWall("2026-10-06")).toBe("Tue 6 Oct");
});
