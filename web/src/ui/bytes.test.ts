import { expect, test } from "vitest";
import { base64 } from "./bytes";

test("bytes are carried as they are, whatever letters they are, and however many", () => {
  for (const bytes of [
    new Uint8Array(0),
    new Uint8Array([0xc9, 0x6c, 0xe8, 0x76, 0x65]), // "Élève" in Windows-1252
    new Uint8Array([0xff, 0xfe, 0x61, 0x00]), // UTF-16
    Uint8Array.from({ length: 100_000 }, (_, k) => (k * 31) % 256),
  ])
    expect(Uint8Array.from(atob(base64(bytes)), (c) => c.charCodeAt(0))).toEqual(bytes);
});
