import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Empty, Field, inputLook, Loading, Tag, Trouble, type Tone } from "../../kit/parts";
import { sayInstant } from "../../kit/say";
import type { Working } from "./Rulebook";

type Rehearsal = Schema["RulesRehearsal"];
type Tally = Schema["RulebookTally"];

const tones: Record<Rehearsal["state"], [Tone, string]> = {
  waiting: ["plain", "Waiting"],
  running: ["amber", "Running"],
  done: ["spruce", "Done"],
  stopped: ["plain", "Stopped"],
  failed: ["buoy", "Failed"],
};

const money = (cents: number) => `$${(cents / 100).toLocaleString("en", { minimumFractionDigits: 2 })}`;
const count = (n: number) => n.toLocaleString("en");

/** A draft tried on what really happened: how many due dates move, what lateness costs, who would be stopped. */
export function RehearsalTab({ edition, now }: Working) {
  const me = useMe().data!;
  const queries = useQueryClient();
  const today = me.now.slice(0, 10);
  const yearAgo = `${Number(today.slice(0, 4)) - 1}${today.slice(4)}`;
  // Since the edition in force began, if that is long enough ago: what moves then is the draft's doing alone.
  const quarterAgo = new Date(Date.parse(today) - 90 * 86_400_000).toISOString().slice(0, 10);
  const [since, setSince] = useState(now.from > yearAgo && now.from < quarterAgo ? now.from : yearAgo);
  const [until, setUntil] = useState(today);
  const [chosen, setChosen] = useState<number>();
  const [error, setError] = useState<unknown>();
  const list = usePages(["rehearsals", edition.id], (after) =>
    told(api.GET("/api/rulebook/editions/{id}/rehearsals", { params: { path: { id: edition.id }, query: { after } } })),
  );
  const id = chosen ?? list.rows?.[0]?.id;
  const one = useQuery({
    queryKey: ["rehearsal", id],
    enabled: !!id,
    queryFn: () => told(api.GET("/api/rehearsals/{id}", { params: { path: { id: id! } } })),
    refetchInterval: (q) => (["waiting", "running"].includes(q.state.data?.state ?? "") ? 600 : false),
  });
  const begin = () =>
    told(
      api.POST("/api/rulebook/editions/{id}/rehearsals", {
        params: { path: { id: edition.id }, header: newKey() },
        body: { since, until },
      }),
    ).then((r) => {
      setChosen(r.id);
      setError(undefined);
      return queries.invalidateQueries({ queryKey: ["rehearsals"] });
    }, setError);
  const stop = () =>
    told(api.POST("/api/rehearsals/{id}/stop", { params: { path: { id: id! }, header: newKey() } })).then(
      () => queries.invalidateQueries({ queryKey: ["rehearsal", id] }),
      setError,
    );
  const r = one.data;
  return (
    <div className="grid gap-3.5">
      <Card label="Rehearse" className="flex flex-wrap items-end gap-3 p-3.5">
        <Field label="Loans made from">
          <input type="date" className={inputLook} value={since} onChange={(e) => setSince(e.target.value)} />
        </Field>
        <Field label="to">
          <input type="date" className={inputLook} value={until} onChange={(e) => setUntil(e.target.value)} />
        </Field>
        <Button onClick={() => void begin()}>
          Rehearse {edition.state === "draft" ? "draft" : "edition"} {edition.number}
        </Button>
        {(list.rows?.length ?? 0) > 0 && (
          <Field label="Earlier rehearsals">
            <select className={inputLook} value={id} onChange={(e) => setChosen(Number(e.target.value))}>
              {list.rows!.map((x) => (
                <option key={x.id} value={x.id}>
                  {sayInstant(x.begun_at)}: {x.period}
                  {x.stale && ", of an earlier state of the draft"}
                </option>
              ))}
            </select>
          </Field>
        )}
      </Card>
      {list.more}
      <Trouble error={error ?? list.error ?? one.error} />
      {!r && list.rows?.length === 0 && (
        <Empty>
          Nothing rehearsed yet. A rehearsal runs these rules against all loans of a period and shows what would have
          been different, before anything counts.
        </Empty>
      )}
      {!r && list.rows?.length !== 0 && <Loading />}
      {r && r.state !== "done" && (
        <Card label="Progress" className="flex items-center gap-4 p-3.5">
          <Tag tone={tones[r.state][0]}>{tones[r.state][1]}</Tag>
          <progress
            className="h-3 flex-1 accent-spruce-700"
            aria-label="Loans rehearsed"
            value={r.done}
            max={Math.max(r.total, 1)}
          />
          <span className="tabular-nums">
            {count(r.done)} of {count(r.total)} loans
          </span>
          {(r.state === "waiting" || r.state === "running") && <Button onClick={() => void stop()}>Stop</Button>}
          {r.problem && <p className="text-buoy-700">{r.problem}</p>}
        </Card>
      )}
      {r?.result && <Found r={r} />}
    </div>
  );
}

function Found({ r }: { r: Rehearsal }) {
  const f = r.result!;
  const difference = f.charged_after - f.charged_before;
  return (
    <div className="grid gap-3.5">
      {r.stale && (
        <p className="rounded-card border border-amber-500 bg-amber-100 px-3 py-2 text-amber-700">
          The draft has been changed since. Rehearse it again to see what holds now.
        </p>
      )}
      <Card label="In short" className="grid grid-cols-[repeat(auto-fit,minmax(170px,1fr))] gap-x-6 gap-y-3 p-4">
        <Figure name="Loans looked at" value={count(f.loans)} says={`${r.period}, in ${r.seconds.toFixed(1)} s`} />
        <Figure name="Due dates that move" value={count(f.moved)} says={share(f.moved, f.loans)} />
        <Figure
          name="Charges for lateness"
          value={`${difference < 0 ? "−" : "+"}${money(Math.abs(difference))}`}
          says={`${money(f.charged_before)} before, ${money(f.charged_after)} after`}
        />
        <Figure name="Back late" value={count(f.late_after)} says={`${count(f.late_before)} before`} />
        <Figure
          name="Would be refused"
          value={count(f.refused)}
          says={`${count(f.renewals_refused)} renewals too; ${count(f.allowed)} stops fewer`}
        />
        <Figure
          name="Patrons newly stopped"
          value={count(f.stopped?.length ?? 0)}
          says={`${count(f.freed?.length ?? 0)} no longer`}
        />
        <Figure
          name="Somebody waited for"
          value={count(f.awaited)}
          says={`of those that move, due ${count(f.awaited_days)} days later in all`}
        />
      </Card>
      <div className="grid grid-cols-2 items-start gap-3.5">
        <Moves by={f.by_days as Record<string, number>} />
        <Charges rows={rowsOf(r, "lending_branch")} />
      </div>
      {["edition", "lending_branch", "patron_class", "material_class"].map((d) => (
        <Sums key={d} name={d.replaceAll("_", " ")} rows={rowsOf(r, d)} />
      ))}
      <Cases r={r} />
      <Card label="Taken for granted" className="p-4">
        <b className="font-semibold">What is taken for granted</b>
        <ul className="list-disc pl-5 text-ink-2">
          {r.assumed!.map((t) => (
            <li key={t}>{t}</li>
          ))}
        </ul>
      </Card>
      <a
        href={`/api/rehearsals/${r.id}/table.csv`}
        download={`rehearsal-${r.number}.csv`}
        className="justify-self-start border-b border-dotted border-spruce-500 text-sm text-spruce-700"
      >
        All of this as CSV
      </a>
    </div>
  );
}

const share = (n: number, of: number) => (of === 0 ? "" : `${((100 * n) / of).toFixed(1)}% of all`);

function Figure({ name, value, says }: { name: string; value: string; says: string }) {
  return (
    <div>
      <p className="text-sm text-ink-2">{name}</p>
      <p className="font-display text-3xl font-bold tabular-nums">{value}</p>
      <p className="text-sm text-ink-2">{says}</p>
    </div>
  );
}

type Line = { code: string; name: string; tally: Tally };

function rowsOf(r: Rehearsal, d: string): Line[] {
  const by = (r.result!.by as Record<string, Record<string, Tally>>)[d] ?? {};
  const names = r.names as Record<string, string>;
  return Object.entries(by)
    .map(([code, tally]) => ({ code, name: names[code] ?? code, tally }))
    .sort((a, b) => b.tally.loans - a.tally.loans);
}

/** How many loans would have been due so many days later or earlier, as bars. */
function Moves({ by }: { by: Record<string, number> }) {
  const days = Object.entries(by)
    .map(([d, n]) => [Number(d), n] as const)
    .sort((a, b) => a[0] - b[0]);
  const most = Math.max(1, ...days.map(([, n]) => n));
  return (
    <Card label="How far due dates move" className="p-4">
      <b className="font-semibold">How far due dates move</b>
      {days.length === 0 ? (
        <Empty>No due date moves.</Empty>
      ) : (
        <table className="mt-2 w-full text-sm">
          <thead className="sr-only">
            <tr>
              <th>Days</th>
              <th>Loans</th>
              <th>Picture</th>
            </tr>
          </thead>
          <tbody>
            {days.map(([d, n]) => (
              <tr key={d}>
                <td className="w-28 pr-2 text-right whitespace-nowrap tabular-nums">
                  {Math.abs(d)} {Math.abs(d) === 1 ? "day" : "days"} {d > 0 ? "later" : "earlier"}
                </td>
                <td className="w-16 pr-2 text-right tabular-nums">{count(n)}</td>
                <td aria-hidden>
                  <span
                    className={clsx("block h-3 rounded-sm", d > 0 ? "bg-spruce-500" : "slant bg-buoy-500")}
                    style={{ width: `${Math.max(1, (100 * n) / most)}%` }}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Card>
  );
}

/** Charges before and after, branch by branch. */
function Charges({ rows }: { rows: Line[] }) {
  const most = Math.max(1, ...rows.map((r) => Math.max(r.tally.charged_before, r.tally.charged_after)));
  return (
    <Card label="Charges by branch" className="p-4">
      <p className="flex items-baseline gap-4">
        <b className="font-semibold">Charges by branch</b>
        <span className="flex items-center gap-1.5 text-sm text-ink-2">
          <span aria-hidden className="size-3 rounded-sm bg-line-strong" /> before
          <span aria-hidden className="ml-2 size-3 rounded-sm bg-spruce-500" /> after
        </span>
      </p>
      <ul className="mt-2 grid gap-2">
        {rows.map((r) => (
          <li key={r.code} className="grid grid-cols-[110px_1fr_90px] items-center gap-2 text-sm">
            <span>{r.name}</span>
            <span aria-hidden className="grid gap-0.5">
              <span
                className="block h-2 rounded-sm bg-line-strong"
                style={{ width: `${(100 * r.tally.charged_before) / most}%` }}
              />
              <span
                className="block h-2 rounded-sm bg-spruce-500"
                style={{ width: `${(100 * r.tally.charged_after) / most}%` }}
              />
            </span>
            <span className="text-right tabular-nums">{money(r.tally.charged_after)}</span>
          </li>
        ))}
      </ul>
    </Card>
  );
}

function Sums({ name, rows }: { name: string; rows: Line[] }) {
  return (
    <Card label={`By ${name}`} className="overflow-x-auto">
      <table className="list">
        <thead>
          <tr>
            <th className="first-letter:uppercase">{name}</th>
            <th className="text-right">Loans</th>
            <th className="text-right">Due dates that move</th>
            <th className="text-right">Refused</th>
            <th className="text-right">Late before</th>
            <th className="text-right">Late after</th>
            <th className="text-right">Charged before</th>
            <th className="text-right">Charged after</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.code} className="tabular-nums">
              <td>{r.name}</td>
              <td className="text-right">{count(r.tally.loans)}</td>
              <td className="text-right">{count(r.tally.moved)}</td>
              <td className="text-right">{count(r.tally.refused)}</td>
              <td className="text-right">{count(r.tally.late_before)}</td>
              <td className="text-right">{count(r.tally.late_after)}</td>
              <td className="text-right">{money(r.tally.charged_before)}</td>
              <td className={clsx("text-right", r.tally.charged_after !== r.tally.charged_before && "font-semibold")}>
                {money(r.tally.charged_after)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Card>
  );
}

function Cases({ r }: { r: Rehearsal }) {
  const patrons = r.patrons as Record<string, Schema["RulesAffected"][]>;
  return (
    <>
      <Card label="Most affected loans" className="max-h-[50vh] overflow-auto">
        <h2 className="px-4 pt-3 font-semibold">Most affected loans</h2>
        {r.cases!.length === 0 ? (
          <Empty>No loan would have been different.</Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Title</th>
                <th>Patron</th>
                <th>Due before</th>
                <th>Due after</th>
                <th className="text-right">Charged before</th>
                <th className="text-right">Charged after</th>
                <th>Refused</th>
              </tr>
            </thead>
            <tbody>
              {r.cases!.map((c) => (
                <tr key={c.loan}>
                  <td>
                    <Link to="/rulebook" search={{ loan: c.loan }} className="font-semibold hover:underline">
                      {c.title}
                    </Link>
                  </td>
                  <td>{c.name}</td>
                  <td className="tabular-nums">{c.due_before}</td>
                  <td className="tabular-nums">{c.due_after}</td>
                  <td className="text-right tabular-nums">${c.before}</td>
                  <td className="text-right tabular-nums">${c.after}</td>
                  <td className="text-sm">{c.refused}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Card>
      {["stopped", "freed"].map(
        (kind) =>
          (patrons[kind]?.length ?? 0) > 0 && (
            <Card key={kind} label={`Patrons ${kind}`} className="p-4">
              <b className="font-semibold">
                {kind === "stopped" ? "Patrons newly stopped by what they would owe" : "Patrons no longer stopped"}
              </b>
              <p className="flex flex-wrap gap-x-3">
                {patrons[kind]!.map((p) => (
                  <Link key={p.id} to="/patrons" search={{ patron: p.id }} className="hover:underline">
                    {p.name}
                  </Link>
                ))}
              </p>
            </Card>
          ),
      )}
    </>
  );
}
