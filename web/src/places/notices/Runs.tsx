import clsx from "clsx";
import { useState } from "react";
import { Button, Card, Empty, Tag, Trouble, type Tone } from "../../ui/parts";
import { sayCount, sayDate } from "../../ui/say";
import { OneRun } from "./Run";
import { isOdd, useSend, type Run } from "./sending";

/** What each night worked out, by plan: looked at, then sent, each once. */
export function Runs({ runs, maySend }: { runs: Run[]; maySend: boolean }) {
  const trials = runs.filter((r) => r.state === "trial");
  const [open, setOpen] = useState<number | undefined>(trials.find(isOdd)?.id ?? trials[0]?.id);
  const run = runs.find((r) => r.id === open);
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(260px,310px)_minmax(0,1fr)]">
      <Card label="Runs">
        {maySend && trials.length > 1 && <SendUsual trials={trials} />}
        <ul className="max-h-[70vh] divide-y divide-line overflow-auto">
          {runs.map((r) => (
            <Line key={r.id} run={r} open={r.id === open} onOpen={() => setOpen(r.id)} />
          ))}
        </ul>
      </Card>
      {run ? (
        <OneRun key={run.id} run={run} maySend={maySend} />
      ) : (
        <Card label="Run">
          <Empty>Choose a run to see whom it tells, and what.</Empty>
        </Card>
      )}
    </div>
  );
}

function Line({ run: r, open, onOpen }: { run: Run; open: boolean; onOpen: () => void }) {
  const [tone, word] = stateOf(r);
  return (
    <li>
      <button
        type="button"
        aria-pressed={open}
        onClick={onOpen}
        className={clsx(
          "flex w-full cursor-pointer items-start gap-3 px-4 py-2.5 text-left hover:bg-sunk",
          open && "bg-sunk",
        )}
      >
        <span className="flex-1">
          <b className="block font-semibold">{r.name}</b>
          <span className="block text-sm text-ink-2">
            {sayDate(r.day)}: {sayCount(r.people, "patron")}
          </span>
          {isOdd(r) && <span className="block text-sm text-buoy-700">{r.why.result}</span>}
        </span>
        <Tag tone={tone}>{word}</Tag>
      </button>
    </li>
  );
}

function stateOf(r: Run): [Tone, string] {
  switch (r.state) {
    case "trial":
      return ["amber", "Trial run"];
    case "sending":
      return ["tide", "Being sent"];
    case "stopped":
      return ["buoy", "Stopped"];
    case "dropped":
      return ["plain", "Discarded"];
    default:
      return r.waiting ? ["tide", `${r.waiting} waiting`] : ["spruce", "Sent"];
  }
}

/** Sends all trial runs together whose numbers are as usual, so that each person gets one message. */
function SendUsual({ trials }: { trials: Run[] }) {
  const usual = trials.filter((r) => r.usual);
  const send = useSend("usual runs", "Sending the usual runs");
  if (usual.length < 2) return null;
  return (
    <div className="border-b border-line px-4 py-2.5">
      <Button plain busy={send.busy} onClick={() => send.run(usual.map((r) => r.id))}>
        Send the {usual.length} usual runs
      </Button>
      <p className="mt-1 text-sm text-ink-2">Together, so that each person gets one message.</p>
      <Trouble error={send.problem} />
    </div>
  );
}
