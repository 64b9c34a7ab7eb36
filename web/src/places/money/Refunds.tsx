import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, inputLook, Trouble } from "../../ui/parts";
import { PrintSlip } from "../../circulation/print";
import { sayDay, sayMoney, toFigures, toMinor } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { tillHere } from "../../circulation/till";
import { useAsksTill, WhichTill } from "../../circulation/tills";
import { useWrite } from "../../shell/write";
import { means, waysOut } from "./means";

type Refund = Schema["AccountsRefund"];
type Means = Schema["AccountsPayingOut"]["means"];

/** What one patron gets back, of all that is owed to them. */
interface Owed {
  patron: number;
  name: string;
  card: string;
  sum: number;
  parts: Refund[];
}

const byPatron = (rows: Refund[]) => {
  const all = new Map<number, Owed>();
  for (const r of rows) {
    const o = all.get(r.patron) ?? { patron: r.patron, name: r.name, card: r.card, sum: 0, parts: [] };
    o.sum += toMinor(r.sum) ?? 0;
    o.parts.push(r);
    all.set(r.patron, o);
  }
  return [...all.values()];
};

/** Refunds owed, by patron, the oldest first. */
export function Refunds() {
  const [paid, setPaid] = useState<Schema["AccountsReceipt"]>();
  const list = usePages(["refunds"], (after) => told(api.GET("/api/refunds", { params: { query: { after } } })));
  const rows = useMemo(() => byPatron(list.data ?? []), [list.data]);
  const columns = useMemo(
    (): Column<Owed>[] => [
      {
        id: "patron",
        head: "Patron",
        value: (o) => o.name,
        cell: (o) => (
          <Link to="/patrons" search={{ patron: o.patron }} className="link">
            {o.name}
          </Link>
        ),
      },
      {
        id: "for",
        head: "Paid for",
        value: (o) => o.parts.map((p) => p.text).join(", "),
        cell: (o) => (
          <ul>
            {o.parts.map((p) => (
              <li key={p.id}>
                {p.text}
                <span className="text-ink-2">
                  , since {sayDay(p.at)}
                  {p.branch && `, ${p.branch}`}
                  {p.reason && `: ${p.reason}`}
                </span>
              </li>
            ))}
          </ul>
        ),
        className: "min-w-60",
      },
      {
        id: "sum",
        head: "Amount",
        right: true,
        value: (o) => o.sum,
        cell: (o) => sayMoney(toFigures(o.sum)),
        className: "tabular-nums",
      },
      { id: "pay", head: "Refund", screenOnly: true, cell: (o) => <PayOut owed={o} onPaid={setPaid} /> },
    ],
    [],
  );
  return (
    <Card label="Refunds due">
      {paid && (
        <p role="status" className="border-b border-line bg-spruce-100 px-3.5 py-2 text-spruce-700">
          Refunded to {paid.names.join(", ")}: {sayMoney(paid.amount).replace("-", "")} by{" "}
          {means[paid.means].toLowerCase()}. <PrintSlip of={{ kind: "receipt", id: paid.id }}>Print receipt</PrintSlip>
        </p>
      )}
      <Loading of={{ ...list, data: list.data && rows }} lines={5}>
        {(owed) => (
          <Table
            label="Refunds due"
            columns={columns}
            rows={owed}
            id={(o) => o.patron}
            pages={list.pages}
            tools
            empty="No refunds due. Payments for found items or wrong charges appear here until they are refunded."
          />
        )}
      </Loading>
    </Card>
  );
}

function PayOut({ owed: o, onPaid }: { owed: Owed; onPaid: (r: Schema["AccountsReceipt"]) => void }) {
  const [by, setBy] = useState<Means>("cash");
  const [asking, setAsking] = useState(false);
  const asks = useAsksTill() && by !== "transfer"; // which goes through no till
  const pay = useWrite(
    (way: Means, key) =>
      api.POST("/api/refunds", {
        params: { header: keyed(key) },
        body: { patron: o.patron, means: way, till: tillHere() },
      }),
    { name: `pay out ${o.patron}`, about: `Refunding ${o.name}`, done: onPaid },
  );
  return (
    <span className="grid gap-1">
      <span className="flex items-center gap-2">
        <select
          aria-label={`How ${o.name} is paid`}
          className={inputLook}
          value={by}
          onChange={(e) => setBy(e.target.value as Means)}
        >
          {waysOut.map(([code, name]) => (
            <option key={code} value={code}>
              {name}
            </option>
          ))}
        </select>
        <Button plain busy={pay.busy} onClick={() => (asks ? setAsking(true) : pay.run(by))}>
          Refund
        </Button>
      </span>
      {asks && asking && <WhichTill />}
      <Trouble error={pay.problem} />
    </span>
  );
}
