import { useMemo, useState } from "react";
import { useAskAgain } from "../../api/asked";
import { api, keyed, told, type Schema } from "../../api/client";
import { useWrite } from "../../shell/write";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Field, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { sayCount, sayInstant, sayNumber } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { nameOf } from "./kinds";
import { lineColumns } from "./Preview";

type Sweep = Schema["SweepsApplied"];
type Line = Schema["SweepsRecord"];

const states = {
  working: ["Applying", "tide"],
  stopped: ["Stopped", "amber"],
  done: ["Applied", "spruce"],
  undoing: ["Undoing", "tide"],
  undone: ["Undone", "plain"],
} as const;

/** The changes that were applied: how far each is, what it did, and undoing it. */
export function Activity() {
  const [open, setOpen] = useState<Sweep>();
  const list = usePages(["sweeps"], (after) =>
    told(api.GET("/api/sweeps", { params: { query: { after, most: 30 } } })),
  );
  const columns = useMemo((): Column<Sweep>[] => columnsFor(setOpen), []);
  return (
    <>
      <Card label="Activity" className="print:hidden">
        <h2 className="px-4 pt-3 font-semibold">Activity</h2>
        <Loading of={list} lines={3}>
          {(rows) => (
            <Table
              label="Activity"
              columns={columns}
              rows={rows}
              id={(s) => s.id}
              pages={list.pages}
              empty="No batch changes yet. Each one appears here and can be undone as one."
            />
          )}
        </Loading>
      </Card>
      {open && <Lines key={open.id} of={open} onClose={() => setOpen(undefined)} />}
    </>
  );
}

const columnsFor = (onOpen: (s: Sweep) => void): Column<Sweep>[] => [
  { id: "at", head: "When", value: (s) => s.at, cell: (s) => sayInstant(s.at), className: "text-sm" },
  {
    id: "what",
    head: "Change",
    value: (s) => s.text,
    cell: (s) => (
      <>
        <Quiet onClick={() => onOpen(s)}>{s.text}</Quiet>
        <span className="block text-sm text-ink-2">
          {nameOf(s.kind)}; {s.reason}
        </span>
      </>
    ),
  },
  { id: "effect", head: "Effect", value: effect, className: "text-sm text-ink-2" },
  {
    id: "state",
    head: "Status",
    value: (s) => states[s.state][0],
    cell: (s) => <Tag tone={states[s.state][1]}>{states[s.state][0]}</Tag>,
  },
  { id: "who", head: "Who", value: (s) => s.who, className: "text-sm text-ink-2" },
  { id: "acts", head: "Actions", unnamed: true, right: true, cell: (s) => <Acts sweep={s} /> },
];

/** What a change did, in a few words. */
function effect(s: Sweep) {
  const parts = [
    s.done > 0 && `${sayCount(s.done, "record")} changed`,
    s.kept > 0 && `${sayNumber(s.kept)} not changed`,
    s.undone > 0 && `${sayNumber(s.undone)} undone`,
    s.stays > 0 && `${sayNumber(s.stays)} could not be undone`,
    s.waiting > 0 &&
      (s.state === "working" || s.state === "stopped"
        ? `${sayNumber(s.waiting)} to go`
        : `${sayNumber(s.waiting)} never applied`),
  ];
  return parts.filter((x) => x).join("; ");
}

function Acts({ sweep: s }: { sweep: Sweep }) {
  const askAgain = useAskAgain();
  const act = useWrite(
    (what: "stop" | "continue" | "undo", key) =>
      api.POST(`/api/sweeps/{id}/${what}`, { params: { path: { id: s.id }, header: keyed(key) } }),
    { name: `sweep ${s.id}`, about: s.text, done: () => askAgain() },
  );
  const button = (what: "stop" | "continue" | "undo", text: string) => (
    <Quiet disabled={act.busy} onClick={() => act.run(what)}>
      {text}
    </Quiet>
  );
  return (
    <span className="inline-flex gap-2.5">
      {(s.state === "working" || s.state === "undoing") && button("stop", "Stop")}
      {s.state === "stopped" && button("continue", "Continue")}
      {(s.state === "done" || s.state === "stopped") && button("undo", "Undo")}
      <Trouble error={act.problem} />
    </span>
  );
}

const lineStates: Record<Exclude<Line["state"], "">, string> = {
  waiting: "To do",
  done: "Changed",
  kept: "Not changed",
  undone: "Undone",
  stays: "Not undone",
};

/** The records of a change that was applied. */
function Lines({ of, onClose }: { of: Sweep; onClose: () => void }) {
  const [state, setState] = useState<"" | keyof typeof lineStates>("");
  const list = usePages(["sweep", of.id, state], (after) =>
    told(
      api.GET("/api/sweeps/{id}/lines", {
        params: { path: { id: of.id }, query: { after, most: 200, ...(state && { state }) } },
      }),
    ),
  );
  return (
    <Card label="Records">
      <div className="flex flex-wrap items-end gap-3 border-b border-line px-4 py-2.5">
        <h2 className="flex-1 self-center font-semibold">{of.text}</h2>
        <Field label="Status">
          <select className={inputLook} value={state} onChange={(e) => setState(e.target.value as typeof state)}>
            <option value="">all</option>
            {Object.entries(lineStates).map(([code, text]) => (
              <option key={code} value={code}>
                {text}
              </option>
            ))}
          </select>
        </Field>
        <Button plain onClick={onClose}>
          Close
        </Button>
      </div>
      <Loading of={list} lines={3}>
        {(rows) => (
          <Table
            label="Records"
            columns={doneColumns}
            rows={rows}
            id={(l) => l.id}
            pages={list.pages}
            tools
            paper={of.text}
            className="max-h-[46vh]"
            empty="No records with this status."
          />
        )}
      </Loading>
    </Card>
  );
}

const doneColumns: Column<Line>[] = [
  ...lineColumns.filter((c) => c.id !== "notes"),
  {
    id: "state",
    head: "Status",
    value: (l) => (l.state ? lineStates[l.state] : ""),
    cell: (l) => (
      <>
        {l.state && lineStates[l.state]}
        {l.reason && <span className="block text-ink-2">{l.reason}</span>}
      </>
    ),
    className: "text-sm max-w-56",
  },
];
