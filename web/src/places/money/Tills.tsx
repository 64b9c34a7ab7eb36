import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { AtTerminal, useCardPayments } from "../../circulation/atterminal";
import * as check from "../../ui/checks";
import { Foot, Form, MoneyField, Send, TextField, TickField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Quiet, Tag } from "../../ui/parts";
import { PrintSlip } from "../../circulation/print";
import { sayClock, sayCount, sayInstant, sayMoney } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { takeInto, tillHere, useTillHere } from "../../circulation/till";
import { CoinsAndNotes, OpenTill, useOpenTills } from "../../circulation/tills";
import { useWrite } from "../../shell/write";
import { NoTill } from "./NoTill";

type Till = Schema["AccountsTill"];

/** Card payments that are at a terminal of this branch now, whichever window asked for them. */
function AtTerminals() {
  const open = useCardPayments();
  const [seen, setSeen] = useState<number[]>([]);
  const ids = [...new Set([...seen, ...open.map((p) => p.id)])];
  if (ids.length > seen.length) setSeen(ids); // how one has ended is shown still
  if (ids.length === 0) return null;
  return (
    <section aria-label="At card terminals" className="grid gap-2">
      <h2 className="font-semibold">At card terminals</h2>
      {ids.map((id) => (
        <AtTerminal key={id} id={id} onEnded={() => {}} />
      ))}
    </section>
  );
}

/** The drawers of this branch: which are open, what should lie in them, and those that have been counted. */
export function Tills() {
  const me = useMe();
  const here = useTillHere();
  const tills = useOpenTills();
  const [opening, setOpening] = useState(false);
  return (
    <div className="grid gap-3.5">
      <Loading of={tills} lines={4}>
        {({ rows }) => (
          <>
            <div className="grid items-start gap-3.5 xl:grid-cols-2">
              {rows.map((t) => (
                <Open
                  key={t.id}
                  till={t}
                  here={here === t.id || (rows.length === 1 && here === 0)}
                  only={rows.length === 1}
                />
              ))}
            </div>
            {rows.length === 0 && !opening && (
              <p className="text-ink-2">
                No till is open here.{" "}
                {me.till
                  ? "Open a till to take payments."
                  : "Payments are listed below until you assign them to a till."}
              </p>
            )}
            {opening ? (
              <OpenTill onDone={() => setOpening(false)} />
            ) : (
              <Button className="justify-self-start" plain={rows.length > 0} onClick={() => setOpening(true)}>
                Open a till
              </Button>
            )}
          </>
        )}
      </Loading>
      <AtTerminals />
      <NoTill open={tills.data?.rows ?? []} />
      <Counted />
    </div>
  );
}

/** A till that is open: what should lie in it now, and what can be done with it. */
function Open({ till: t, here, only }: { till: Till; here: boolean; only: boolean }) {
  const [act, setAct] = useState<"move" | "close">();
  return (
    <Card label={`Till ${t.name}`} className="grid gap-2.5 p-3.5">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <h2 className="text-lg font-semibold">{t.name}</h2>
        <span className="text-sm text-ink-2">
          since {sayInstant(t.opened_at)}, {t.opened_by}
        </span>
        {here ? (
          <Tag tone="spruce">Used at this station</Tag>
        ) : (
          !only && <Quiet onClick={() => takeInto(t.id)}>Use this till at this station</Quiet>
        )}
      </div>
      <dl className="grid grid-cols-[1fr_auto] gap-x-6 gap-y-1">
        {t.due ? (
          <>
            <Row name="Cash expected" sum={t.due.cash} large />
            <Row name="Cards" sum={t.due.card} />
            <Row name="Cheques" sum={t.due.cheque} />
          </>
        ) : (
          <p className="col-span-2 text-ink-2">The expected amounts are shown after counting.</p>
        )}
        <Row name={`Opening float; ${sayCount(t.receipts, "receipt")} since`} sum={t.laid_in} />
        {t.moves.map((m) => (
          <Row key={m.at} name={`${m.reason}, ${sayClock(m.at)}, ${m.who}`} sum={m.amount} />
        ))}
      </dl>
      {act === undefined && (
        <div className="flex flex-wrap items-center gap-3">
          <Button onClick={() => setAct("close")}>Count and close</Button>
          <Button plain onClick={() => setAct("move")}>
            Add or remove cash
          </Button>
          {t.due && <PrintSlip of={{ kind: "till", id: t.id }}>Print balance</PrintSlip>}
        </div>
      )}
      {act === "move" && <Move till={t} onDone={() => setAct(undefined)} />}
      {act === "close" && <Close till={t} onDone={() => setAct(undefined)} />}
    </Card>
  );
}

function Row({ name, sum, large }: { name: string; sum?: string; large?: boolean }) {
  return (
    <>
      <dt className={large ? "" : "text-sm text-ink-2"}>{name}</dt>
      <dd className={`text-right tabular-nums ${large ? "text-lg font-semibold" : "text-sm"}`}>
        {sayMoney(sum ?? "0")}
      </dd>
    </>
  );
}

const moved = z.object({
  amount: check.sum,
  out: z.boolean(),
  reason: check.needed("Enter where the cash went or came from."),
});

function Move({ till, onDone }: { till: Till; onDone: () => void }) {
  const move = useWrite(
    (body: Schema["AccountsMoving"], key) =>
      api.POST("/api/tills/{id}/moves", { params: { path: { id: till.id }, header: keyed(key) }, body }),
    { name: `move ${till.id}`, about: `Cash of ${till.name}`, done: onDone },
  );
  return (
    <Form
      label="Add or remove cash"
      schema={moved}
      start={{ amount: "", out: true, reason: "" }}
      write={move}
      onSend={move.run}
      className="flex flex-wrap items-end gap-2.5"
    >
      <MoneyField name="amount" label="Cash" className="w-28" />
      <TextField name="reason" label="Reason" />
      <TickField name="out" label="Removed" />
      <Foot write={move} onLeave={onDone}>
        Save
      </Foot>
    </Form>
  );
}

const counting = z.object({ cash: check.sumOrNothing, card: check.balance, cheque: check.balance, says: check.text });

/** Closing a till as it was counted. What should lie in it is not shown in the fields: who counts, counts. */
function Close({ till, onDone }: { till: Till; onDone: () => void }) {
  const close = useWrite(
    (body: Schema["AccountsCounting"], key) =>
      api.POST("/api/tills/{id}/close", { params: { path: { id: till.id }, header: keyed(key) }, body }),
    {
      name: `close ${till.id}`,
      about: `Closing ${till.name}`,
      done: () => {
        if (tillHere() === till.id) takeInto(0);
        onDone();
      },
    },
  );
  return (
    <Form
      label={`Count ${till.name}`}
      schema={counting}
      start={{ cash: "", card: till.due?.card ?? "", cheque: till.due?.cheque ?? "", says: "" }}
      write={close}
      onSend={(v) => close.run(v)}
      className="grid gap-2.5"
    >
      <div className="flex flex-wrap gap-2.5">
        <MoneyField name="cash" label="Cash, counted" className="w-32" />
        <MoneyField name="card" label="Cards" className="w-28" />
        <MoneyField name="cheque" label="Cheques" className="w-28" />
      </div>
      <CoinsAndNotes into="cash" />
      <TextField name="says" label="Explain any difference" width="w-full" />
      <span className="flex flex-wrap items-center gap-3">
        <Send write={close}>Close till</Send>
        <Quiet onClick={onDone}>Cancel</Quiet>
      </span>
    </Form>
  );
}

const columns: Column<Till>[] = [
  { id: "till", head: "Till", value: (t) => t.name },
  { id: "opened", head: "Opened", value: (t) => t.opened_at, cell: (t) => sayInstant(t.opened_at) },
  {
    id: "closed",
    head: "Counted",
    value: (t) => t.closed_at ?? "",
    cell: (t) => t.closed_at && `${sayInstant(t.closed_at)}, ${t.closed_by}`,
  },
  {
    id: "cash",
    head: "Cash",
    right: true,
    value: (t) => t.counted?.cash ?? "",
    cell: (t) => t.counted && sayMoney(t.counted.cash),
    className: "tabular-nums",
  },
  {
    id: "card",
    head: "Cards",
    right: true,
    value: (t) => t.counted?.card ?? "",
    cell: (t) => t.counted && sayMoney(t.counted.card),
    className: "tabular-nums",
  },
  {
    id: "cheque",
    head: "Cheques",
    right: true,
    value: (t) => t.counted?.cheque ?? "",
    cell: (t) => t.counted && sayMoney(t.counted.cheque),
    className: "tabular-nums",
  },
  {
    id: "differs",
    head: "Difference",
    value: (t) => t.differs,
    cell: (t) =>
      t.differs ? (
        <>
          <b className="font-semibold text-buoy-700">{t.differs}</b>: {t.says}
        </>
      ) : (
        "none"
      ),
    className: "min-w-40",
  },
  {
    id: "slip",
    head: "Slip",
    unnamed: true,
    screenOnly: true,
    cell: (t) => <PrintSlip of={{ kind: "till", id: t.id }} />,
  },
];

/** Tills that have been counted, the newest first. */
function Counted() {
  const me = useMe();
  const list = usePages(["tills", "counted", me.branch], (after) =>
    told(api.GET("/api/tills/counted", { params: { query: { after } } })),
  );
  return (
    <Card label="Counted tills">
      <h2 className="px-3.5 pt-3 font-semibold">Counted</h2>
      <Loading of={{ ...list, data: list.data }} lines={4}>
        {(rows) => (
          <Table
            label="Counted tills"
            columns={columns}
            rows={rows}
            id={(t) => t.id}
            pages={list.pages}
            tools
            empty="No counted tills yet."
          />
        )}
      </Loading>
    </Card>
  );
}
