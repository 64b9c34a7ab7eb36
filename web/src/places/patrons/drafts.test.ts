import { beforeEach, expect, test } from "vitest";
import { clearDrafts, draftOf, dropDraft, keepDraft } from "./drafts";
import { empty, toSaid } from "./record";

beforeEach(clearDrafts);

test("what has been written down stays, household by household, until it is registered or another person comes", () => {
  const tove = toSaid({ ...empty, legal_name: "Tove" }, "");
  const pim = toSaid({ ...empty, legal_name: "Pim" }, "");
  keepDraft(tove, [7]);
  keepDraft(pim, [], 12);
  expect(draftOf()).toEqual({ said: tove, others: [7] });
  expect(draftOf(12)?.said.legal_name).toBe("Pim");
  dropDraft();
  expect(draftOf()).toBeUndefined();
  expect(draftOf(12)?.said.legal_name).toBe("Pim");
  clearDrafts();
  expect(draftOf(12)).toBeUndefined();
});
