import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useStore } from "zustand";
import { api, keyed } from "../../api/client";
import { Loading } from "../../kit/loading";
import { branchName, useMe } from "../../kit/me";
import { Button, Head, inputLook, Trouble } from "../../kit/parts";
import { isEmployed } from "../../kit/places";
import { usePrompt } from "../../kit/scan";
import { useScans } from "../../kit/scans/scans";
import { useWrite } from "../../kit/write";
import { Asks } from "./Asks";
import { Piles } from "./Piles";
import { lookAtRun, returns, sessionOf, show, type Mode, type Run } from "./session";
import { Tape } from "./Tape";

/** Taking back: from the bin in silence, or with the patron there. The run is still there on coming back. */
export function ReturnsPlace() {
  const me = useMe();
  const mode = useStore(returns, (r) => r.mode);
  const session = sessionOf(mode);
  const open = useStore(returns, (r) => r.runs[session]);
  const closed = useStore(returns, (r) => r.closed);
  const waiting = useScans("returns", session);
  usePrompt(mode === "bin" ? "Scan an item from the bin" : "Scan an item the patron brings");
  // A scan opens the run itself; this shows the one that is open before anything is scanned.
  const opened = useQuery({
    queryKey: ["run", session, me.id, closed],
    queryFn: () => lookAtRun(session),
    staleTime: Infinity,
    refetchOnMount: "always", // another window may have gone on with it
  });
  return (
    <div className="grid gap-3.5">
      <Head title="Returns" says={open?.run.says}>
        {mode === "bin" && open && isEmployed(me.role) && (
          <CountedAs key={open.run.id} run={open.run} session={session} />
        )}
        <Situation mode={mode} />
      </Head>
      <Loading of={{ ...opened, data: open }} lines={8}>
        {({ run, fresh }) => (
          <>
            <Asks run={run} fresh={fresh} />
            <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_290px]">
              <Tape run={run} fresh={fresh} waiting={waiting} />
              <Piles run={run} session={session} branch={branchName(me)} />
            </div>
          </>
        )}
      </Loading>
    </div>
  );
}

const situations: [Mode, string][] = [
  ["bin", "From the bin"],
  ["patron", "The patron is here"],
];

/** The two situations, never mixed: both are shown, and which is on. */
function Situation({ mode }: { mode: Mode }) {
  return (
    <div role="radiogroup" aria-label="Situation" className="flex rounded-card border-[1.5px] border-spruce-700">
      {situations.map(([m, name]) => (
        <button
          key={m}
          type="button"
          role="radio"
          aria-checked={m === mode}
          onClick={() => returns.setState({ mode: m })}
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

/** What the next returns of the run count as. It is set on purpose, not by passing through the field. */
function CountedAs({ run, session }: { run: Run; session: string }) {
  const [day, setDay] = useState(run.counted_as);
  const count = useWrite(
    (to: string, key) =>
      api.PUT("/api/returns/{id}/counted-as", {
        params: { path: { id: run.id }, header: keyed(key) },
        body: to ? { day: to } : {},
      }),
    { name: `counted as ${run.id}`, about: "Changing what returns count as", done: (r) => show(session, r) },
  );
  return (
    <form
      className="flex flex-wrap items-center gap-2 text-sm text-ink-2"
      onSubmit={(e) => {
        e.preventDefault();
        count.run(day);
      }}
    >
      <label className="flex items-center gap-2">
        Counted as
        <input type="date" className={inputLook} value={day} onChange={(e) => setDay(e.target.value)} />
      </label>
      {day !== run.counted_as && (
        <Button type="submit" busy={count.busy}>
          {day ? "Count from now on" : "Count as now"}
        </Button>
      )}
      <Trouble error={count.problem} />
    </form>
  );
}
