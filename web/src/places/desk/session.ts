import { persist } from "zustand/middleware";
import { createStore } from "zustand/vanilla";
import { api, keyed, madeAt, Problem, told, type Schema } from "../../api/client";
import {
  add,
  again,
  change,
  drop,
  open,
  scans,
  takers,
  type Outcome,
  type Scan,
  type Send,
} from "../../shell/scans/scans";
import { kept } from "../../ui/kept";
import { printSlip } from "../../circulation/print";
import { slipsPrint, stagesHere } from "../../shell/settings";
import { who } from "../../shell/me";
import { secure } from "../../circulation/pad/pad";
import { play, sound } from "../../shell/sound";
import { changed, openRun } from "../returns";
import { write, writes } from "../../shell/write";

/** What stands at the desk: whose card is open, and what the patron before left undone. */

export type Result = Schema["DeskResult"];
export type CardOf = Schema["PeopleCard"];

/** What a line of the tape carries, once it is answered. */
export interface Line {
  result: Result;
  patron?: number;
  whose?: string;
  undone?: boolean;
  took?: Took;
}

/** What was returned at the desk so that it could be lent: from whom, what that charged, and where it goes if it was not. */
export interface Took {
  from: string;
  fine: string;
  sign: Schema["MovingSign"];
}

/** How scans of a patron ended who is not here any more: asks, and what was answered after the person had gone on. */
export interface Left {
  patron?: number;
  name: string;
  card: string;
  lent: number;
  lines: { title: string; says: string }[];
}

/** A slip or an email of what was lent that did not go out, and why. */
export interface Unsent {
  id: number;
  name: string;
  card: string;
  since: string;
  what: "slip" | "mail";
  says: string;
}

interface Desk {
  card?: CardOf;
  found?: { words: string; rows: Schema["PeopleFound"][]; more: string; copies: Schema["DeskCopy"][] };
  left?: Left;
  unsent?: Unsent[];

  /** Whether loans to this patron are reviewed before they are made, where that was chosen for them. */
  staging?: boolean;

  /** Until when what was scanned came after a card that was not taken, in milliseconds. */
  doubt: number;
}

export const desk = createStore<Desk>()(persist((): Desk => ({ doubt: 0 }), { name: "nevrin desk", storage: kept() }));

export const lineOf = (s: Scan) => s.result as Line | undefined;
export const titleOf = (s: Scan) => lineOf(s)?.result.line?.title ?? lineOf(s)?.result.item?.title ?? s.text;

const mine = () => scans.getState().scans.filter((s) => s.taker === "desk");
const answered = (s: Scan) => s.taker === "desk" && (s.state === "done" || s.state === "ask" || s.state === "wrong");

export type Gives = CardOf["gives"];

/** When the first of what was lent to somebody here was lent, by the server's clock; nothing where nothing was. */
function lentSince(patron: number): string | undefined {
  const lent = mine().flatMap((s) => {
    const line = lineOf(s);
    return line?.result.kind === "lent" && line.result.patron === patron && !line.undone
      ? [line.result.line?.lent_at ?? ""]
      : [];
  });
  return lent.sort()[0];
}

/**
 * What somebody gets of what was lent to them: a slip, which comes out by itself only where the station is set so, or because it was
 * asked for; or mail.
 */
function give(card: CardOf, what: Gives, asked: boolean) {
  const since = lentSince(card.id);
  if (!since) return;
  const { id, name } = card;
  const of = { id, name, card: card.card, since, says: "" };
  if ((what === "slip" || what === "both") && (asked || slipsPrint())) void send({ ...of, what: "slip" });
  if (what === "mail" || what === "both") void send({ ...of, what: "mail" });
}

/** Sends a slip or an email of what was lent. What does not go out stands at the desk until it does, or is dismissed. */
export async function send(u: Unsent) {
  dismiss(u);
  const says = u.what === "slip" ? await printed(u) : await mailed(u);
  if (says === undefined) return;
  play("wrong");
  desk.setState(({ unsent = [] }) => ({ unsent: [{ ...u, says }, ...unsent] }));
}

export const dismiss = (u: Unsent) =>
  desk.setState(({ unsent = [] }) => ({
    unsent: unsent.filter((o) => o.what !== u.what || o.since !== u.since || o.id !== u.id),
  }));

const printed = (u: Unsent) =>
  printSlip({ kind: "lent", id: u.id, since: u.since }).then(
    () => undefined,
    (e: unknown) => sayProblem(e),
  );

async function mailed({ id, name, since }: Unsent) {
  const doing = `lent mail ${id} ${since}`;
  const sent = await write(doing, `Emailing ${name} what was lent`, (key) =>
    api.POST("/api/patrons/{id}/lent-mail", { params: { path: { id }, header: keyed(key) }, body: { since } }),
  );
  return sent ? undefined : sayProblem(writes.getState()[doing]?.problem);
}

const sayProblem = (e: unknown) => (e instanceof Problem ? e.message : "It is not known whether it was sent.");

/** Closes the card, as was asked for at a moment. What was asked or answered since is told still, until it is seen. */
function leave(asked: number, gives?: Gives) {
  const { card } = desk.getState();
  if (card) give(card, gives ?? card.gives, gives !== undefined);
  const waits = (s: Scan) => s.state === "done" && lineOf(s)?.result.kind === "staged";
  const unseen = mine().filter((s) => !s.adopted && (s.state === "ask" || waits(s) || (s.ended ?? 0) >= asked));
  const undone = unseen.filter((s) => s.state === "ask" || s.state === "wrong" || waits(s));
  const lent = unseen.filter((s) => s.state === "done" && !waits(s)).length;
  drop((s) => answered(s) && (!s.adopted || s.state === "done"));
  desk.setState({
    card: undefined,
    found: undefined,
    staging: undefined,
    left:
      undone.length + lent > 0
        ? {
            patron: card?.id,
            name: card?.name ?? "",
            card: card?.card ?? "",
            lent,
            lines: undone.map((s) => ({
              title: titleOf(s),
              says:
                s.says || (waits(s) ? "Not lent: it was still waiting for review." : (lineOf(s)?.result.text ?? "")),
            })),
          }
        : undefined,
  });
}

/** Changes the open card, if it is still this patron's. */
export function changeCard(patron: number | undefined, by: (card: CardOf) => CardOf) {
  desk.setState(({ card }) => (card && card.id === patron ? { card: by(card) } : {}));
}

/** Looks at a card again, after more of it has changed than one loan; once more if it changed here meanwhile. */
export async function lookAgain(patron: number | undefined): Promise<void> {
  const before = desk.getState().card;
  if (!patron || before?.id !== patron) return;
  const fresh = await told(api.GET("/api/patrons/{id}", { params: { path: { id: patron } } })).catch((e: unknown) => {
    if (e instanceof Problem && e.status === 404) forgetPatron(patron); // there is nobody any longer
  });
  if (!fresh) return;
  if (desk.getState().card === before) changeCard(patron, () => fresh);
  else await lookAgain(patron);
}

let answeredAt = 0;
/** So long after the last answer here a card is looked at again, in milliseconds: what scans change they tell themselves. */
const quiet = 1500;

/** Looks at the open card again since something has changed at the branch, as soon as scanning pauses. */
export async function keepUp(patron: number) {
  while (mine().some(open) || Date.now() - answeredAt < quiet) await new Promise((go) => setTimeout(go, quiet / 3));
  await lookAgain(patron);
  return Date.now();
}

/** The card with one loan as it is now, new or changed. */
export function withLine(card: CardOf, line: Schema["PeopleLine"]): CardOf {
  const known = card.on_loan.some((l) => l.loan_id === line.loan_id);
  const on_loan = known ? card.on_loan.map((l) => (l.loan_id === line.loan_id ? line : l)) : [...card.on_loan, line];
  return { ...card, on_loan, loans: card.loans + (known ? 0 : 1) };
}

/** The card without one loan. */
export const withoutLoan = (card: CardOf, loan: number): CardOf => ({
  ...card,
  on_loan: card.on_loan.filter((l) => l.loan_id !== loan),
  loans: card.loans - (card.on_loan.some((l) => l.loan_id === loan) ? 1 : 0),
});

interface Given {
  patron?: number;
  past?: Result["stops"];
  reason?: string;
  /** It was said that what is staged counts. */
  count?: boolean;
  missing?: string;
  fetch?: boolean;
  /** It is returned first from who still has it. */
  back?: boolean;
  /** It has been returned. */
  took?: Took;
  /** How many parts a pad has counted. */
  counted?: number;
}

/** Whose a scan is, and by what name. */
interface Whose {
  id?: number;
  name?: string;
}

// A window that is gone had a patron open, and perhaps scanned further cards; none of that changes the desk of this one.
let gone: Whose & { window?: string } = {};

/** Whose a scan of a window that is gone is: of the card before it there, or of the patron who was open. */
async function whoseLeft(scan: Scan, send: Send): Promise<Whose> {
  if (gone.window !== scan.adopted) gone = { window: scan.adopted, id: Number(scan.session) || undefined };
  const { id } = gone;
  if (id && !gone.name)
    gone.name = (await send(() => api.GET("/api/patrons/{id}", { params: { path: { id } } }), "apart")).name;
  return gone;
}

/** Whose a scan made here is. One right after a card that was not taken was meant for another than the open one. */
function whoseHere(scan: Scan): Whose {
  const { card, doubt } = desk.getState();
  return scan.at <= doubt ? {} : { id: card?.id, name: card?.name };
}

/** Takes in who has come, or that it is not known who. */
function came(scan: Scan, card?: CardOf) {
  if (scan.adopted) {
    gone = { window: scan.adopted, id: card?.id, name: card?.name };
    return;
  }
  if (!card) {
    desk.setState({ doubt: Date.now() });
    return;
  }
  const another = card.id !== desk.getState().card?.id;
  if (another) leave(scan.at);
  desk.setState({ card, found: undefined, doubt: 0 });
}

async function take(scan: Scan, send: Send): Promise<Outcome> {
  if (scan.what === "finish") {
    if (scan.adopted) gone = { window: scan.adopted };
    else leave(scan.at, (scan.given as { gives?: Gives }).gives);
    return { state: "done", gone: true };
  }
  const given = scan.given as Given;
  const whose = scan.adopted ? await whoseLeft(scan, send) : whoseHere(scan);
  const patron = given.patron ?? whose.id;
  const { name } = whose;
  const took = given.back ? await takeBack(scan, send) : given.took;
  const result = await send((key) =>
    api.POST("/api/desk/scan", {
      params: { header: keyed(key) },
      headers: madeAt(scan.branch),
      body: {
        text: scan.text,
        patron,
        past: given.past,
        reason: given.reason,
        missing: given.missing,
        fetch: given.fetch,
        counted: given.counted,
        try: stages() && !given.count && !scan.adopted ? true : undefined,
      },
    }),
  );
  if (result.kind === "several") {
    for (const code of result.several ?? []) add("desk", code);
    return { state: "done", gone: true };
  }
  if (result.kind === "card" && result.card) {
    came(scan, result.card);
    return { state: "done", gone: true };
  }
  if (result.kind === "found") {
    if (!scan.adopted)
      desk.setState({
        found: { words: scan.text, rows: result.found ?? [], more: result.more ?? "", copies: result.copies ?? [] },
      });
    return { state: "ask", gone: true };
  }
  if (result.kind === "wrong" && result.meant === "card") came(scan);
  if (result.line && result.kind === "lent") {
    const lent = result.line;
    changeCard(result.patron, (c) => withLine(c, lent));
    secure([scan.text, lent.barcode], false, lent.title);
  }
  if (result.stale) void lookAgain(result.patron);
  const line: Line = { result, patron: result.patron ?? patron, whose: patron === whose.id ? name : undefined, took };
  const doubtful = !patron && !scan.adopted && desk.getState().card !== undefined;
  return {
    state: result.kind === "lent" || result.kind === "staged" ? "done" : result.kind === "ask" ? "ask" : "wrong",
    says:
      doubtful && result.meant === "item"
        ? "Scanned after a card that was not accepted, so it was not lent. Scan the card, then this item again."
        : "",
    result: line,
  };
}

/**
 * Takes an item back from who still has it, into the run of patrons who are here; what that charges stays on their account. Its keys
 * follow from the scan's: sent again after a crash, it is not returned from who has borrowed it since.
 */
async function takeBack(scan: Scan, send: Send) {
  const branch = scan.branch ?? "";
  const run = await send((key) => openRun(`${branch}|patron|`, key), "apart");
  const to = (step: string) => ({
    params: { path: { id: run.id }, header: keyed(`${scan.key} ${step}`) },
    headers: madeAt(branch),
  });
  const came = await send(() => api.POST("/api/returns/{id}/scan", { ...to("back"), body: { text: scan.text } }));
  changed(came);
  for (const { patron_id: patron } of came.open)
    changed(await send(() => api.POST("/api/returns/{id}/account", { ...to(`account ${patron}`), body: { patron } })));
  const line = came.lines.find((l) => l.item_id !== undefined);
  const took: Took | undefined = line && { from: line.patron ?? "", fine: line.fine, sign: line.sign };
  change(scan.id, { given: { ...scan.given, back: undefined, took } }); // tried again, it is not returned once more
  return took;
}

takers.set("desk", {
  session: () => String(desk.getState().card?.id ?? ""),
  take: (scan, send) =>
    take(scan, send).finally(() => {
      answeredAt = Date.now();
    }),
  settled: (scan) => {
    if (scan.what === "scan") sound(scan);
  },
});

/** Answers an ask. What was seen before stays gone past, should a further question come up. */
export function answer(scan: Scan, choice: Schema["DeskChoice"], reason: string) {
  const line = lineOf(scan);
  if (!line) return;
  if (choice.answer === "leave") {
    change(scan.id, {
      state: "wrong",
      says: "Not lent.",
      result: { ...line, result: { ...line.result, kind: "refused" } },
    });
    return;
  }
  const given: Given = { ...scan.given, back: undefined }; // returned once, it is asked about anew
  if (choice.answer === "back") {
    again(scan.id, { ...given, patron: line.patron, back: true });
    return;
  }
  if (choice.answer === "fetch") {
    again(scan.id, { ...given, patron: given.patron ?? line.patron, fetch: true, count: true });
    return;
  }
  const past = [...(given.past ?? []), ...(line.result.stops ?? [])];
  if (choice.answer === "missing") again(scan.id, { ...given, patron: line.patron, past, missing: reason });
  else again(scan.id, { ...given, patron: line.patron, past, reason: reason || given.reason });
}

/** Whether loans are reviewed before they are made: as chosen for this patron, at this station, or by the branch's setting. */
export const stages = () => desk.getState().staging ?? stagesHere() ?? who.getState().me?.counter.staged ?? false;
export const stageForPatron = (staging: boolean) => desk.setState({ staging });

/** What is staged for somebody: it would be lent, and does not count yet. */
export const staged = (lines: Scan[], patron?: number) =>
  lines.filter((s) => s.state === "done" && lineOf(s)?.result.kind === "staged" && lineOf(s)?.patron === patron);

/** Says that what is staged counts. */
export function count(scans: Scan[]) {
  for (const s of [...scans].reverse()) again(s.id, { ...s.given, patron: lineOf(s)?.patron, count: true });
}

/** Drops something before it counts. */
export const dropStaged = (scan: Scan) => drop((s) => s.id === scan.id);

/** Undoes a loan just made. */
export async function undo(scan: Scan) {
  const line = lineOf(scan);
  const loan = line?.result.line?.loan_id;
  if (!line || !loan) return;
  const title = titleOf(scan);
  const undone = await write(`undo ${loan}`, `Undoing the loan of ${title}`, (key) =>
    api.POST("/api/loans/{id}/undo", { params: { path: { id: loan }, header: keyed(key) } }),
  );
  if (!undone) {
    play("wrong");
    return;
  }
  play("done");
  change(scan.id, { result: { ...line, undone: true } });
  secure([scan.text, line.result.line?.barcode], true, title);
  changeCard(undone.answer.patron, (c) => withoutLoan(c, loan));
  if (undone.answer.stale) void lookAgain(undone.answer.patron);
}

/** Done with this patron, once everything scanned is answered. What is staged is lent first. */
export const finish = (gives?: Gives) => {
  if (mine().some((s) => s.what === "finish")) return;
  count(staged(mine(), desk.getState().card?.id).reverse());
  add("desk", "", { what: "finish", given: gives ? { gives } : {} });
};

export const openCard = (number: string) => add("desk", number);
export const seenLeft = () => desk.setState({ left: undefined });
export const closeFound = () => desk.setState({ found: undefined });

/** Forgets one patron: their card, and what was lent to them here. */
export function forgetPatron(patron: number) {
  drop((s) => answered(s) && lineOf(s)?.patron === patron);
  desk.setState(({ card, left, unsent = [] }) => ({
    ...(card?.id === patron && { card: undefined, found: undefined, staging: undefined }),
    ...(card?.id === patron || left?.patron === patron ? { left: undefined } : {}),
    unsent: unsent.filter((u) => u.id !== patron),
  }));
}

/** Forgets everybody, when somebody signs out. */
export function clear() {
  drop(answered);
  desk.setState({ doubt: 0 }, true);
}
