import { useEffect, useState } from "react";
import clsx from "clsx";
import { useStore } from "zustand";
import { announce } from "../../ui/announce";
import { Ask } from "../../shell/ask";
import { AtTerminal, useCardPayments, useTerminalHere } from "../../circulation/atterminal";
import { useMe } from "../../shell/me";
import { PadBar } from "../../circulation/pad/bar";
import { api, keyed, type Schema } from "../../api/client";
import { RenewedLoans } from "../../circulation/loans";
import { Button, Card, Empty, Head, Quiet, Scrolled, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { useChosen } from "../../shell/settings";
import { isEmployed } from "../../shell/places";
import { plural, sayCount, sayMoney, toFigures, toMinor } from "../../ui/say";
import { intoFoundBelow } from "../../circulation/found";
import { usePrompt, emptyScanLine, toScanLine } from "../../shell/scan";
import { strike, useFinishing, useScans, type Scan } from "../../shell/scans/scans";
import { Why } from "../../shell/why";
import { Found } from "./Found";
import { PatronCard } from "./PatronCard";
import {
  answer,
  changeCard,
  closeFound,
  count,
  desk,
  dismiss,
  dropStaged,
  finish,
  lineOf,
  openCard,
  seenLeft,
  send,
  staged,
  stageForPatron,
  stages,
  titleOf,
  type CardOf,
} from "./session";
import { TapeLine } from "./TapeLine";

/** The desk: a card, then items, one after another. Scans are taken in order and never stop for a question. */
export function DeskPlace() {
  const { card, found } = useStore(desk);
  const [payIn, setPayIn] = useState<HTMLElement | null>(null);
  const lines = useScans("desk").filter((s) => s.what === "scan");
  const asks = lines.filter((s) => s.state === "ask").reverse();
  const byName = isEmployed(useMe().role);
  const begin = byName ? "Scan a card, or type a name" : "Scan a card";
  usePrompt(card ? `Scan an item to lend to ${card.name.split(" ")[0]}, or another card` : begin);
  useEffect(() => {
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <div className="grid gap-3.5">
      {!card && (
        <Head title="Desk" says={`Scan a card to begin${byName ? ", or type a name to find the patron" : ""}.`} />
      )}
      <LeftBehind />
      <NotSent />
      <StillPays patron={card?.id} />
      <PadBar taker="desk" ready={card !== undefined} waits="Scan the card to lend the items on the pad." />
      {/* The columns go by the room there is: an open why takes some of it, and the tape keeps enough. */}
      <div className="@container">
        <div
          className={clsx(
            "grid items-start gap-3.5",
            card && "@[34rem]:grid-cols-[260px_minmax(0,1fr)] @4xl:grid-cols-[286px_minmax(0,1fr)_262px]",
          )}
        >
          {card && <title>{`Desk, ${card.name} – Nevrin`}</title>}
          {card && (
            <div className="order-2 @[34rem]:order-none @4xl:order-1">
              <PatronCard card={card} payIn={payIn} />
            </div>
          )}
          <div className="order-1 grid gap-3.5 @[34rem]:order-none @4xl:order-2">
            {found && <Found key={found.words} found={found} onOpen={(f) => openCard(f.card)} />}
            <div ref={setPayIn} className="empty:hidden" />
            {asks.map((s) => (
              <AskOf key={s.id} scan={s} />
            ))}
            <Staged lines={staged(lines, card?.id)} />
            <Tape lines={lines} card={card} />
          </div>
          {card && (
            <div className="order-3 @[34rem]:order-none @[34rem]:col-span-2 @4xl:order-3 @4xl:col-span-1">
              <Tell key={card.id} card={card} />
            </div>
          )}
        </div>
      </div>
    </div>
  );
}

/** Ctrl Enter is done with the patron; Esc closes the list of patrons found, and the arrow and Enter on an empty line go into it. */
function onKey(e: KeyboardEvent) {
  if (e.defaultPrevented) return;
  const { found } = desk.getState();
  if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) {
    e.preventDefault();
    finish();
  } else if (!found) return;
  else if (e.key === "Escape") {
    closeFound();
    toScanLine();
  } else if (emptyScanLine(e.target)) intoFoundBelow(e);
}

/** What stands in the way of a loan, and the ways to go. */
function AskOf({ scan }: { scan: Scan }) {
  const line = lineOf(scan);
  if (!line) return null;
  const { result } = line;
  return (
    <Ask
      id={scan.id}
      since={scan.at}
      says={`${titleOf(scan)}. ${result.text}`}
      answers={(result.asks ?? []).map((c) => ({
        label: c.label,
        reason: c.reason,
        give: (reason) => answer(scan, c, reason),
      }))}
    >
      <b className="font-semibold">{titleOf(scan)}</b>
      {line.whose && <span className="text-ink-2"> for {line.whose}</span>}
      <p>
        {result.text} <Why trace={result.why}>Why</Why>
      </p>
    </Ask>
  );
}

function Tape({ lines, card }: { lines: Scan[]; card?: CardOf }) {
  const newest = lines[0];
  const text = newest && lineOf(newest)?.result.text;
  useEffect(() => {
    if (newest && newest.state !== "ask" && text) announce(`${titleOf(newest)}. ${text}`);
  }, [newest, text]);
  return (
    <Card label="Scanned items">
      {card && (
        <p className="border-b border-line px-3.5 py-2 md:hidden">
          <b className="font-semibold">{card.name}</b>, {card.loans} on loan, owes {sayMoney(card.owes)}
          {card.stops.length > 0 && <span className="block text-buoy-700">{card.stops.join(" ")}</span>}
        </p>
      )}
      <ul className="divide-y divide-line">
        {lines.map((s) => (
          <TapeLine key={s.id} scan={s} patron={card?.id} />
        ))}
        {lines.length === 0 && (
          <li>
            <Empty>
              {card
                ? `Nothing scanned yet. Items you scan now are lent to ${card.name}.`
                : "Scans appear here, newest first."}
            </Empty>
          </li>
        )}
      </ul>
    </Card>
  );
}

/** What would be lent, until somebody says that it is. */
function Staged({ lines }: { lines: Scan[] }) {
  if (lines.length === 0) return null;
  return (
    <Card label="To review" className="flex flex-wrap items-center gap-3 border-l-4 border-l-amber-500 px-4 py-2.5">
      <b className="flex-1 font-semibold">{sayItems(lines.length)} to review, not lent yet</b>
      <Quiet onClick={() => lines.forEach(dropStaged)}>Remove {plural(lines.length, "it", "all")}</Quiet>
      <Button onClick={() => count(lines)}>Lend {sayItems(lines.length)}</Button>
    </Card>
  );
}

const sayItems = (n: number) => sayCount(n, "item");

/** Card payments of others that still wait at this station's terminal, where the next person might pay them. */
function StillPays({ patron }: { patron?: number }) {
  const here = useTerminalHere();
  const others = useCardPayments().filter((p) => p.station === here && (!patron || !p.patrons.includes(patron)));
  if (others.length === 0) return null;
  return (
    <Card label="Card payments of others" className="grid gap-2 px-4 py-2.5">
      <b className="font-semibold">Still at this terminal, for another patron</b>
      {others.map((p) => (
        <AtTerminal key={p.id} id={p.id} onEnded={() => {}} />
      ))}
    </Card>
  );
}

/** Slips and emails of what was lent that did not go out, until they do or are dismissed. */
function NotSent() {
  const unsent = useStore(desk, (d) => d.unsent) ?? [];
  if (unsent.length === 0) return null;
  return (
    <Card label="Not sent" className="grid gap-1.5 border-l-4 border-l-buoy-500 px-4 py-2.5">
      {unsent.map((u) => (
        <p key={`${u.what} ${u.id} ${u.since}`} className="flex flex-wrap items-baseline gap-x-3">
          <span className="min-w-64 flex-1">
            <b className="font-semibold">
              {u.what === "slip" ? "Slip not printed" : "Email not sent"}: {u.name}.
            </b>{" "}
            {u.says}
          </span>
          <Quiet onClick={() => void send(u)}>Retry</Quiet>
          {u.what === "mail" && (
            <Quiet
              onClick={() => {
                dismiss(u);
                void send({ ...u, what: "slip" });
              }}
            >
              Print a slip instead
            </Quiet>
          )}
          <Quiet onClick={() => dismiss(u)}>Dismiss</Quiet>
        </p>
      ))}
    </Card>
  );
}

/** What was not lent to the patron before, told until it is seen. */
function LeftBehind() {
  const { left } = useStore(desk);
  if (!left) return null;
  return (
    <Card
      label="From the previous patron"
      className="flex flex-wrap items-start gap-x-4 gap-y-2 border-l-4 border-l-amber-500 px-4 py-2.5"
    >
      <div className="min-w-64 flex-1">
        <b className="font-semibold">
          {left.name || "Previous patron"}: {left.lent > 0 && `${left.lent} more lent`}
          {left.lent > 0 && left.lines.length > 0 && ", "}
          {left.lines.length > 0 && `${left.lines.length} not lent`}
        </b>
        <ul>
          {left.lines.map((l, k) => (
            <li key={k}>
              {l.title}: <span className="text-ink-2">{l.says}</span>
            </li>
          ))}
        </ul>
      </div>
      {left.card && (
        <Button
          plain
          onClick={() => {
            seenLeft();
            openCard(left.card);
          }}
        >
          Open {left.name.split(" ")[0]} again
        </Button>
      )}
      <Button onClick={seenLeft}>Dismiss</Button>
    </Card>
  );
}

/** What is late can be renewed where it is told: all of it at once, each with its answer. */
function RenewLate({ card }: { card: CardOf }) {
  const lines = card.on_loan.filter((l) => l.late && !l.lost);
  const late = lines.map((l) => l.loan_id);
  const costs = sayFigures(lines.reduce((sum, l) => sum + (toMinor(l.accrues || "0") ?? 0), 0));
  const renew = useWrite(
    (loans: number[], key) =>
      api.POST("/api/patrons/{id}/renew", { params: { path: { id: card.id }, header: keyed(key) }, body: { loans } }),
    {
      name: `renew late ${card.id}`,
      about: `Renewing late items of ${card.name}`,
      done: (r) => {
        setSaid(r);
        const fresh = r.card;
        if (fresh) changeCard(card.id, () => fresh);
      },
    },
  );
  const [said, setSaid] = useState<Schema["DeskRenewedMany"]>();
  if (late.length === 0 && !said) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-3.5 py-2 text-sm">
      {late.length > 0 && (
        <Quiet disabled={renew.busy} onClick={() => renew.run(late)}>
          Renew late items ({late.length}
          {costs && `, charges up to ${costs}`})
        </Quiet>
      )}
      {said && <RenewedLoans of={said} />}
      <Trouble error={renew.problem} />
    </div>
  );
}

const sayFigures = (minor: number) => (minor > 0 ? sayMoney(toFigures(minor)) : "");

const homes = [
  ["slip", "Slip"],
  ["mail", "Email"],
  ["both", "Both"],
] as const;

/** The end of it, and what the patron takes home: as settled or chosen, else asked here, once. */
function TakesHome({ card, busy }: { card: CardOf; busy: boolean }) {
  const toLend = staged(useScans("desk"), card.id).length;
  const chosen = useStore(desk, (d) => d.staging);
  const on = useChosen(stages);
  const done = toLend > 0 ? `Lend ${sayItems(toLend)}, done` : "Done";
  return (
    <>
      <label className="flex cursor-pointer items-center gap-2 text-sm">
        <input type="checkbox" checked={chosen ?? on} onChange={(e) => stageForPatron(e.target.checked)} />
        Review before lending
      </label>
      <Button hint="Ctrl Enter" busy={busy} onClick={() => finish()}>
        {card.gives === "ask" || card.gives === "none"
          ? done
          : `${done}, with ${card.gives === "both" ? "slip and email" : card.gives}`}
      </Button>
      {card.gives === "ask" && (
        <p className="flex flex-wrap items-center gap-x-3 text-sm text-ink-2">
          Or finish with{" "}
          {homes
            .filter(([what]) => what === "slip" || card.email !== "")
            .map(([what, name]) => (
              <Quiet key={what} disabled={busy} onClick={() => finish(what)}>
                {name}
              </Quiet>
            ))}
        </p>
      )}
    </>
  );
}

const tellLooks: Record<string, string> = {
  late: "border-l-buoy-500",
  ready: "border-l-amber-500",
  coming: "border-l-tide-500",
  note: "border-l-line-strong",
};

/** What to tell the patron, and the end of it. */
function Tell({ card }: { card: CardOf }) {
  const { end, before } = useFinishing("desk");
  return (
    <Card label={`Tell ${card.name}`}>
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">Tell {card.name.split(" ")[0]}</h2>
      <RenewLate card={card} />
      <Scrolled label="What to tell" className="max-h-[55vh]">
        <ul>
          {card.tells.map((t) => (
            <li
              key={t.head + t.text}
              className={`border-b border-l-4 border-b-line px-3.5 py-2.5 ${tellLooks[t.tone]}`}
            >
              <b className="font-semibold">{t.head}</b>
              <p className="text-sm text-ink-2">{t.text}</p>
            </li>
          ))}
          {card.tells.length === 0 && <li className="px-4 py-3 text-ink-2">Nothing late, nothing waiting.</li>}
        </ul>
      </Scrolled>
      <div className="grid justify-items-start gap-1.5 p-3.5">
        <TakesHome card={card} busy={!!end} />
        {end && (
          <p role="status" className="text-sm text-ink-2">
            Done as soon as {sayCount(before, "scan is", "scans are")} answered.{" "}
            <Quiet onClick={() => strike(end.id)}>Keep going</Quiet>
          </p>
        )}
      </div>
    </Card>
  );
}
