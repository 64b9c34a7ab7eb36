import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, type Schema } from "../api/client";
import { useMe } from "../shell/me";
import { Button, Quiet, Tag, Trouble, inputLook } from "../ui/parts";
import { isEmployed } from "../shell/places";
import { sayMoney } from "../ui/say";
import type { PatronCardProps } from "./types";
import { Why } from "../shell/why";
import { useWrite } from "../shell/write";
import { More } from "../ui/menu";
import { DateChoice } from "../ui/date";

type Line = Schema["PeopleLine"];

/** Loans with renewal, each refused or done with its why; several at once, all or those that are ticked. */
export function Loans(props: PatronCardProps) {
  const { card, onCard } = props;
  const me = useMe();
  const [ticked, setTicked] = useState<number[]>([]);
  const [setting, setSetting] = useState(false);
  const [said, setSaid] = useState<Schema["DeskRenewedMany"]>();
  const chosen = card.on_loan.filter((l) => ticked.includes(l.loan_id)).map((l) => l.loan_id);
  const renew = useWrite(
    (loans: number[], key) =>
      api.POST("/api/patrons/{id}/renew", {
        params: { path: { id: card.id }, header: keyed(key) },
        body: { loans: loans.length > 0 ? loans : undefined },
      }),
    {
      name: `renew all ${card.id}`,
      about: `Renewing for ${card.name}`,
      done: (r) => {
        setSaid(r);
        setTicked([]);
        if (r.card) onCard(r.card);
      },
    },
  );
  const tick = (id: number, on: boolean) => setTicked(on ? [...ticked, id] : ticked.filter((x) => x !== id));
  return (
    <div className="border-y border-line">
      {card.on_loan.length > 1 && (
        <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-3.5 py-2 text-sm">
          <Button plain busy={renew.busy} onClick={() => renew.run(chosen)}>
            {chosen.length > 0 ? `Renew ${chosen.length} selected` : `Renew all ${card.on_loan.length}`}
          </Button>
          {me.sets_due && chosen.length > 0 && (
            <Quiet aria-expanded={setting} onClick={() => setSetting(!setting)}>
              Set due date
            </Quiet>
          )}
          {card.accrues && <span className="text-buoy-700">Fine so far {sayMoney(card.accrues)}</span>}
          <Trouble error={renew.problem} />
          {said && <RenewedLoans of={said} />}
          {setting && chosen.length > 0 && (
            <SetDueOfMany
              card={card}
              loans={chosen}
              onCard={(c) => {
                setSetting(false);
                setTicked([]);
                onCard(c);
              }}
            />
          )}
        </div>
      )}
      <ul className="max-h-72 divide-y divide-line overflow-auto">
        {card.on_loan.map((l) => (
          <Loan
            key={l.loan_id}
            line={l}
            ticked={card.on_loan.length > 1 ? ticked.includes(l.loan_id) : undefined}
            onTick={(on) => tick(l.loan_id, on)}
            {...props}
          />
        ))}
      </ul>
    </div>
  );
}

/** What became of several renewals: in one sentence, and by loan with its new date and what is charged. */
export function RenewedLoans({ of }: { of: Schema["DeskRenewedMany"] }) {
  return (
    <div role="status" className="w-full">
      <p>{of.text}</p>
      <ul className="max-h-40 overflow-auto text-ink-2">
        {of.each.map((e) => (
          <li key={e.loan} className={e.ok ? "" : "text-buoy-700"}>
            <b className="font-semibold">{e.title}</b>: {e.text}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Another due date for several loans, set by hand: for all of them, or for none where one cannot be. */
function SetDueOfMany({ card, loans, onCard }: { card: CardOf; loans: number[]; onCard: (c: CardOf) => void }) {
  const set = useWrite(
    (body: Schema["DeskSettingMany"], key) =>
      api.POST("/api/patrons/{id}/due", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    { name: `due of many ${card.id}`, about: `Due dates of ${card.name}`, done: onCard },
  );
  return <DueFields start="" busy={set.busy} problem={set.problem} onSet={(v) => set.run({ loans, ...v })} />;
}

function Loan({
  line: l,
  card,
  ticked,
  onTick,
  onCard,
  onStale,
}: PatronCardProps & { line: Line; ticked?: boolean; onTick: (on: boolean) => void }) {
  const [said, setSaid] = useState<Schema["DeskRenewed"]>();
  const renew = useWrite(
    (id: number, key) => api.POST("/api/loans/{id}/renew", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `renew ${l.loan_id}`,
      about: `Renewing ${l.title}`,
      done: (r) => {
        setSaid(r);
        if (!r.ok) return;
        const line = r.line;
        if (r.stale || !line) onStale();
        else onCard({ ...card, on_loan: card.on_loan.map((x) => (x.loan_id === line.loan_id ? line : x)) });
      },
    },
  );
  return (
    <li className="px-3.5 py-2 text-sm">
      <div className="flex flex-wrap items-start gap-2">
        {ticked !== undefined && (
          <input
            type="checkbox"
            aria-label={`Select ${l.title}`}
            className="mt-1"
            checked={ticked}
            onChange={(e) => onTick(e.target.checked)}
          />
        )}
        <div className="min-w-0 flex-1">
          <b className="font-semibold">{l.title}</b>
          <p className={l.late ? "text-buoy-700" : "text-ink-2"}>
            Due {l.due}
            {l.lost ? `, lost since ${l.lost}` : l.late && ", late"}
            {l.accrues && `, ${sayMoney(l.accrues)} so far`}
          </p>
        </div>
        <Button small plain busy={renew.busy} onClick={() => renew.run(l.loan_id)}>
          Renew
        </Button>
        <LoanActs line={l} card={card} onCard={onCard} />
      </div>
      <Trouble error={renew.problem} />
      {said && (
        <p role="status" className={said.ok ? "text-spruce-700" : "text-buoy-700"}>
          {said.text} <Why trace={said.why}>Why</Why>
        </p>
      )}
    </li>
  );
}

type CardOf = PatronCardProps["card"];

const claims = { returned: "Claims returned", never_had: "Claims never had it" } as const;

/** What else can be done with a loan: what the patron says of it is written down, and the due date set by who may. */
function LoanActs({ line: l, card, onCard }: { line: Line; card: CardOf; onCard: (c: CardOf) => void }) {
  const me = useMe();
  const navigate = useNavigate();
  const [setting, setSetting] = useState(false);
  const path = { params: { path: { id: l.loan_id } } };
  const claim = useWrite(
    (what: "returned" | "never_had", key) =>
      api.POST("/api/loans/{id}/claim", { params: { ...path.params, header: keyed(key) }, body: { what } }),
    { name: `claim ${l.loan_id}`, about: `Claim of ${card.name} about ${l.title}`, done: onCard },
  );
  const unclaim = useWrite(
    (_: undefined, key) => api.POST("/api/loans/{id}/unclaim", { params: { ...path.params, header: keyed(key) } }),
    { name: `claim ${l.loan_id}`, about: `Claim of ${card.name} about ${l.title}`, done: onCard },
  );
  const may = isEmployed(me.role) && !card.reduced;
  const saysOf = (what: keyof typeof claims) => ({
    name: claims[what],
    disabled: claim.busy,
    run: () => claim.run(what),
  });
  return (
    <>
      <More
        of={l.title}
        acts={[
          may && me.sets_due && { name: "Set due date", run: () => setSetting(true) },
          ...(may && !l.claimed ? [saysOf("returned"), saysOf("never_had")] : []),
          may && !!l.claimed && { name: "Withdraw claim", disabled: unclaim.busy, run: () => unclaim.run(undefined) },
          { name: "Loan terms", run: () => void navigate({ to: "/rulebook", search: { loan: l.loan_id } }) },
        ]}
      />
      {(l.claimed || setting || !!(claim.problem ?? unclaim.problem)) && (
        <div className="basis-full">
          {l.claimed && (
            <Tag tone="amber">
              {claims[l.claimed]}, {l.claimed_since}
            </Tag>
          )}
          <Trouble error={claim.problem ?? unclaim.problem} />
          {setting && (
            <SetDue
              line={l}
              name={card.name}
              onLeave={() => setSetting(false)}
              onCard={(c) => {
                setSetting(false);
                onCard(c);
              }}
            />
          )}
        </div>
      )}
    </>
  );
}

function SetDue({
  line: l,
  name,
  onCard,
  onLeave,
}: {
  line: Line;
  name: string;
  onCard: (c: CardOf) => void;
  onLeave: () => void;
}) {
  const set = useWrite(
    (body: Schema["DeskSetting"], key) =>
      api.POST("/api/loans/{id}/due", { params: { path: { id: l.loan_id }, header: keyed(key) }, body }),
    { name: `due ${l.loan_id}`, about: `The due date of ${l.title} for ${name}`, done: onCard },
  );
  return (
    <DueFields
      start={l.due_exact.slice(0, 10)}
      busy={set.busy}
      problem={set.problem}
      onSet={set.run}
      onLeave={onLeave}
    />
  );
}

/** A due date with its reason. */
function DueFields({
  start,
  busy,
  problem,
  onSet,
  onLeave,
}: {
  start: string;
  busy: boolean;
  problem: unknown;
  onSet: (v: { due: string; reason: string }) => void;
  onLeave?: () => void;
}) {
  const [due, setDue] = useState(start);
  const [reason, setReason] = useState("");
  return (
    <span className="mt-1 flex w-full flex-wrap items-end gap-2 text-ink">
      <DateChoice label="Due" value={due} onChange={setDue} />
      <label className="grid flex-1 gap-1 text-ink-2">
        Reason
        <input className={inputLook} maxLength={300} value={reason} onChange={(e) => setReason(e.target.value)} />
      </label>
      <Button plain busy={busy} disabled={!due || !reason.trim()} onClick={() => onSet({ due, reason })}>
        Save due date
      </Button>
      {onLeave && <Quiet onClick={onLeave}>Cancel</Quiet>}
      <Trouble error={problem} />
    </span>
  );
}
