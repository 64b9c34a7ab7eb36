import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useState } from "react";
import { useStore } from "zustand";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { DateField, Form, Send, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { PadBar } from "../../circulation/pad/bar";
import { Button, Card, Code, Head, Quiet } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { usePrompt } from "../../shell/scan";
import { sayCount, sayInstant } from "../../ui/say";
import { useStationHere } from "../../shell/settings";
import { add, useScans } from "../../shell/scans/scans";
import { useWrite } from "../../shell/write";
import { Asks } from "./Asks";
import { Piles } from "./Piles";
import { Rests } from "./Rests";
import {
  chooseBin,
  chooseMode,
  closeFound,
  hearNews,
  lookAtRun,
  modeHere,
  returns,
  sessionOf,
  show,
  type Mode,
  type Run,
} from "./session";
import { Tape } from "./Tape";

/** Taking back: from the bin in silence, or with the patron there. The run is still there on coming back. */
export function ReturnsPlace() {
  const me = useMe();
  useStationHere();
  const mode = useStore(returns, modeHere);
  useStore(returns, (r) => r.bins);
  const found = useStore(returns, (r) => r.found);
  const session = sessionOf(mode);
  const open = useStore(returns, (r) => r.runs[session]);
  const closed = useStore(returns, (r) => r.closed);
  const waiting = useScans("returns", session);
  usePrompt(mode === "bin" ? "Scan an item from the bin" : "Scan an item from the patron");
  // A scan opens the run itself; this shows the one that is open before anything is scanned.
  const opened = useQuery({
    queryKey: ["run", session, me.id, closed],
    queryFn: () => lookAtRun(session),
    staleTime: Infinity,
    refetchOnMount: "always", // another window may have gone on with it
  });
  const askAgain = useAskAgain();
  // Another station may be scanning into the same bin.
  useQuery({
    queryKey: ["run news", session],
    queryFn: async () => {
      const much = await hearNews(session);
      if (much) askAgain("lines");
      return much;
    },
    enabled: mode === "bin" && open !== undefined,
    staleTime: Infinity,
  });
  return (
    <div className="grid gap-3.5">
      <Head title="Returns" says={!open?.run.odd && open?.run.says}>
        <Situation mode={mode} />
      </Head>
      <PadBar taker="returns" ready />
      {mode === "bin" && <Bins chosen={open?.run.bin} />}
      {open && <Counts key={open.run.id} run={open.run} session={session} />}
      {found && <FoundLent found={found} />}
      <Loading of={{ ...opened, data: open }} lines={8}>
        {({ run, fresh, mine = [] }) => (
          <>
            <Asks run={run} fresh={fresh} />
            <div className="@container">
              <div className="grid items-start gap-3.5 @3xl:grid-cols-[minmax(0,1fr)_290px]">
                <Tape run={run} fresh={fresh} mine={mine} waiting={waiting} />
                <div className="grid gap-3.5">
                  <Rests run={run} fresh={fresh.filter((l) => mine.includes(l.id))} />
                  <Piles run={run} session={session} branch={branchName(me)} />
                </div>
              </div>
            </div>
          </>
        )}
      </Loading>
    </div>
  );
}

const situations: [Mode, string][] = [
  ["bin", "From a bin"],
  ["patron", "With the patron"],
];

/** The two situations, never mixed: both are shown, and which is on. */
function Situation({ mode }: { mode: Mode }) {
  return (
    <div role="radiogroup" aria-label="Kind of return" className="flex rounded-card border-[1.5px] border-spruce-700">
      {situations.map(([m, name]) => (
        <button
          key={m}
          type="button"
          role="radio"
          aria-checked={m === mode}
          onClick={() => chooseMode(m)}
          className={`cursor-pointer px-3 py-1 font-semibold first:rounded-l last:rounded-r ${
            m === mode ? "bg-spruce-700 text-on" : "text-spruce-700 hover:bg-spruce-100"
          }`}
        >
          {m === mode && <span aria-hidden>✓ </span>}
          {name}
        </button>
      ))}
    </div>
  );
}

/** The bins of the branch: which is emptied here, when each was emptied, and by whom. */
function Bins({ chosen }: { chosen?: string }) {
  const me = useMe();
  const bins = useQuery({ queryKey: ["bins", me.branch], queryFn: () => told(api.GET("/api/bins")) });
  const rows = bins.data?.rows ?? [];
  if (rows.length < 2) return null;
  return (
    <div role="radiogroup" aria-label="Bin" className="flex flex-wrap gap-2">
      {rows.map((b) => (
        <button
          key={b.name}
          type="button"
          role="radio"
          aria-checked={b.name === chosen}
          onClick={() => chooseBin(b.name)}
          className={`cursor-pointer rounded-card border px-3 py-1 text-left ${
            b.name === chosen ? "border-spruce-700 bg-spruce-100" : "border-line bg-surface hover:border-line-strong"
          }`}
        >
          <b className="font-semibold">
            {b.name === chosen && <span aria-hidden>✓ </span>}
            {b.name}
          </b>
          <span className="block text-sm text-ink-2">{emptied(b)}</span>
        </button>
      ))}
    </div>
  );
}

function emptied(b: Schema["ReturnsBin"]) {
  if (!b.emptied) return "never emptied yet";
  const when = `${sayInstant(b.emptied)}, ${b.who}, ${sayCount(b.count, "item")}`;
  if (b.open) return `being emptied since ${when}`;
  return `${when}${b.hours >= 1 ? `; ${b.hours === 1 ? "an hour" : `${b.hours} hours`} ago` : ""}`;
}

/**
 * What the next returns of the run count as: plainly told where it is not as usual, and changed on purpose, by those who may.
 */
function Counts({ run, session }: { run: Run; session: string }) {
  const me = useMe();
  const may = isEmployed(me.role);
  const [open, setOpen] = useState(false);
  if (!run.odd && !may) return null;
  return (
    <Card
      label="Return date"
      className={run.odd ? "border-l-4 border-l-amber-500 bg-amber-100 px-4 py-2" : "border-transparent bg-transparent"}
    >
      <p className="flex flex-wrap items-baseline gap-x-4">
        {run.odd && <b className="font-semibold">{run.says}</b>}
        {may && (
          <Quiet aria-expanded={open} onClick={() => setOpen(!open)}>
            {run.odd ? "Change" : "Backdate"}
          </Quiet>
        )}
      </p>
      {open && <CountForm run={run} session={session} onDone={() => setOpen(false)} />}
    </Card>
  );
}

const counting = z.object({
  day: check.maybeDate,
  at: z.union([z.literal(""), z.string().regex(/^\d{2}:\d{2}$/, "Enter a time such as 16:30.")]),
  let_off: z
    .string()
    .trim()
    .regex(/^\d{0,2}$/, "Enter a number of days."),
  excused: check.text,
});

function CountForm({ run, session, onDone }: { run: Run; session: string; onDone: () => void }) {
  const me = useMe();
  const [day = "", at = ""] = run.counted_at ? run.counted_at.split("T") : [run.counted_as, ""];
  const count = useWrite(
    (body: Schema["ReturnsCounting"], key) =>
      api.PUT("/api/returns/{id}/counted-as", { params: { path: { id: run.id }, header: keyed(key) }, body }),
    {
      name: `counted as ${run.id}`,
      about: "Changing the return date",
      done: (r) => {
        show(session, r);
        onDone();
      },
    },
  );
  const send = (v: z.infer<typeof counting>) =>
    count.run({
      day: v.day && !v.at ? v.day : undefined,
      at: v.day && v.at ? `${v.day}T${v.at}` : undefined,
      let_off: Number(v.let_off) || undefined,
      excused: v.excused || undefined,
    });
  return (
    <Form
      label="Return date"
      schema={counting}
      start={{ day, at, let_off: String(run.let_off || ""), excused: run.excused }}
      write={count}
      onSend={send}
      className="mt-2 flex flex-wrap items-end gap-2.5"
    >
      <DateField name="day" label="Returned on" />
      <TextField name="at" label="Time, for hourly loans" width="w-24" />
      <TextField name="let_off" label={`Forgive late days, up to ${me.let_off}`} inputMode="numeric" width="w-24" />
      <TextField name="excused" label="Waive: our error" width="w-64" />
      <Send write={count}>Apply to next scans</Send>
      {run.odd && (
        <Button plain busy={count.busy} onClick={() => count.run({})}>
          Back to now
        </Button>
      )}
    </Form>
  );
}

/** Copies on loan that were found by their titles: one is returned as if it had been scanned. */
function FoundLent({ found }: { found: NonNullable<ReturnType<typeof returns.getState>["found"]> }) {
  return (
    <Card label="Copies on loan" className="max-h-[45vh] overflow-auto">
      <p className="flex items-baseline justify-between gap-3 border-b border-line px-4 py-2">
        <span>
          {found.rows.length}
          {found.more && "+"} on loan with “{found.words}”{found.more && "; add words to narrow the list"}
        </span>
        <Quiet onClick={closeFound}>Close</Quiet>
      </p>
      <ul className="divide-y divide-line">
        {found.rows.map((f) => (
          <li key={f.item} className="flex items-center gap-3 px-4 py-2">
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{f.title}</b>
              {f.author && <span className="text-ink-2">, {f.author}</span>}
              <span className="block text-sm text-ink-2">
                <Code>{f.barcode}</Code> · {f.owner}
                {f.call_number && `, ${f.call_number}`} · lent {f.lent}, due {f.due}
              </span>
            </span>
            <Button
              plain
              onClick={() => {
                closeFound();
                add("returns", f.barcode);
              }}
            >
              Select
            </Button>
          </li>
        ))}
      </ul>
    </Card>
  );
}
