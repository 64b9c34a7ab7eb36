import { beforeEach, expect, test, vi } from "vitest";
import { api } from "../../api/client";
import { signedInHere } from "../../api/station";
import { scans, takers, type Scan, type Send } from "../../shell/scans/scans";
import { answer, desk, dismiss, forgetPatron, send as sendHome, stages, type CardOf } from "./session";

const card = { id: 5, name: "Merryn Lomas", card: "21846000031184", on_loan: [], loans: 0 } as unknown as CardOf;

const scanOf = (given: Record<string, unknown>): Scan => ({
  ...{ id: "a", key: "key-of-scan", taker: "desk", session: "5", text: "31846000274417", what: "scan", given },
  ...{ person: 7, branch: "SLM", at: 1, state: "sent", says: "" },
});

const takenBack = {
  ...{ item_id: 8, patron: "Soren Tolman", fine: "6.00" },
  sign: { kind: "tote", place: "Quarrow", notes: [] },
};

const asked: [path: string, key: string][] = [];
const lentResult = { kind: "lent", text: "", patron: 5, stale: false, filled: false, meant: "item" };

beforeEach(() => {
  signedInHere(7);
  asked.length = 0;
  desk.setState({ card, doubt: 0 }, true);
  vi.spyOn(api, "POST").mockImplementation((path: string, init: unknown) => {
    const { params } = init as { params: { header: Record<string, string> } };
    asked.push([path, params.header["Idempotency-Key"] ?? ""]);
    const data = {
      "/api/returns": { id: 3 },
      "/api/returns/{id}/scan": { run: 3, lines: [takenBack], piles: [], open: [{ patron_id: 9 }] },
      "/api/returns/{id}/account": { run: 3, lines: [], piles: [], open: [] },
      "/api/desk/scan": lentResult,
    }[path];
    return Promise.resolve({ data, response: new Response(null, { status: 200 }) }) as never;
  });
});

const send: Send = async (write, apart) => {
  const { data } = await write(apart ? "apart" : "key-of-scan");
  if (!data) throw new Error("no answer");
  return data;
};

test("what is undone first has keys that follow from its scan, and is undone once", async () => {
  const scan = scanOf({ back: true });
  scans.setState({ scans: [scan] });
  const came = await takers.get("desk")?.take(scan, send);
  expect(came?.result).toMatchObject({ took: { from: "Soren Tolman", fine: "6.00", sign: { place: "Quarrow" } } });
  expect(asked).toEqual([
    ["/api/returns", "apart"],
    ["/api/returns/{id}/scan", "key-of-scan back"],
    ["/api/returns/{id}/account", "key-of-scan account 9"],
    ["/api/desk/scan", "key-of-scan"],
  ]);
  expect(scans.getState().scans[0]?.given.back).toBeUndefined(); // retrying, it is only lent

  // A further question about it is answered without taking it back once more.
  const line = { result: { ...lentResult, kind: "ask", stops: [] }, patron: 5 };
  scans.setState({ scans: [{ ...scan, state: "ask", result: line }] });
  const open = scans.getState().scans[0];
  if (!open) throw new Error("no scan");
  answer(open, { answer: "lend", label: "", reason: false }, "");
  expect(scans.getState().scans[0]?.given).toMatchObject({ patron: 5, back: undefined });
});

test("an email that does not go out stays to be sent again, and is gone when it did or is dismissed", async () => {
  const email = {
    id: 5,
    name: card.name,
    card: card.card,
    since: "2026-10-06T12:00:00Z",
    what: "mail" as const,
    says: "",
  };
  const refused = () =>
    Promise.resolve({
      error: { detail: "The mail server cannot be reached." },
      response: new Response(null, { status: 409 }),
    }) as never;
  vi.spyOn(api, "POST").mockImplementation(refused);
  await sendHome(email);
  expect(desk.getState().unsent?.map((u) => u.says)).toEqual(["The mail server cannot be reached."]);
  vi.spyOn(api, "POST").mockImplementation(() =>
    Promise.resolve({ data: {}, response: new Response(null, { status: 200 }) }),
  );
  await sendHome(email);
  expect(desk.getState().unsent).toEqual([]);
  desk.setState({ unsent: [email] });
  dismiss(email);
  expect(desk.getState().unsent).toEqual([]);
});

test("a patron who is forgotten leaves the desk: card, choices, and what was not sent", () => {
  const unsent = { id: 5, name: card.name, card: card.card, since: "x", what: "mail" as const, says: "" };
  desk.setState({ card, staging: true, unsent: [unsent, { ...unsent, id: 6 }] });
  expect(stages()).toBe(true);
  forgetPatron(5);
  expect(desk.getState().card).toBeUndefined();
  expect(stages()).toBe(false);
  expect(desk.getState().unsent?.map((u) => u.id)).toEqual([6]);
});
