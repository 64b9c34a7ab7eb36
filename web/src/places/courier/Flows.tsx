import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { supervises } from "../../shell/places";
import { useMe } from "../../shell/me";
import { Card, Code, Field, inputLook, Tag } from "../../ui/parts";
import { plural, sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { FlowGrid } from "./FlowGrid";
import { NewHome, type Better } from "./NewHome";

type Branch = Schema["FlowsBranch"];

const spans = [
  [30, "30 days"],
  [90, "90 days"],
  [180, "half a year"],
  [365, "a year"],
] as const;

/** Who sends how much to whom for holds, who gives and takes more than their part, and what would travel less elsewhere. */
export function Flows() {
  const [days, setDays] = useState(180);
  const flows = useQuery({
    queryKey: ["flows", days],
    queryFn: () => told(api.GET("/api/courier/flows", { params: { query: { days } } })),
    placeholderData: (before) => before,
  });
  return (
    <div className="grid gap-3.5">
      <Card label="Items sent between branches" className="grid gap-3 p-3.5">
        <div className="flex flex-wrap items-end justify-between gap-3">
          <div>
            <h2 className="font-semibold">Items sent between branches, for holds</h2>
            <p className="text-ink-2">
              Rows send, columns receive. Items going home afterwards are not counted again.
              {flows.data && ` Since ${sayDate(flows.data.since)}.`}
            </p>
          </div>
          <Field label="Period">
            <select className={inputLook} value={days} onChange={(e) => setDays(Number(e.target.value))}>
              {spans.map(([n, says]) => (
                <option key={n} value={n}>
                  {says}
                </option>
              ))}
            </select>
          </Field>
        </div>
        <Loading of={flows}>
          {(f) =>
            f.pairs.length === 0 ? (
              <p>Nothing was sent between branches in this period.</p>
            ) : (
              <>
                <FlowGrid flows={f} />
                <Table
                  label="Sent and received by branch"
                  columns={balanceOf(f.branches)}
                  rows={f.branches}
                  id={(b) => b.code}
                  tools
                  paper={`Sent and received for holds since ${sayDate(f.since)}`}
                  empty=""
                />
              </>
            )
          }
        </Loading>
      </Card>
      <Loading of={flows}>{(f) => <Elsewhere flows={f} />}</Loading>
    </div>
  );
}

/** How much more a branch gives than it takes, against all that it exchanges. */
const over = (b: Branch) => (b.gives - b.takes) / Math.max(1, b.gives + b.takes);

const balanceOf = (all: Branch[]): Column<Branch>[] => [
  { id: "branch", head: "Branch", value: (b) => b.name, className: "font-semibold" },
  { id: "gives", head: "Sent", value: (b) => b.gives, right: true },
  { id: "takes", head: "Received", value: (b) => b.takes, right: true },
  {
    id: "over",
    head: "Balance",
    value: (b) => b.gives - b.takes,
    cell: (b) => {
      const share = over(b) / Math.max(0.1, ...all.map((o) => Math.abs(over(o))));
      return (
        <span className="flex items-center gap-2">
          <svg viewBox="-50 0 100 10" className="h-3 w-40" aria-hidden>
            <rect
              x={Math.min(0, share * 50)}
              y={1}
              width={Math.abs(share * 50)}
              height={8}
              className={share > 0 ? "fill-amber-500" : "fill-tide-500"}
            />
            <path d="M0 0V10" className="stroke-ink-2" strokeWidth={0.8} />
          </svg>
          {b.gives - b.takes > 0 && "+"}
          {b.gives - b.takes}
        </span>
      );
    },
  },
  {
    id: "stands",
    head: "Status",
    value: (b) => b.standing,
    cell: (b) =>
      b.standing === "even" ? (
        "even"
      ) : (
        <Tag tone={b.standing === "gives" ? "amber" : "tide"}>
          {b.standing === "gives" ? "Sends more than its share" : "Receives more than its share"}
        </Tag>
      ),
  },
];

/** What would travel less if it belonged where it travels to, and one act that gives it that home. */
function Elsewhere({ flows: f }: { flows: Schema["FlowsFlows"] }) {
  const me = useMe();
  const [to, setTo] = useState("");
  const [chosen, setChosen] = useState<Better[]>([]);
  const targets = [...new Map(f.better.map((b) => [b.to_branch, b.to]))].sort((x, y) => x[1].localeCompare(y[1]));
  const rows = f.better.filter((b) => !to || b.to_branch === to);
  const homes = [...new Set(chosen.map((b) => b.to_branch))];
  return (
    <Card label="Suggested moves" className="grid gap-3 p-3.5">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h2 className="font-semibold">Suggested moves</h2>
          <p className="text-ink-2">
            Sent to the same branch three times or more, and lent there more often than at home.{" "}
            {f.more && "Only the most travelled items were checked."}
          </p>
        </div>
        <Field label="New home branch">
          <select className={inputLook} value={to} onChange={(e) => setTo(e.target.value)}>
            <option value="">any branch</option>
            {targets.map(([code, name]) => (
              <option key={code} value={code}>
                {name} ({f.better.filter((b) => b.to_branch === code).length})
              </option>
            ))}
          </select>
        </Field>
      </div>
      {homes.map((code) => (
        <NewHome
          key={code}
          code={code}
          items={chosen.filter((b) => b.to_branch === code)}
          onLeave={() => setChosen((c) => c.filter((b) => b.to_branch !== code))}
        />
      ))}
      <Table
        label="Suggested moves"
        columns={columns}
        rows={rows}
        id={(b) => `${b.item_id} ${b.to_branch}`}
        acts={
          supervises(me.role)
            ? [
                {
                  label: (c) => `Move ${c.length} to ${plural(c.length, "its", "their")} new home`,
                  run: setChosen,
                },
              ]
            : undefined
        }
        tools
        paper="Suggested moves"
        className="max-h-[60vh]"
        empty="No item is sent to the same branch repeatedly and lent there more than at home."
      />
    </Card>
  );
}

const columns: Column<Better>[] = [
  {
    id: "item",
    head: "Item",
    value: (b) => `${b.title} ${b.barcode}`,
    cell: (b) => (
      <>
        <Link to="/items" search={{ item: b.item_id }} className="font-semibold hover:underline">
          {b.title}
        </Link>
        <br />
        <Code>{b.barcode}</Code> <span className="text-sm text-ink-2">{b.call_number}</span>
      </>
    ),
  },
  { id: "home", head: "Home branch", value: (b) => b.home },
  { id: "to", head: "Sent to", value: (b) => b.to, className: "font-semibold" },
  { id: "journeys", head: "Trips", value: (b) => b.journeys, right: true },
  { id: "home-lent", head: "Lent at home", value: (b) => b.lent_home, right: true },
  { id: "there-lent", head: "Lent there", value: (b) => b.lent_there, right: true },
  { id: "saves", head: "Trips saved", value: (b) => b.saves, right: true },
  { id: "at", head: "Location", value: (b) => b.at },
];
