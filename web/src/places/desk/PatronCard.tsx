import { Link } from "@tanstack/react-router";
import { useState, type ReactNode } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { Button, Card, Quiet, Trouble } from "../../kit/parts";
import { spaced } from "../../kit/sign";
import { Why } from "../../kit/why";
import { Settle } from "./Settle";

type CardOf = Schema["PeopleCard"];

/** Who this is, what stops them, what they owe and have, at a glance. A change without a card asks for it anew. */
export function PatronCard({ card, onChange }: { card: CardOf; onChange: (c?: CardOf) => void }) {
  const [paying, setPaying] = useState(false);
  const [showLoans, setShowLoans] = useState(false);
  const me = useMe().data!;
  const [error, setError] = useState<unknown>();
  const extend = () =>
    told(api.POST("/api/patrons/{id}/extend", { params: { path: { id: card.id }, header: newKey() } })).then((c) => {
      setError(undefined);
      onChange(c);
    }, setError);
  const late = card.on_loan!.filter((l) => l.late).length;
  const ready = card.holds!.filter((h) => h.state === "ready").length;
  return (
    <Card label="Patron">
      <div className="flex gap-3 border-b border-line p-3.5">
        <div
          aria-hidden
          className="grid size-14 flex-none place-items-center rounded bg-sunk text-xl font-bold text-ink-2"
        >
          {card.initials}
        </div>
        <div className="min-w-0">
          <h1 className="text-lg leading-tight font-semibold">{card.name}</h1>
          <p className="font-mono text-sm">{spaced(card.card)}</p>
          <p className="text-ink-2">
            {card.class}
            {card.age !== undefined && `, ${card.age}`}
            {card.card_until && `. Card to ${card.card_until}`}
          </p>
        </div>
      </div>
      {card.stops!.length > 0 && (
        <ul role="alert" className="border-b border-line bg-buoy-100 px-3.5 py-2 text-buoy-700">
          {card.stops!.map((s) => (
            <li key={s}>{s}</li>
          ))}
        </ul>
      )}
      <dl className="grid grid-cols-[104px_1fr] gap-y-1 px-3.5 py-3 text-sm">
        <Row name="Home branch">{card.branch}</Row>
        {card.household && <Row name="Household">{card.household}</Row>}
        {card.older_reader !== undefined && (
          <Row name="Older-reader">{card.older_reader ? "Allowed by a guardian" : <b>Refused by a guardian</b>}</Row>
        )}
        <Row name="On loan">
          {card.on_loan!.length}
          {late > 0 && <b className="text-buoy-700">, {late} late</b>}{" "}
          {card.on_loan!.length > 0 && (
            <Quiet onClick={() => setShowLoans(!showLoans)}>{showLoans ? "hide" : "show"}</Quiet>
          )}
        </Row>
        <Row name="Owes">
          <b className="font-semibold tabular-nums">${card.owes}</b>
          {card.owed_limit && ` of $${card.owed_limit} limit`}
        </Row>
        <Row name="Holds">
          {card.holds!.length - ready} waiting{ready > 0 && <b>, {ready} ready</b>}
        </Row>
        <Row name="Tell by">{card.email || "No mail address"}</Row>
      </dl>
      {card.extension && me.role !== "volunteer" && (
        <p className="flex flex-wrap items-center gap-2 border-t border-line px-3.5 py-2.5 text-sm">
          <span className="flex-1">The card can be extended {card.extension}.</span>
          <Button plain onClick={() => void extend()}>
            Extend
          </Button>
        </p>
      )}
      <Trouble error={error} />
      {showLoans && <Loans card={card} onChange={onChange} />}
      <div className="flex flex-wrap gap-2 px-3.5 pb-3.5">
        {card.charges!.length > 0 && (
          <Button plain onClick={() => setPaying(!paying)}>
            Pay or waive
          </Button>
        )}
        <Link
          to="/patrons"
          search={{ patron: card.id }}
          className="self-center border-b border-dotted border-spruce-500 text-sm text-spruce-700"
        >
          History
        </Link>
      </div>
      {paying && card.charges!.length > 0 && <Settle card={card} onChange={onChange} />}
    </Card>
  );
}

function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-ink-2">{name}</dt>
      <dd className="min-w-0 truncate">{children}</dd>
    </>
  );
}

/** The card with one loan as it is now, new or changed. */
export function withLine(card: CardOf, line: Schema["PeopleLine"]): CardOf {
  const known = card.on_loan!.some((l) => l.loan_id === line.loan_id);
  const on_loan = known ? card.on_loan!.map((l) => (l.loan_id === line.loan_id ? line : l)) : [...card.on_loan!, line];
  return { ...card, on_loan };
}

/** The card without one loan. */
export function withoutLoan(card: CardOf, loan: number): CardOf {
  return { ...card, on_loan: card.on_loan!.filter((l) => l.loan_id !== loan) };
}

/** Loans with renewal, each refused or done with its why. */
export function Loans({ card, onChange }: { card: CardOf; onChange: (c?: CardOf) => void }) {
  const [said, setSaid] = useState<Record<number, Schema["DeskRenewed"]>>({});
  const [error, setError] = useState<unknown>();
  const renew = (loan: number) => {
    const key = newKey();
    return told(api.POST("/api/loans/{id}/renew", { params: { path: { id: loan }, header: key } }))
      .then((r) => {
        setSaid((s) => ({ ...s, [loan]: r }));
        if (r.ok) onChange(r.stale ? undefined : withLine(card, r.line!));
      })
      .catch(setError);
  };
  return (
    <div className="border-y border-line">
      <Trouble error={error} />
      <ul className="max-h-72 divide-y divide-line overflow-auto">
        {card.on_loan!.map((l) => (
          <li key={l.loan_id} className="px-3.5 py-2 text-sm">
            <b className="font-semibold">{l.title}</b>
            <p className={l.late ? "text-buoy-700" : "text-ink-2"}>
              Due {l.due}
              {l.lost ? `, lost since ${l.lost}` : l.late && ", late"} ·{" "}
              <Quiet onClick={() => void renew(l.loan_id)}>Renew</Quiet> ·{" "}
              <Link
                to="/rulebook"
                search={{ loan: l.loan_id }}
                className="border-b border-dotted border-spruce-500 text-spruce-700"
              >
                Terms
              </Link>
            </p>
            {said[l.loan_id] && (
              <p className={said[l.loan_id]!.ok ? "text-spruce-700" : "text-buoy-700"}>
                {said[l.loan_id]!.text} <Why trace={said[l.loan_id]!.why}>Why</Why>
              </p>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
