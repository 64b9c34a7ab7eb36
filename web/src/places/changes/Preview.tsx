import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { useAskAgain } from "../../api/asked";
import { Whom } from "../../circulation/whom";
import { useWrite } from "../../shell/write";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Trouble } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { changeOf, type Typed } from "./kinds";

type Line = Schema["SweepsRecord"];

/** What a change would do, before it is applied: every record with what it is and becomes. Some can be left out. */
export function Preview({ typed, onDone, onClose }: { typed: Typed; onDone: () => void; onClose: () => void }) {
  const [out, setOut] = useState<ReadonlySet<number>>(new Set());
  const change = useMemo(() => changeOf(typed, [...out]), [typed, out]);
  const whole = useMemo(() => changeOf(typed, []), [typed]);
  const askAgain = useAskAgain();
  const preview = useQuery({
    queryKey: ["preview", "sweep", change],
    queryFn: () => told(api.POST("/api/sweeps/preview", { body: change })),
    placeholderData: (before) => before,
  });
  const apply = useWrite(
    (c: typeof change, key) => api.POST("/api/sweeps", { params: { header: keyed(key) }, body: c }),
    {
      name: "apply a sweep",
      about: () => preview.data?.text ?? "The change",
      done: () => {
        askAgain();
        onDone();
      },
    },
  );
  if (preview.error)
    return (
      <Card label="Preview" className="flex flex-wrap items-center gap-3 border-l-4 border-l-amber-500 px-4 py-3">
        <Trouble error={preview.error} />
        <Button plain onClick={onClose}>
          Edit
        </Button>
      </Card>
    );
  return (
    <Card label="Preview" className="border-l-4 border-l-amber-500">
      <Loading of={preview}>
        {(p) => (
          <div className="grid gap-1.5 px-4 py-3">
            <div className="flex flex-wrap items-center gap-3">
              <p className="min-w-64 flex-1">
                <b className="font-semibold">{p.text}.</b>
              </p>
              <Button
                busy={apply.busy}
                disabled={p.lines === 0 || preview.isPlaceholderData}
                onClick={() => apply.run(change)}
              >
                {p.lines === 0
                  ? "Nothing to apply"
                  : `Apply to ${sayCount(p.lines, sorts[typed.kind][0], sorts[typed.kind][1])}`}
              </Button>
              <Button plain disabled={apply.busy} onClick={onClose}>
                Edit
              </Button>
            </div>
            <p className="text-sm text-ink-2">
              {sayCount(p.patrons, "patron")}
              {p.sum && `; ${p.sum} in all`}
              {p.told > 0 && `; for ${sayCount(p.told, "loan")} a notice has already been sent`}
              {p.awaited > 0 && `; others wait for ${sayCount(p.awaited, "title")}`}
              {p.beyond > 0 && `; ${sayCount(p.beyond, "loan")} would be due after the card expires`}.{" "}
              {typed.kind === "due" && "Nobody is told by this; notices from now on have the new date."}
            </p>
            <Trouble error={apply.problem} />
          </div>
        )}
      </Loading>
      <Lines change={whole} out={out} onOut={setOut} />
    </Card>
  );
}

const sorts: Record<Typed["kind"], readonly [one: string, many: string]> = {
  due: ["loan", "loans"],
  renewals: ["loan", "loans"],
  charges: ["charge", "charges"],
  cards: ["card", "cards"],
  classes: ["patron", "patrons"],
  pickups: ["hold", "holds"],
};

function Lines({
  change,
  out,
  onOut,
}: {
  change: Schema["SweepsChange"];
  out: ReadonlySet<number>;
  onOut: (out: ReadonlySet<number>) => void;
}) {
  const list = usePages(["preview", "sweep lines", change], (after) =>
    told(api.POST("/api/sweeps/preview/lines", { params: { query: { after } }, body: change })),
  );
  const columns = useMemo(
    (): Column<Line>[] => [
      {
        id: "in",
        head: "Included",
        cell: (l) => (
          <input
            type="checkbox"
            aria-label={`Include ${l.title || l.name}`}
            checked={!out.has(l.id)}
            onChange={(e) => {
              const now = new Set(out);
              if (e.target.checked) now.delete(l.id);
              else now.add(l.id);
              onOut(now);
            }}
          />
        ),
      },
      ...lineColumns,
    ],
    [out, onOut],
  );
  return (
    <Loading of={list} lines={3}>
      {(rows) => (
        <Table
          label="Records that change"
          columns={columns}
          rows={rows}
          id={(l) => l.id}
          pages={list.pages}
          tools
          paper="Preview of a change"
          rowClass={(l) => out.has(l.id) && "opacity-60"}
          className="max-h-[46vh] border-t border-line"
          empty="Nothing matches. Change the filters."
        />
      )}
    </Loading>
  );
}

/** The columns that show what a record was and becomes. */
export const lineColumns: Column<Line>[] = [
  { id: "patron", head: "Patron", value: (l) => l.name, cell: (l) => <Whom id={l.patron} name={l.name} /> },
  { id: "title", head: "Title", value: (l) => l.title, className: "max-w-64 text-sm" },
  { id: "branch", head: "Branch", value: (l) => l.branch, className: "text-sm" },
  { id: "before", head: "Before", value: (l) => l.before, className: "whitespace-nowrap" },
  { id: "after", head: "After", value: (l) => l.after, className: "font-semibold" },
  { id: "notes", head: "Notes", value: (l) => l.notes.join("; "), className: "text-sm text-ink-2 max-w-56" },
];
