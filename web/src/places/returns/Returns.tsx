import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import { useEffect, useRef, useState } from "react";
import { api, newKey, Problem, surely, told, type Schema } from "../../api/client";
import { Settle } from "../desk/Settle";
import { Ask } from "../../kit/ask";
import { Button, Card, Code, Empty, Head, inputLook, Loading, Quiet, Tag, Trouble } from "../../kit/parts";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { saySecond } from "../../kit/say";
import { useScanPlace } from "../../kit/scan";
import { SignPanel, SignTag } from "../../kit/sign";
import { play } from "../../kit/sound";
import { Why } from "../../kit/why";

type Run = Schema["ReturnsRun"];
type Line = Schema["ReturnsLine"];
type Change = Schema["ReturnsChange"];
type Mode = "bin" | "patron";

/** Lines newest first, each as it is in the first list that has it. */
function merged(first: Line[], then: Line[]): Line[] {
  const known = new Set(first.map((l) => l.id));
  return [...first, ...then.filter((l) => !known.has(l.id))].sort((a, b) => b.id - a.id);
}

/** The run with what an act has changed: piles and open sums as they are now, notes that wait. */
function withChange(run: Run, c: Change): Run {
  const piles = new Map(run.piles!.map((p) => [p.kind + p.place, p]));
  for (const p of c.piles!) piles.set(p.kind + p.place, p);
  const open = new Map(run.open!.map((o) => [o.patron_id, o]));
  for (const o of c.open!) open.set(o.patron_id, o);
  const seen = new Set(c.lines!.map((l) => l.id));
  const waits = c.lines!.filter((l) => l.note_answer === "open" && !l.undone);
  return {
    ...run,
    piles: [...piles.values()].filter((p) => p.count > 0),
    open: [...open.values()].filter((o) => o.lines > 0),
    notes: [...waits, ...run.notes!.filter((l) => !seen.has(l.id))],
  };
}

/** Taking back: from the bin in silence, or with the patron there. The run is still there on coming back. */
export function ReturnsPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const [mode, setMode] = useState<Mode>(() => (sessionStorage.getItem("returns") as Mode | null) ?? "bin");
  const [run, setRun] = useState<Run>();
  const [error, setError] = useState<unknown>();
  const [pending, setPending] = useState<string[]>([]);
  const line = useRef(Promise.resolve());

  const opened = useQuery({
    queryKey: ["run", mode, me.branch, me.name],
    queryFn: () => told(api.POST("/api/returns", { params: { header: newKey() }, body: { mode } })),
  });
  useEffect(() => {
    if (opened.data) setRun(opened.data);
  }, [opened.data]);
  const runId = run?.id;
  const [fresh, setFresh] = useState<Line[]>([]); // scanned or changed since the page of lines was asked for
  useEffect(() => setFresh([]), [runId]);
  const known = usePages(
    ["lines", runId],
    (after) => told(api.GET("/api/returns/{id}/lines", { params: { path: { id: runId! }, query: { after } } })),
    { enabled: !!runId },
  );
  const lines = merged(fresh, known.rows ?? []);
  useEffect(() => sessionStorage.setItem("returns", mode), [mode]);

  const show = (r: Run) => {
    setRun(r);
    setError(undefined);
    queries.setQueryData(["run", mode, me.branch, me.name], r);
  };
  /** Takes in what an act has changed of the run. */
  const changed = (c: Change) => {
    setFresh((f) => merged(c.lines!, f));
    setRun((r) => (r?.id === c.run ? withChange(r, c) : r));
    setError(undefined);
    void queries.invalidateQueries({ queryKey: ["today"] });
  };
  useEffect(() => {
    if (run) queries.setQueryData(["run", mode, me.branch, me.name], run);
    // Only what the run has become is kept for coming back.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [run]);

  const onScan = (text: string) => {
    if (!run) return;
    const id = run.id;
    const key = newKey();
    setPending((p) => [text, ...p]);
    line.current = line.current.then(async () => {
      try {
        const r = await surely(() =>
          api.POST("/api/returns/{id}/scan", { params: { path: { id }, header: key }, body: { text } }),
        );
        changed(r);
        const newest = r.lines![0];
        play(
          newest?.answer === "open" || newest?.note_answer === "open"
            ? "ask"
            : newest?.sign.kind === "aside"
              ? "wrong"
              : "done",
        );
      } catch (e) {
        setError(new Problem(0, `${text}: ${(e as Problem).message}`));
        play("wrong");
      }
      setPending((p) => p.toSpliced(p.lastIndexOf(text), 1));
    });
  };

  const open = run?.open ?? [];
  const account = (patron: number) =>
    told(
      api.POST("/api/returns/{id}/account", { params: { path: { id: run!.id }, header: newKey() }, body: { patron } }),
    ).then(changed, setError);
  const [paying, setPaying] = useState<Schema["PeopleCard"]>();
  const pay = (patron: number) =>
    told(api.GET("/api/patrons/{id}", { params: { path: { id: patron } } })).then(setPaying, setError);
  const paid = (patron: number) =>
    told(api.GET("/api/returns/{id}/patrons/{patron}", { params: { path: { id: run!.id, patron } } })).then(
      changed,
      setError,
    );

  const notes = run?.notes ?? [];
  const noteAnswers = (l: Line) =>
    (
      [
        ["It stays", "stays"],
        ["To repair", "repair"],
        ["It comes off", "off"],
        ...(me.role === "volunteer" ? [] : [["Out of the stock", "withdrawn"] as const]),
      ] as const
    ).map(([label, answer]) => ({
      label,
      give: () =>
        void told(
          api.POST("/api/return-lines/{id}/note", {
            params: { path: { id: l.id }, header: newKey() },
            body: { answer },
          }),
        ).then(changed, setError),
    }));
  const moneyAnswers = (o: Schema["ReturnsOpenSum"]) => [
    { label: "Pay or waive", give: () => void pay(o.patron_id) },
    { label: "Onto the account", give: () => void account(o.patron_id) },
  ];

  useScanPlace({
    prompt: mode === "bin" ? "Scan an item from the bin" : "Scan an item the patron brings",
    onScan,
    onKey: (key) => {
      const first = notes[0] ? noteAnswers(notes[0]) : open[0] ? moneyAnswers(open[0]) : [];
      const answer = first[Number(key) - 1];
      answer?.give();
      return !!answer;
    },
  });

  const undo = (id: number) =>
    told(api.POST("/api/return-lines/{id}/undo", { params: { path: { id }, header: newKey() } })).then(
      changed,
      setError,
    );
  const [finishing, setFinishing] = useState(false);
  const finish = async () => {
    try {
      await told(api.POST("/api/returns/{id}/finish", { params: { path: { id: run!.id }, header: newKey() } }));
      setFinishing(false);
      setPaying(undefined);
      setFresh([]);
      await queries.resetQueries({ queryKey: ["run"] });
    } catch (e) {
      setError(e);
    }
  };
  const count = (day: string) =>
    told(
      api.PUT("/api/returns/{id}/counted-as", {
        params: { path: { id: run!.id }, header: newKey() },
        body: day ? { day } : {},
      }),
    ).then(show, setError);

  const unanswered = open.length + notes.length > 0;
  const newest = lines.find((l) => !l.undone);
  return (
    <div className="grid gap-3.5">
      <Head title={mode === "bin" ? "Returns run" : "Returns, patron here"} says={run?.says}>
        {mode === "bin" && run && me.role !== "volunteer" && (
          <label className="flex items-center gap-2 text-sm text-ink-2">
            Counted as
            <input
              type="date"
              className={inputLook}
              value={run.counted_as}
              onChange={(e) => void count(e.target.value)}
            />
          </label>
        )}
        <Button plain onClick={() => setMode(mode === "bin" ? "patron" : "bin")}>
          {mode === "bin" ? "The patron is here" : "From the bin"}
        </Button>
      </Head>
      <Trouble error={error ?? opened.error} />
      {newest && <SignPanel sign={newest.sign} title={newest.title} code={newest.barcode} />}
      {notes.map((l, k) => (
        <Ask key={`n${l.id}`} keys={k === 0} answers={noteAnswers(l)}>
          <b className="font-semibold">{l.title}</b>: “{l.note}”
        </Ask>
      ))}
      {open.map((o, k) => (
        <Ask key={o.patron_id} keys={k === 0 && notes.length === 0} answers={moneyAnswers(o)}>
          <b className="font-semibold">{o.patron}</b> has ${o.new} for lateness now
          {o.earlier !== "0.00" && `, and $${o.earlier} from earlier`}.
        </Ask>
      ))}
      {paying && (
        <Card label={`Settle with ${paying.name}`}>
          <div className="flex items-baseline justify-between px-3.5 pt-3">
            <b className="font-semibold">
              {paying.name} owes ${paying.owes}
            </b>
            <Quiet onClick={() => setPaying(undefined)}>Close</Quiet>
          </div>
          {paying.charges!.length > 0 ? (
            <Settle
              card={paying}
              onChange={() => {
                void pay(paying.id);
                void paid(paying.id);
              }}
            />
          ) : (
            <Empty>Nothing is owed.</Empty>
          )}
        </Card>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_290px] items-start gap-3.5">
        <Card label="Tape" className="max-h-[60vh] overflow-auto">
          {!run ? (
            <Loading />
          ) : lines.length + pending.length === 0 && !known.isPending ? (
            <Empty>Nothing scanned in this run yet. Each item says where it goes as soon as it is scanned.</Empty>
          ) : (
            <table className="list">
              <thead>
                <tr>
                  <th>Time</th>
                  <th>Item</th>
                  <th>What we found</th>
                  <th>Goes to</th>
                  <th>Account</th>
                  <th>
                    <span className="sr-only">Why and undo</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {pending.map((p, k) => (
                  <tr key={`p${k}`} className="text-ink-2">
                    <td>…</td>
                    <td>
                      <Code>{p}</Code>
                    </td>
                    <td colSpan={4}>Being looked up</td>
                  </tr>
                ))}
                {lines.map((l) => (
                  <tr key={l.id} className={clsx(l.undone && "opacity-50")}>
                    <td className="tabular-nums">{saySecond(l.at)}</td>
                    <td>
                      {l.item_id ? (
                        <Link
                          to="/items"
                          search={{ item: l.item_id }}
                          className={clsx("font-semibold hover:underline", l.undone && "line-through")}
                        >
                          {l.title}
                        </Link>
                      ) : (
                        <b className="font-semibold">{l.title}</b>
                      )}
                      <br />
                      <Code>{l.barcode}</Code>
                    </td>
                    <td>{l.found}</td>
                    <td>
                      <SignTag sign={l.sign} />
                    </td>
                    <td className="tabular-nums">
                      {l.fine &&
                        `$${l.fine} ${{ open: "asked", paid: "paid", account: "charged", waived: "waived", "": "" }[l.answer]}`}
                      {l.patron && (
                        <Link
                          to="/patrons"
                          search={{ patron: l.patron_id }}
                          className="block text-sm text-ink-2 hover:underline"
                        >
                          {l.patron}
                        </Link>
                      )}
                    </td>
                    <td className="text-right whitespace-nowrap">
                      <Why trace={l.why}>{l.fine ? `Why $${l.fine}` : "Why here"}</Why>{" "}
                      {!l.undone ? <Quiet onClick={() => void undo(l.id)}>Undo</Quiet> : <Tag tone="plain">Undone</Tag>}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {known.more}
        </Card>
        <Card label="Piles">
          <ul className="divide-y divide-line">
            {run?.piles!.map((p) => (
              <li key={p.kind + p.place} className="flex items-center justify-between px-3.5 py-2.5">
                {p.name}
                <b className="text-xl tabular-nums">{p.count}</b>
              </li>
            ))}
            {run?.piles!.length === 0 && (
              <li>
                <Empty>The piles and their counts stand here.</Empty>
              </li>
            )}
          </ul>
          <div className="grid gap-2 border-t border-line p-3.5">
            {finishing && unanswered && (
              <p className="text-sm">
                Still open: {[...open.map((o) => `${o.patron} $${o.new}`), ...notes.map((l) => l.title)].join(", ")}.
                Finishing leaves charges on the accounts and notes as they are.
              </p>
            )}
            <div className="flex gap-2">
              <Button
                disabled={!run || lines.length === 0}
                onClick={() => (finishing || !unanswered ? void finish() : setFinishing(true))}
              >
                {finishing && unanswered ? "Finish all the same" : "Finish the run"}
              </Button>
              {newest?.sign.hold_id && (
                <a
                  href={`/api/slips/hold/${newest.sign.hold_id}`}
                  target="_blank"
                  className="rounded-card border-[1.5px] border-spruce-700 px-3 py-1 font-semibold text-spruce-700"
                >
                  Print slip
                </a>
              )}
            </div>
          </div>
        </Card>
      </div>
    </div>
  );
}
