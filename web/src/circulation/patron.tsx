import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState, type ReactNode } from "react";
import { createPortal } from "react-dom";
import { api, keyed, told, type Schema } from "../api/client";
import { useCardPayments } from "./atterminal";
import { AtAScan } from "./atscan";
import { Loans } from "./loans";
import { Loading } from "../ui/loading";
import { useMe } from "../shell/me";
import { Button, Card, Quiet, Trouble } from "../ui/parts";
import { isEmployed } from "../shell/places";
import { sayMoney } from "../ui/say";
import { Settle } from "./settle";
import { spaced } from "./sign";
import type { PatronCardProps } from "./types";
import { useWrite } from "../shell/write";

type CardOf = Schema["PeopleCard"];

/** Who this is, what stops them, what they owe and have, at a glance. */
export function PatronCard({
  card,
  onCard,
  onStale,
  payIn,
  onRecord,
}: PatronCardProps & {
  /** Where there is more room for a payment than on the card itself. */
  payIn?: Element | null;
  /** On the page of the record, which shows loans, holds and history beside the card, and how to reach them on it. */
  onRecord?: boolean;
}) {
  const [paying, setPaying] = useState<"own" | "household">();
  const [opened, setOpened] = useState(false); // by hand, not by a payment that waits at the terminal
  const atTerminal = useCardPayments().some((p) => p.patrons.includes(card.id));
  if (atTerminal && !paying) setPaying("own");
  const [showLoans, setShowLoans] = useState(false);
  const me = useMe();
  const may = isEmployed(me.role);
  const extend = useWrite(
    (id: number, key) => api.POST("/api/patrons/{id}/extend", { params: { path: { id }, header: keyed(key) } }),
    { name: `extend ${card.id}`, about: `Renewing the card of ${card.name}`, done: onCard },
  );
  const payment =
    paying === "own" ? (
      <Settle key={card.id} of={[card]} focused={opened} onSettled={onStale} />
    ) : (
      paying === "household" && <SettleAll key={card.id} card={card} onSettled={onStale} />
    );
  return (
    <Card label="Patron">
      <Who card={card} />
      {card.stops.length > 0 && (
        <div role="alert" className="border-b border-line bg-buoy-100 px-3.5 py-2 text-buoy-700">
          <ul>
            {card.stops.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </div>
      )}
      {may && (
        <div className="px-3.5 pt-2 text-sm empty:hidden">
          <AtAScan card={card} onCard={onCard} />
        </div>
      )}
      <Facts card={card} onRecord={onRecord} showLoans={showLoans} onShowLoans={setShowLoans} />
      {card.extension && may && (
        <p className="flex flex-wrap items-center gap-2 border-t border-line px-3.5 py-2.5 text-sm">
          <span className="flex-1">The card can be renewed {card.extension}.</span>
          <Button plain busy={extend.busy} onClick={() => extend.run(card.id)}>
            Renew card
          </Button>
        </p>
      )}
      <Trouble error={extend.problem} />
      {showLoans && <Loans card={card} onCard={onCard} onStale={onStale} />}
      <div className="flex flex-wrap gap-2 px-3.5 pt-2 pb-3.5">
        {card.charges.length > 0 && may && (
          <Button
            plain
            aria-expanded={paying === "own"}
            onClick={() => {
              setOpened(true);
              setPaying(paying === "own" ? undefined : "own");
            }}
          >
            Pay or waive
          </Button>
        )}
        {card.household !== "" && may && (
          <Button
            plain
            aria-expanded={paying === "household"}
            onClick={() => setPaying(paying === "household" ? undefined : "household")}
          >
            Pay for the household
          </Button>
        )}
        {may && !onRecord && (
          <Link to="/patrons" search={{ patron: card.id }} className="link self-center">
            Open record
          </Link>
        )}
      </div>
      {payIn ? createPortal(payment && <Card label="Payment">{payment}</Card>, payIn) : payment}
    </Card>
  );
}

/** One pays for everybody of the household who owes something. */
function SettleAll({ card, onSettled }: { card: CardOf; onSettled: () => void }) {
  const others = useQuery({
    queryKey: ["household charges", card.id],
    queryFn: () => told(api.GET("/api/patrons/{id}/household-charges", { params: { path: { id: card.id } } })),
  });
  return (
    <Loading of={others} lines={3}>
      {({ rows }) => {
        const of = [card, ...rows].filter((d) => d.charges.length > 0);
        return (
          <>
            {of.length === 0 && (
              <p className="border-t border-line p-3.5 text-ink-2">Nobody in the household owes anything.</p>
            )}
            <Settle
              of={of}
              onSettled={() => {
                onSettled();
                void others.refetch();
              }}
            />
          </>
        );
      }}
    </Loading>
  );
}

function Who({ card }: { card: CardOf }) {
  return (
    <div className="flex gap-3 border-b border-line p-3.5">
      {card.picture ? (
        <img
          src={card.picture}
          alt={`Photograph of ${card.name}`}
          className="h-[4.5rem] w-14 flex-none rounded object-cover"
        />
      ) : (
        <div
          aria-hidden
          className="grid size-14 flex-none place-items-center rounded bg-sunk text-xl font-bold text-ink-2"
        >
          {card.initials}
        </div>
      )}
      <div className="min-w-0">
        <h1 className="text-lg leading-tight font-semibold">{card.name}</h1>
        <p className="font-mono text-sm">{spaced(card.card)}</p>
        <p className="text-ink-2">
          {card.reduced ? "Only desk staff see the rest of this record" : card.class}
          {card.age !== undefined && `, ${card.age}`}
          {card.card_until && `. Card to ${card.card_until}`}
        </p>
      </div>
    </div>
  );
}

function Facts({
  card,
  onRecord,
  showLoans,
  onShowLoans,
}: {
  card: CardOf;
  onRecord?: boolean;
  showLoans: boolean;
  onShowLoans: (show: boolean) => void;
}) {
  const late = card.on_loan.filter((l) => l.late).length;
  const ready = card.holds.filter((h) => h.state === "ready").length;
  const me = useMe();
  return (
    <dl className="grid grid-cols-[104px_1fr] gap-y-1 px-3.5 py-3 text-sm">
      <Row name="Home branch">{card.branch}</Row>
      {card.household && (
        <Row name="Household">
          <Link to="/patrons" search={{ patron: card.id, group: "record" }} className="link">
            {card.household}
          </Link>
        </Row>
      )}
      {card.may_use.length > 0 && <Row name="Also uses it">{card.may_use.join(", ")}</Row>}
      {card.older_reader !== undefined && (
        <Row name="Older-reader">{card.older_reader ? "Guardian consented" : <b>Guardian refused</b>}</Row>
      )}
      <Row name="On loan">
        {card.loans}
        {late > 0 && <b className="text-buoy-700">, {late} late</b>}{" "}
        {card.on_loan.length > 0 && !onRecord && (
          <Quiet aria-expanded={showLoans} onClick={() => onShowLoans(!showLoans)}>
            {showLoans ? "hide" : card.reduced ? "show what is late or was lent today" : "show"}
          </Quiet>
        )}
      </Row>
      <Row name="Owes">
        <b className="font-semibold tabular-nums">{sayMoney(card.owes)}</b>
        {card.owed_limit && ` of ${sayMoney(card.owed_limit)} limit`}
        {card.accrues && <span className="block text-buoy-700">and {sayMoney(card.accrues)} in fines so far</span>}
        {card.refunds && (
          <Link to="/money" search={{ tab: "back" }} className="link block w-fit">
            {sayMoney(card.refunds)} to refund
          </Link>
        )}
      </Row>
      <Row name="Holds">
        {card.reduced ? (
          <b>{ready} ready here</b>
        ) : (
          <>
            {card.holds.length - ready} waiting{ready > 0 && <b>, {ready} ready</b>}
            {isEmployed(me.role) && !onRecord && (
              <Link to="/holds" search={{ patron: card.id }} className="link block w-fit">
                Place hold
              </Link>
            )}
          </>
        )}
      </Row>
      {card.claims.returned + card.claims.never_had > 0 && (
        <Row name="Claims">
          {[
            card.claims.returned > 0 && `returned: ${card.claims.returned}`,
            card.claims.never_had > 0 && `never had: ${card.claims.never_had}`,
          ]
            .filter(Boolean)
            .join(", ")}
        </Row>
      )}
      {!card.reduced && <Row name="Notify by">{tellBy(card)}</Row>}
      {onRecord && !card.reduced && (
        <>
          {card.legal_name !== card.name && <Row name="Legal name">{card.legal_name}</Row>}
          {card.address && <Row name="Address">{card.address}</Row>}
          {card.phone && <Row name="Phone">{card.phone}</Row>}
          {card.email && tellBy(card) !== card.email && <Row name="Email">{card.email}</Row>}
        </>
      )}
    </dl>
  );
}

const ways: Record<string, (c: CardOf) => string> = {
  mail: (c) => c.email,
  phone: (c) => `phone, ${c.phone}`,
  letter: () => "letter",
  none: () => "no hold notices",
};

/** By what way they are told of what is ready for them. */
function tellBy(card: CardOf) {
  const way = card.ways.hold_ready || (card.email ? "mail" : "");
  return ways[way]?.(card) ?? "No email address";
}

function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-ink-2">{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}
