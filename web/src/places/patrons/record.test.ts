import { expect, test } from "vitest";
import { agreedOf, empty, nextOf, toRecord, toSaid } from "./record";

test("a record goes into the form and comes back as it was", () => {
  const record = {
    ...empty,
    legal_name: "Tove Marrin",
    born: "1984-03-09",
    class: "adult",
    branch: "SLM",
    other_phones: ["902 555 0117", "902 555 0118"],
    may_use: ["Per Quill"],
    in_area: false,
    guardian: 7,
    household: 12,
  };
  expect(JSON.parse(JSON.stringify(toRecord(toSaid(record, "Iris Lund"), 12)))).toEqual(record);
  expect(toSaid(record, "Iris Lund").guardian?.name).toBe("Iris Lund");
  expect(toRecord({ ...toSaid(record, ""), other_phones: " \n902 555 0117\n\n" }, 0).other_phones).toEqual([
    "902 555 0117",
  ]);
});

test("the next of a household has its address, and a grown-up as guardian", () => {
  const mother = { ...empty, address: "7 Net Loft Wharf", phone: "902 555 0117", born: "1984-03-09", household: 3 };
  expect(nextOf(mother, 9, true)).toMatchObject({
    address: "7 Net Loft Wharf",
    guardian: 9,
    household: 3,
    legal_name: "",
  });
  expect(nextOf({ ...mother, guardian: 5 }, 9, false)).toMatchObject({ guardian: 5 });
});

test("what is agreed to is sent where it has been answered, or is another answer than before", () => {
  expect(agreedOf({ older_reader: "yes", internet: "", photo: "no" })).toEqual([
    { what: "older_reader", answer: "yes" },
    { what: "photo", answer: "no" },
  ]);
  const before = { older_reader: "no", internet: "filtered", photo: "" };
  expect(agreedOf({ ...before, older_reader: "yes" }, before)).toEqual([{ what: "older_reader", answer: "yes" }]);
  expect(toRecord(toSaid(empty, ""), 0)).not.toHaveProperty("agreed");
});
