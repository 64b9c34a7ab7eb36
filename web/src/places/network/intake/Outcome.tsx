import { useState } from "react";
import { api, keyed, told, type Schema } from "../../../api/client";
import { Loading } from "../../../ui/loading";
import { usePages } from "../../../ui/pages";
import { Button, Card, Quiet, Tag, Trouble } from "../../../ui/parts";
import { Table, type Column } from "../../../ui/table";
import { useWrite } from "../../../shell/write";
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
  balances: "Amounts owed",
};

const tried = [
  ["new", "New"],
  ["joined", "Already here, by ISBN"],
  ["changed", "Changed"],
  ["same", "Unchanged"],
  ["left", "Skipped"],
  ["noted", "Imported in part"],
] as const;
const undone = [
  ["gone", "Undone"],
  ["stay", "Kept: used here since"],
] as const;

/** What would become of a file, or what did: how many of each, and which lines are left and why. */
export function Outcome({ intake: n, anew, onAnew }: { intake: Intake; anew: boolean; onAnew: () => void }) {
  const take = useAct(n.id, "take", "Importing the file");
  const undo = useAct(n.id, "undo", "Undoing the import");
  const by = n.counts?.by ?? [];
  const heads = n.state === "undone" ? undone : tried.filter(([k]) => by.some((o) => o[k] > 0));
  const now = by.map((o) => atOnce[o.kind]).find(Boolean);
  const some = by.reduce((sum, o) => sum + o.new + o.joined + o.changed, 0);
  return (
    <Card label="Result" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">
        {n.state === "tried" ? "Test result" : n.state === "taken" ? "Imported" : "Import undone"}
      </h2>
      <Table
        label="Counts"
        columns={[
          { id: "kind", head: "Type", value: (o: Count) => names[o.kind] },
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
          {sayCount(n.counts?.missing ?? 0)} records from {n.source} earlier are not in this file. They stay as they
          are. You can undo the earlier import and import this file instead.
        </p>
      )}
      <div className="flex flex-wrap items-center gap-3">
        {n.state === "tried" && (
          <>
            <Button disabled={take.busy || some === 0} onClick={() => take.run(undefined)}>
              {some === 0 ? "Nothing to import" : `Import ${sayCount(some)}`}
            </Button>
            {!anew && n.seen && <Quiet onClick={onAnew}>Change columns</Quiet>}
          </>
        )}
        {n.state === "taken" && (
          <Button plain disabled={undo.busy} onClick={() => undo.run(undefined)}>
            Undo import
          </Button>
        )}
        {n.seconds > 0 && <span className="text-ink-2">It took {Math.max(1, Math.round(n.seconds))} s.</span>}
      </div>
      {n.state === "taken" && by.some((o) => o.new > 0) && now && <AtOnce now={now} />}
      <Trouble error={take.problem} />
      <Trouble error={undo.problem} />
      {n.state !== "undone" && <OddLines intake={n} />}
    </Card>
  );
}

interface Now {
  says: string;
  button: string;
  then: string;
  about: string;
  path: "/api/intakes/route" | "/api/intakes/tell";
}

/** What the next night does of itself, or somebody at once. */
const atOnce: Partial<Record<Count["kind"], Now>> = {
  holds: {
    says: "The next night finds copies for these holds. Holds that have a copy stay when the import is undone.",
    button: "Find copies now",
    then: "They appear on the fetch lists as copies are found.",
    about: "Finding copies for holds",
    path: "/api/intakes/route",
  },
  loans: {
    says:
      "The next night prepares notices for overdue loans among these. You check them under Notices before they " +
      "are sent. Loans with a notice stay when the import is undone.",
    button: "Prepare notices now",
    then: "They are added to today's trial runs under Notices, or to tomorrow's if today's were sent.",
    about: "Preparing notices",
    path: "/api/intakes/tell",
  },
};

function AtOnce({ now }: { now: Now }) {
  const act = useWrite((_: undefined, key) => api.POST(now.path, { params: { header: keyed(key) } }), {
    name: now.path,
    about: now.about,
  });
  const [asked, setAsked] = useState(false);
  return (
    <div className="grid gap-1.5">
      <p className="max-w-prose text-ink-2">{now.says}</p>
      <div className="flex flex-wrap items-center gap-3">
        <Button
          plain
          busy={act.busy}
          onClick={() => {
            act.run(undefined);
            setAsked(true);
          }}
        >
          {now.button}
        </Button>
        {asked && !act.busy && !act.problem && <span role="status">{now.then}</span>}
      </div>
      <Trouble error={act.problem} />
    </div>
  );
}

const columns: Column<Odd>[] = [
  { id: "line", head: "Line", value: (o) => o.line, right: true },
  { id: "number", head: "Number in source", value: (o) => o.number },
  {
    id: "left",
    head: "Result",
    value: (o) => (o.left ? "Skipped" : "Imported"),
    cell: (o) => (o.left ? <Tag tone="amber">Skipped</Tag> : <Tag tone="plain">Imported in part</Tag>),
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
            label="Lines with problems"
            columns={columns}
            rows={rows}
            id={(o) => `${o.line} ${o.kind} ${o.number}`}
            pages={list.pages}
            empty="No problems."
          />
        )}
      </Loading>
      {left && (
        <p>
          <a href={`/api/intakes/${n.id}/left.csv`} download className="link font-semibold">
            Skipped lines as CSV
          </a>
          {n.seen?.form === "csv" ? (
            <span className="text-ink-2"> with reasons, to correct and import again.</span>
          ) : (
            <>
              <span className="text-ink-2"> with reasons, and </span>
              <a href={`/api/intakes/${n.id}/left.xml`} download className="link font-semibold">
                their records as MARCXML
              </a>
              <span className="text-ink-2"> to correct and import again.</span>
            </>
          )}
        </p>
      )}
    </>
  );
}
