import { expect, test } from "vitest";
import { middle } from "./smaller";

test("the middle of a picture is kept, in the form of a photograph on a record", () => {
  expect(middle(270, 360)).toEqual({ x: 0, y: 0, w: 270, h: 360 });
  expect(middle(4000, 3000)).toEqual({ x: 875, y: 0, w: 2250, h: 3000 });
  expect(middle(540, 2000)).toEqual({ x: 0, y: 640, w: 540, h: 720 });
});
