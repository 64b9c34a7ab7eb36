import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Quiet, Tag } from "../../ui/parts";
import { sayInstant, sayMoney } from "../../ui/say";
import { UndoWaivers } from "../../circulation/unwaive";
import { Table, type Column } from "../../ui/table";

type Line = Schema["AccountsStatementLine"];

const status: Record<Line["status"], [tone: "amber" | "plain", word: string] | undefined> = {
  open: ["amber", "Open"],
  undone: ["plain", "Undone"],
  reversed: ["plain", "Reversed"],
  "": undefined,
};

const columnsFor = (onUndo: (l: Line) => void): Column<Line>[] => [
  { id: "at", head: "Date", value: (l) => l.at, cell: (l) => sayInstant(l.at), className: "whitespace-nowrap" },
  {
    id: "text",
    head: "Entry",
    value: (l) => l.text,
    cell: (l) => (
      <>
        {l.receipt ? (
          <Link to="/money" search={{ tab: "receipts", receipt: l.receipt }} className="link">
            {l.text}
          </Link>
        ) : (
          l.text
        )}{" "}
        <Status line={l} />
        {l.reason && <span className="block text-sm text-ink-2">“{l.reason}”</span>}
      </>
    ),
    className: "min-w-48",
  },
  { id: "who", head: "Staff", value: (l) => [l.who, l.branch].filter(Boolean).join(", ") },
  {
    id: "amount",
    head: "Amount",
    right: true,
    value: (l) => Number(l.amount),
    money: "units",
    cell: (l) => sayMoney(l.amount),
    className: "tabular-nums",
  },
  {
    id: "balance",
    head: "Balance",
    right: true,
    value: (l) => Number(l.balance),
    money: "units",
    cell: (l) => sayMoney(l.balance),
    className: "tabular-nums",
  },
  {
    id: "acts",
    head: "Undo",
    unnamed: true,
    right: true,
    cell: (l) => l.kind === "waiver" && !l.stays && <Quiet onClick={() => onUndo(l)}>Undo</Quiet>,
  },
];

function Status({ line: l }: { line: Line }) {
  const says = status[l.status];
  return says && <Tag tone={says[0]}>{says[1]}</Tag>;
}

/** The account of a patron as one list: charges, payments, waivers and what was credited, each with the balance after it. */
export function Account({ patron, onStale }: { patron: number; onStale: () => void }) {
  const [undoing, setUndoing] = useState<Line>();
  const list = usePages(["account", patron], (after) =>
    told(api.GET("/api/patrons/{id}/account", { params: { path: { id: patron }, query: { after } } })),
  );
  return (
    <Card label="Account">
      <h2 className="px-3.5 py-2 font-semibold">Account</h2>
      {undoing && (
        <div className="border-t border-line px-3.5 py-2">
          <UndoWaivers
            key={undoing.id}
            waivers={[undoing.id]}
            sum={undoing.amount.replace("-", "")}
            onDone={() => {
              setUndoing(undefined);
              onStale();
            }}
            onClose={() => setUndoing(undefined)}
          />
        </div>
      )}
      <Loading of={list} lines={3}>
        {(rows) => (
          <Table
            label="Account"
            columns={columnsFor(setUndoing)}
            rows={rows}
            id={(l) => l.id}
            pages={list.pages}
            tools
            paper="Account"
            className="max-h-80"
            empty="Nothing has been charged yet."
          />
        )}
      </Loading>
    </Card>
  );
}
