import { useEffect, useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../api/client";
import { AtTerminal, useCardPayments, useTerminalHere } from "./atterminal";
import * as check from "../ui/checks";
import { ChoiceField, Follows, Form, MoneyField, RadioField, Send, TextField, saysOf } from "../ui/forms";
import { More } from "../ui/menu";
import { ReasonField } from "./reasons";
import { useMe } from "../shell/me";
import { Button, inputLook, Quiet, Trouble } from "../ui/parts";
import { inCoins } from "./coins";
import { PrintSlip } from "./print";
import { sayMoney, toFigures, toMinor } from "../ui/say";
import { rememberCharge, usualCharge } from "../shell/settings";
import { tillHere } from "./till";
import { useAsksTill, WhichTill } from "./tills";
import { UndoWaivers } from "./unwaive";
import { Why } from "../shell/why";
import { useWrite } from "../shell/write";

/** Somebody whose charges are settled: a name, and what is open. */
export interface Debtor {
  id: number;
  name: string;
  charges: Schema["AccountsCharge"][];
}

type Settled = Schema["AccountsSettled"];

const schema = z
  .object({
    amount: check.sum,
    means: z.enum(["cash", "terminal", "card", "cheque", "transfer", "waive"]),
    laid: z.union([z.literal(""), check.sum]),
    reference: check.text,
    reason: check.text,
  })
  .refine((v) => v.means !== "waive" || v.reason !== "", {
    path: ["reason"],
    message: "Enter a reason for the waiver.",
  });

type Said = z.infer<typeof schema>;

const useSaid = saysOf<Said>();

/** How it can be settled; at a station with a card terminal a card is taken there, or written down by hand. */
const waysTo = (terminal: boolean) =>
  [
    ["cash", "Cash"],
    ...(terminal ? ([["terminal", "Card, by terminal"]] as const) : []),
    ["card", terminal ? "Card, entered by hand" : "Card"],
    ["cheque", "Cheque"],
    ["transfer", "Transfer"],
    ["waive", "Waive"],
  ] as const;

/** What was ticked by hand, or taken out; else all is but what is in dispute, which waits. */
type Ticked = Record<number, boolean | undefined>;
const isTicked = (ticked: Ticked, c: Schema["AccountsCharge"]) => ticked[c.id] ?? !c.disputed;

const sumOf = (charges: Schema["AccountsCharge"][]) => charges.reduce((sum, c) => sum + (toMinor(c.owed) ?? 0), 0);

/**
 * Takes a payment or waives, for one person or several at once: of charges that are ticked, or of all, the oldest first, in whole or
 * part. Said twice, it still counts once.
 */
export function Settle({
  of,
  only,
  focused,
  onSettled,
}: {
  of: Debtor[];
  /** These charges and no others of theirs. */
  only?: boolean;
  /** Somebody has opened it on purpose, to type into it. */
  focused?: boolean;
  /** Something of it has changed; a payment or waiver tells what it has left. */
  onSettled: (s?: Settled) => void;
}) {
  const [ticked, setTicked] = useState<Ticked>({});
  const [done, setDone] = useState<Settled>();
  const [how, setHow] = useState<Said["means"]>("cash");
  // Nothing goes through a till of what is waived or transferred.
  const asks = useAsksTill() && how !== "waive" && how !== "transfer";
  const [round, setRound] = useState(0); // a form of its own for each that is settled; a change of charges takes nothing from it
  const all = of.flatMap((d) => d.charges);
  const chosen = all.filter((c) => isTicked(ticked, c));
  const owed = sumOf(chosen);
  const name = of.map((d) => d.name).join(", ");
  const terminal = useTerminalHere();
  const atTerminal = usePaying(of);
  const what = () => ({
    patrons: of.map((d) => d.id),
    charges: only || chosen.length < all.length ? chosen.map((c) => c.id) : undefined,
  });
  const card = useWrite(
    (v: Said, key) =>
      api.POST("/api/money/at-terminal", {
        params: { header: keyed(key) },
        body: { ...what(), amount: v.amount, till: tillHere(), station: terminal ?? 0 },
      }),
    {
      name: `terminal ${of.map((d) => d.id).join(" ")}`,
      about: (v) => `Payment of ${sayMoney(v.amount)} by card, ${name}`,
      done: (p) => {
        setDone(undefined);
        atTerminal.begin(p.id);
      },
    },
  );
  const settle = useWrite(
    (v: Said, key) =>
      api.POST("/api/money", {
        params: { header: keyed(key) },
        body: {
          ...what(),
          amount: v.amount,
          means: v.means === "waive" || v.means === "terminal" ? "" : v.means,
          laid: v.means === "cash" && v.laid ? v.laid : undefined,
          reference: v.reference || undefined,
          reason: v.means === "waive" ? v.reason : undefined,
          till: v.means === "waive" ? undefined : tillHere(),
        },
      }),
    {
      name: `settle ${of.map((d) => d.id).join(" ")}`,
      about: (v) => `${v.means === "waive" ? "Waiving" : "Payment of"} ${sayMoney(v.amount)}, ${name}`,
      done: (s) => {
        setDone(s);
        setTicked({});
        setRound(round + 1);
        onSettled(s);
      },
    },
  );
  return (
    <div className="grid gap-2.5 border-t border-line p-3.5 first:border-t-0 empty:hidden">
      {done && (
        <Done
          settled={done}
          onUndone={() => {
            setDone(undefined);
            onSettled();
          }}
        />
      )}
      {atTerminal.id !== undefined && (
        <AtTerminal
          key={atTerminal.id}
          id={atTerminal.id}
          onEnded={(p) => {
            atTerminal.end();
            setTicked({});
            setRound(round + 1);
            if (p.state === "taken") onSettled();
          }}
        />
      )}
      {all.length > 0 && !atTerminal.waits && (
        <>
          <p className="flex items-baseline justify-between gap-3">
            <b className="font-semibold">{chosen.length < all.length ? "Selected" : "To pay"}</b>
            <b className="font-display text-3xl font-bold tabular-nums">{sayMoney(toFigures(owed))}</b>
          </p>
          <Choose of={of} ticked={ticked} onTicked={setTicked} onChanged={() => onSettled(undefined)} />
          <Form
            key={round}
            label="Pay or waive"
            schema={schema}
            start={{ amount: toFigures(owed), means: "cash", laid: "", reference: "", reason: "" }}
            write={busyOf(settle, card)}
            onSend={(v: Said) => {
              if (!asks) (v.means === "terminal" ? card : settle).run(v);
            }}
            className="grid gap-2.5"
          >
            <RadioField name="means" label="Method" options={waysTo(terminal !== undefined)} />
            <Rest owed={owed} write={busyOf(settle, card)} asks={asks} focused={focused} onHow={setHow} />
          </Form>
          {asks && <WhichTill />}
        </>
      )}
    </div>
  );
}

/** Two writes of one form: it is busy with either, and tells what stands in the way of either. */
const busyOf = (...writes: { busy: boolean; problem?: unknown }[]) => ({
  busy: writes.some((w) => w.busy),
  problem: writes.map((w) => w.problem).find((p) => p !== undefined),
});

/** The card payment of these people that is at a terminal now, or has just ended; begun here, or in a window that is gone. */
function usePaying(of: Debtor[]) {
  const [id, setId] = useState<number>();
  const [ended, setEnded] = useState<number>();
  const open = useCardPayments().find((p) => p.patrons.some((x) => of.some((d) => d.id === x)));
  if (open && open.id !== id) setId(open.id);
  return { id, waits: id !== undefined && id !== ended, begin: setId, end: () => setEnded(id) };
}

/** What was taken, its change in large, and a receipt for who wants one. */
function Done({ settled: s, onUndone }: { settled: Settled; onUndone: () => void }) {
  const [undoing, setUndoing] = useState(false);
  if (undoing)
    return <UndoWaivers waivers={s.waived} sum={s.sum} onDone={onUndone} onClose={() => setUndoing(false)} />;
  return (
    <p role="status" className="rounded-card bg-spruce-100 px-3 py-2 text-spruce-700">
      {s.receipt ? (
        <>
          Received {sayMoney(s.taken)}.{" "}
          {s.change && (
            <b className="text-lg font-semibold">
              Give change: <span className="tabular-nums">{sayMoney(s.change)}</span>.
            </b>
          )}{" "}
          <PrintSlip of={{ kind: "receipt", id: s.receipt }}>Print receipt</PrintSlip>
        </>
      ) : (
        <>
          Waived {sayMoney(s.sum)}. <Quiet onClick={() => setUndoing(true)}>Undo</Quiet>
        </>
      )}
    </p>
  );
}

/** The charges, by person where there are several; ticked ones are settled. */
function Choose({
  of,
  ticked,
  onTicked,
  onChanged,
}: {
  of: Debtor[];
  ticked: Ticked;
  onTicked: (t: Ticked) => void;
  onChanged: () => void;
}) {
  // A single charge is ticked by itself, unless it is in dispute and waits.
  const all = of.flatMap((d) => d.charges);
  const several = all.length > 1 || all.some((c) => c.disputed);
  return (
    <fieldset className="grid max-h-64 gap-1 overflow-auto text-sm">
      <legend className="sr-only">Charges to settle</legend>
      {of.map((d) => (
        <div key={d.id} className="grid gap-1">
          {of.length > 1 && <b className="font-semibold">{d.name}</b>}
          {d.charges.map((c) => (
            <span key={c.id} className="flex flex-wrap items-center justify-end gap-x-3 gap-y-0.5">
              <label className="flex min-w-48 flex-1 items-baseline gap-2">
                {several && (
                  <input
                    type="checkbox"
                    checked={isTicked(ticked, c)}
                    onChange={(e) => onTicked({ ...ticked, [c.id]: e.target.checked })}
                  />
                )}
                <span className="min-w-0 flex-1">
                  {c.text}
                  {c.disputed && <span className="text-amber-700"> (in dispute)</span>}
                  {c.invoice && <span className="text-ink-2"> (invoice {c.invoice})</span>}
                </span>
                <span className="tabular-nums">{sayMoney(c.owed)}</span>
              </label>
              <Why trace={c.why}>Why</Why>
              <ChargeActs charge={c} name={d.name} onDone={onChanged} />
            </span>
          ))}
        </div>
      ))}
    </fieldset>
  );
}

/** What else can be done with a charge: it is disputed, or credited since it was wrong. */
function ChargeActs({
  charge: c,
  name,
  onDone,
}: {
  charge: Schema["AccountsCharge"];
  name: string;
  onDone: () => void;
}) {
  const [act, setAct] = useState<"dispute" | "credit">();
  const [reason, setReason] = useState("");
  const path = { path: { id: c.id } };
  const done = () => {
    setAct(undefined);
    onDone();
  };
  const dispute = useWrite(
    (says: string, key) =>
      api.POST("/api/charges/{id}/dispute", { params: { ...path, header: keyed(key) }, body: { reason: says } }),
    { name: `dispute ${c.id}`, about: `${c.text}, ${name}`, done },
  );
  const credit = useWrite(
    (why: string, key) =>
      api.POST("/api/charges/{id}/credit", { params: { ...path, header: keyed(key) }, body: { reason: why } }),
    { name: `credit ${c.id}`, about: `${c.text}, ${name}`, done },
  );
  const write = act === "credit" ? credit : dispute;
  if (act === undefined)
    return (
      <More
        of={c.text}
        acts={[
          !c.disputed && { name: "Dispute", run: () => setAct("dispute") },
          { name: "Reverse charge", run: () => setAct("credit") },
        ]}
      />
    );
  return (
    <span className="flex basis-full flex-wrap items-center gap-2">
      <input
        // eslint-disable-next-line jsx-a11y/no-autofocus -- it was opened on purpose, to be typed into
        autoFocus
        aria-label={act === "credit" ? "Reason for the reversal" : "What the patron says"}
        placeholder={act === "credit" ? "Reason for the reversal" : "What the patron says"}
        className={inputLook}
        maxLength={300}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <Button plain busy={write.busy} disabled={!reason.trim()} onClick={() => write.run(reason)}>
        {act === "credit" ? "Reverse charge" : "Record dispute"}
      </Button>
      <Quiet onClick={() => setAct(undefined)}>Cancel</Quiet>
      <Trouble error={write.problem} />
    </span>
  );
}

/** What depends on what is chosen: the cash received and its change, a number, a reason, the word on the button. */
function Rest({
  owed,
  write,
  asks,
  focused,
  onHow,
}: {
  owed: number;
  write: { busy: boolean };
  /** It waits for which till the money goes into. */
  asks: boolean;
  focused?: boolean;
  onHow: (how: Said["means"]) => void;
}) {
  const me = useMe();
  const how = useSaid("means");
  useEffect(() => onHow(how), [how, onHow]);
  const amount = useSaid("amount");
  const laid = useSaid("laid");
  const coin = toMinor(me.coin) ?? 1;
  const sum = toMinor(amount || "0") ?? 0;
  const takes = how === "cash" ? inCoins(sum, coin) : sum;
  const back = laid ? (toMinor(laid) ?? 0) - takes : 0;
  return (
    <>
      <Follows name="amount" value={toFigures(owed)} />
      <div className="flex flex-wrap items-start gap-x-3 gap-y-2">
        <MoneyField name="amount" label="Amount" className="w-28" focused={focused} />
        {how === "cash" && <MoneyField name="laid" label="Cash received" className="w-28" />}
        {how !== "cash" && how !== "waive" && how !== "terminal" && (
          <TextField name="reference" label="Reference" className="min-w-40 flex-1" />
        )}
        {how === "waive" && <ReasonField list="waive" name="reason" label="Reason" className="min-w-40 flex-1" />}
        <p aria-live="polite" className="self-end pb-1 text-ink-2 empty:hidden">
          {how === "cash" && takes !== sum && `Rounded to ${sayMoney(toFigures(takes))}. `}
          {how === "cash" && back > 0 && (
            <b className="text-lg font-semibold text-ink">Change {sayMoney(toFigures(back))}</b>
          )}
        </p>
      </div>
      {!asks && (
        <Send write={write} className="justify-self-start">
          {how === "waive" ? "Waive" : how === "terminal" ? "Charge card:" : "Take"}{" "}
          {sum > 0 && sayMoney(toFigures(takes))}
        </Send>
      )}
    </>
  );
}

const byHand = z
  .object({ charge: z.string(), amount: z.union([z.literal(""), check.sum]), note: check.text })
  .refine((v) => v.charge !== "" || v.amount !== "", { path: ["amount"], message: "Enter an amount." })
  .refine((v) => v.charge !== "" || v.note !== "", { path: ["note"], message: "Enter what it is for." });

const useByHand = saysOf<z.infer<typeof byHand>>();

/** A charge by hand: from the price list, or for another reason. */
export function ChargeForm({
  patron,
  name,
  of,
  onCharged,
  onLeave,
}: {
  patron: number;
  name: string;
  /** What it is for, where that is known: what was charged for it last is offered first. */
  of?: string;
  onCharged: () => void;
  onLeave?: () => void;
}) {
  const me = useMe();
  const charge = useWrite(
    (body: Schema["AccountsByHand"], key) =>
      api.POST("/api/patrons/{id}/charges", { params: { path: { id: patron }, header: keyed(key) }, body }),
    {
      name: `charge ${patron}`,
      about: `A charge for ${name}`,
      done: (_, { charge: code }) => {
        if (of && code) rememberCharge(of, code);
        onCharged();
      },
    },
  );
  const usual = of ? usualCharge(of) : "";
  const first = me.prices.find((p) => p.code === usual) ?? me.prices[0];
  return (
    <Form
      label="Charge"
      schema={byHand}
      start={{ charge: first?.code ?? "", amount: "", note: "" }}
      write={charge}
      onSend={(v) => charge.run({ charge: v.charge, amount: v.charge ? undefined : v.amount, note: v.note })}
      className="grid gap-2 text-left"
    >
      <ChoiceField
        name="charge"
        label="Charge"
        options={[
          ...me.prices.map((p) => [p.code, `${p.name}, ${sayMoney(p.sum)}`] as const),
          ["", "Other (not on the price list)"],
        ]}
      />
      <Free />
      <span className="flex items-center gap-2">
        <Send write={charge}>Add charge</Send>
        {onLeave && <Quiet onClick={onLeave}>Cancel</Quiet>}
      </span>
    </Form>
  );
}

function Free() {
  const free = useByHand("charge") === "";
  return (
    <div className="grid gap-2">
      {free && <MoneyField name="amount" label="Amount" className="w-32" />}
      <TextField name="note" label={free ? "Description" : "Note"} />
    </div>
  );
}
