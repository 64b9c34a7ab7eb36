import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import clsx from "clsx";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { Button, Card, Field, Head, inputLook, Loading, Tabs, Trouble } from "../../kit/parts";
import { sayDay } from "../../kit/say";
import { CompareTab } from "./CompareTab";
import { ExamplesTab } from "./ExamplesTab";
import { FileTab } from "./FileTab";
import { GridTab } from "./GridTab";
import { LoanTerms } from "./LoanTerms";
import { RehearsalTab } from "./RehearsalTab";
import { ReportsTab } from "./ReportsTab";
import { RulesTab } from "./RulesTab";

export type Edition = Schema["RulesEdition"];
export type Overview = Schema["RulesOverview"];

/** What every tab of the rulebook works on. */
export interface Working {
  book: Overview;
  edition: Edition;
  draft?: Edition; // the edition, if it is a draft and may be changed here
  now: Edition;
  supervising: boolean;
  after: (change: Promise<Edition>) => Promise<unknown>;
}

const tabs = [
  ["grid", "Grid"],
  ["rules", "Rules"],
  ["compare", "Comparison"],
  ["examples", "Examples"],
  ["rehearsal", "Rehearsal"],
  ["reports", "Reports"],
  ["file", "File"],
] as const;

const supervisors = ["rehearsal", "reports"];

/** The rulebook: editions on a line, and the same edition as a grid, as sentences, compared, tried and checked. */
export function RulebookPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { tab = "grid", loan, item, patron, edition: asked } = useSearch({ from: "/rulebook" });
  const [starting, setStarting] = useState(false);
  const [from, setFrom] = useState<string>();
  const [reason, setReason] = useState("");
  const [error, setError] = useState<unknown>();

  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  const editions = book.data?.editions ?? [];
  const now = editions.find((e) => e.state === "in_force");
  const edition = editions.find((e) => e.id === asked) ?? now;
  const supervising = me.role === "supervisor" || me.role === "administrator";
  const draft = edition?.state === "draft" && supervising ? edition : undefined;
  const go = (to: { tab?: string; edition?: number }) =>
    void navigate({
      to: "/rulebook",
      search: { tab: to.tab ?? tab, edition: "edition" in to ? to.edition : asked },
      replace: true,
    });

  const after = (promise: Promise<Edition>) =>
    promise.then(
      (e) => {
        go({ edition: e.id });
        setStarting(false);
        setError(undefined);
        return queries.invalidateQueries();
      },
      (e) => {
        setError(e);
        void queries.invalidateQueries({ queryKey: ["rulebook"] });
      },
    );
  const begin = () =>
    after(told(api.POST("/api/rulebook/drafts", { params: { header: newKey() }, body: { name: "" } })));
  const put = (day: string) =>
    after(
      told(
        api.POST("/api/rulebook/drafts/{id}/in-force", {
          params: { path: { id: draft!.id }, header: newKey() },
          body: { revision: draft!.revision, from: day, reason },
        }),
      ),
    );
  const drop = () =>
    told(api.DELETE("/api/rulebook/drafts/{id}", { params: { path: { id: draft!.id }, header: newKey() } })).then(
      () => {
        go({ edition: undefined });
        return queries.invalidateQueries();
      },
      setError,
    );
  const today = me.now.slice(0, 10);
  if (loan) return <LoanTerms of={{ loan }} />;
  if (item && patron) return <LoanTerms of={{ item, patron }} />;
  const working = book.data && edition && now && { book: book.data, edition, draft, now, supervising, after };
  return (
    <div className="grid gap-3.5">
      <Head title="Rulebook" says={edition && says(edition)}>
        {supervising && !draft && <Button onClick={() => void begin()}>Begin a draft</Button>}
        {draft && (
          <>
            <Button plain onClick={() => void drop()}>
              Drop this draft
            </Button>
            <Button onClick={() => setStarting(!starting)}>Put in force …</Button>
          </>
        )}
      </Head>
      <Trouble error={error ?? book.error} />
      {starting && draft && (
        <Card label="Put in force" className="flex flex-wrap items-end gap-3 p-3.5">
          <Field label="From">
            <input
              type="date"
              className={inputLook}
              min={today}
              value={from ?? today}
              onChange={(e) => setFrom(e.target.value)}
            />
          </Field>
          <Field label="Why it is changed">
            <input className={`${inputLook} w-80`} value={reason} onChange={(e) => setReason(e.target.value)} />
          </Field>
          <Button onClick={() => void put(from ?? today)}>
            Put in force from {sayDay((from ?? today) + "T12:00:00Z")}
          </Button>
          <p className="w-full text-sm text-ink-2">
            Loans already made keep the terms they were lent under. An edition in force is never changed again.
          </p>
        </Card>
      )}
      <Editions list={editions} chosen={edition?.id} onChoose={(id) => go({ edition: id })} />
      <Tabs
        label="Ways to look at this edition"
        tabs={tabs.filter(([id]) => supervising || !supervisors.includes(id))}
        chosen={tab}
        onChoose={(id) => go({ tab: id })}
      />
      {!working ? (
        <Loading lines={10} />
      ) : tab === "rules" ? (
        <RulesTab {...working} />
      ) : tab === "compare" ? (
        <CompareTab {...working} />
      ) : tab === "examples" ? (
        <ExamplesTab {...working} />
      ) : tab === "rehearsal" ? (
        <RehearsalTab {...working} />
      ) : tab === "reports" ? (
        <ReportsTab />
      ) : tab === "file" ? (
        <FileTab {...working} />
      ) : (
        <GridTab {...working} />
      )}
    </div>
  );
}

function says(e: Edition) {
  if (e.state === "draft")
    return `Draft ${e.number}${e.name && `, “${e.name}”`}: ${e.changes === 1 ? "one rule differs" : `${e.changes} rules differ`} from the edition it came from.`;
  const words: Record<string, string> = {
    in_force: "in force since",
    coming: "comes into force on",
    superseded: "was in force from",
  };
  return `Edition ${e.number} ${words[e.state]} ${e.from_says}, ${e.rules} rules.`;
}

function Editions({ list, chosen, onChoose }: { list: Edition[]; chosen?: number; onChoose: (id: number) => void }) {
  return (
    <Card label="Editions" className="print:hidden flex items-center gap-4 overflow-x-auto px-4 py-2">
      <b className="font-semibold">Editions</b>
      <ol className="relative flex flex-1 justify-around before:absolute before:inset-x-0 before:bottom-[7px] before:h-0.5 before:bg-line-strong">
        {list.map((e) => (
          <li key={e.id} className="relative">
            <button
              type="button"
              aria-pressed={e.id === chosen}
              onClick={() => onChoose(e.id)}
              className="grid cursor-pointer justify-items-center gap-1 px-3 text-sm"
            >
              <span className={clsx(e.id === chosen && "font-bold")}>
                {e.state === "draft"
                  ? `Draft ${e.number}`
                  : `${e.number}${e.state === "in_force" ? " in force" : e.state === "coming" ? " coming" : ""}`}
                {e.from && ` · ${e.from_says}`}
              </span>
              <span
                aria-hidden
                className={clsx(
                  "size-3 rounded-full ring-3",
                  e.id === chosen ? "ring-ink" : "ring-surface",
                  e.state === "in_force"
                    ? "bg-spruce-700"
                    : e.state === "draft" || e.state === "coming"
                      ? "bg-amber-500"
                      : "bg-line-strong",
                )}
              />
            </button>
          </li>
        ))}
      </ol>
    </Card>
  );
}
