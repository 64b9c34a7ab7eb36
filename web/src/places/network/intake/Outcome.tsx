import { useState } from "react";
import { api, keyed, told, type Schema } from "../../../api/client";
import { Loading } from "../../../kit/loading";
import { usePages } from "../../../kit/pages";
import { Button, Card, Quiet, Tag, Trouble } from "../../../kit/parts";
import { Table, type Column } from "../../../kit/table";
import { useWrite } from "../../../kit/write";
import { useAct } from "./acts";
import type { Intake } from "./sending";

type Odd = Schema["IntakeOdd"];
type Count = Schema["IntakeOutcome"];

const sayCount = (n: number) => n.toLocaleString("en");

const names: Record<Count["kind"], string> = {
  patrons: "Patrons",
  titles: "Titles",
  items: "Items",
  loans: "Loans",
  holds: "Holds",
  balances: "Sums owed",
};

const tried = [
  ["new", "New"],
  ["joined", "Here already, by ISBN"],
  ["changed", "Changed since"],
  ["same", "The same as before"],
  ["left", "Left"],
  ["noted", "Taken without something"],
] as const;
const undone = [
  ["gone", "Gone, or as it was"],
  ["stay", "Stays: something has become of it here"],
] as const;

/** What would become of a file, or what did: how many of each, and which lines are left and why. */
export function Outcome({ intake: n, anew, onAnew }: { intake: Intake; anew: boolean; onAnew: () => void }) {
  const take = useAct(n.id, "take", "Taking the file in");
  const undo = useAct(n.id, "undo", "Taking the file back");
  const by = n.counts?.by ?? [];
  const heads = n.state === "undone" ? undone : tried.filter(([k]) => by.some((o) => o[k] > 0));
  const some = by.reduce((sum, o) => sum + o.new + o.joined + o.changed, 0);
  return (
    <Card label="What becomes of it" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">
        {n.state === "tried"
          ? "What would become of it"
          : n.state === "taken"
            ? "What was taken in"
            : "What was taken back"}
      </h2>
      <Table
        label="How many of each"
        columns={[
          { id: "kind", head: "Of what", value: (o: Count) => names[o.kind] },
          ...heads.map(([k, head]) => ({
            id: k,
            head,
            right: true,
            value: (o: Count) => o[k],
            cell: (o: Count) => sayCount(o[k]),
          })),
        ]}
        rows={by}
        id={(o) => o.kind}
        empty="Nothing."
        className="w-fit"
      />
      {n.state === "tried" && (n.counts?.missing ?? 0) > 0 && (
        <p className="max-w-prose">
          {sayCount(n.counts?.missing ?? 0)} that came from {n.source} before are not in this file. They stay as they
          are; what came before can be taken back as a whole, and this file taken in its place.
        </p>
      )}
      <div className="flex flex-wrap items-center gap-3">
        {n.state === "tried" && (
          <>
            <Button disabled={take.busy || some === 0} onClick={() => take.run(undefined)}>
              {some === 0 ? "Nothing to take in" : `Take ${sayCount(some)} in`}
            </Button>
            {!anew && n.seen && <Quiet onClick={onAnew}>Read it otherwise</Quiet>}
          </>
        )}
        {n.state === "taken" && (
          <Button plain disabled={undo.busy} onClick={() => undo.run(undefined)}>
            Take it back
          </Button>
        )}
        {n.seconds > 0 && <span className="text-ink-2">It took {Math.max(1, Math.round(n.seconds))} s.</span>}
      </div>
      {n.state === "taken" && by.some((o) => o.kind === "holds" && o.new > 0) && <Route />}
      <Trouble error={take.problem} />
      <Trouble error={undo.problem} />
      {n.state !== "undone" && <OddLines intake={n} />}
    </Card>
  );
}

/** What waits gets its copies by the next night, or at once. */
function Route() {
  const route = useWrite((_: undefined, key) => api.POST("/api/intakes/route", { params: { header: keyed(key) } }), {
    name: "route what moved in",
    about: "Finding copies for what waits",
  });
  const [asked, setAsked] = useState(false);
  return (
    <div className="grid gap-1.5">
      <p className="max-w-prose text-ink-2">
        The next night finds copies for these holds. Once one has a copy, it stays when the file is taken back.
      </p>
      <div className="flex flex-wrap items-center gap-3">
        <Button
          plain
          busy={route.busy}
          onClick={() => {
            route.run(undefined);
            setAsked(true);
          }}
        >
          Find copies now
        </Button>
        {asked && !route.busy && !route.problem && (
          <span role="status">They come to the fetch lists as they are found.</span>
        )}
      </div>
      <Trouble error={route.problem} />
    </div>
  );
}

const columns: Column<Odd>[] = [
  { id: "line", head: "Line", value: (o) => o.line, right: true },
  { id: "number", head: "Number there", value: (o) => o.number },
  {
    id: "left",
    head: "What becomes of it",
    value: (o) => (o.left ? "Left" : "Taken"),
    cell: (o) => (o.left ? <Tag tone="amber">Left</Tag> : <Tag tone="plain">Taken without</Tag>),
  },
  { id: "says", head: "Why", value: (o) => o.says },
];

/** Lines that are left, or taken without something. */
function OddLines({ intake: n }: { intake: Intake }) {
  const list = usePages(["intakes", n.id, "lines", n.state, n.trials], (after) =>
    told(api.GET("/api/intakes/{id}/lines", { params: { path: { id: n.id }, query: { after } } })),
  );
  const left = (n.counts?.by ?? []).some((o) => o.left > 0);
  return (
    <>
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Lines that are odd"
            columns={columns}
            rows={rows}
            id={(o) => `${o.line} ${o.kind} ${o.number}`}
            pages={list.pages}
            empty="Every line is taken whole."
          />
        )}
      </Loading>
      {left && (
        <p>
          <a href={`/api/intakes/${n.id}/left.csv`} download className="link font-semibold">
            The lines that are left, as a table
          </a>
          {n.seen?.form === "csv" ? (
            <span className="text-ink-2"> with why, to be mended and sent again.</span>
          ) : (
            <>
              <span className="text-ink-2"> with why; and </span>
              <a href={`/api/intakes/${n.id}/left.xml`} download className="link font-semibold">
                their records, as MARCXML
              </a>
              <span className="text-ink-2"> to be mended and sent again.</span>
            </>
          )}
        </p>
      )}
    </>
  );
}
