import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told } from "../../api/client";
import * as check from "../../kit/checks";
import { DateField, Form, Send, TextField, saysOf } from "../../kit/forms";
import { Loading } from "../../kit/loading";
import { useMe } from "../../kit/me";
import { Button, Card, Empty, Head, Tabs, Trouble } from "../../kit/parts";
import { supervises } from "../../kit/places";
import { sayDate } from "../../kit/say";
import { useWrite } from "../../kit/write";
import { CompareTab } from "./CompareTab";
import { itself, useDraftWrite, useGo } from "./draft";
import { Editions } from "./Editions";
import { ExamplesTab } from "./ExamplesTab";
import { FileTab } from "./FileTab";
import { GridTab } from "./GridTab";
import { LoanTerms } from "./LoanTerms";
import { RehearsalTab } from "./RehearsalTab";
import { ReportsTab } from "./ReportsTab";
import { RulesTab } from "./RulesTab";
import type { Edition, Working } from "./types";

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

const views: Record<string, (w: Working) => React.ReactNode> = {
  grid: (w) => <GridTab {...w} />,
  rules: (w) => <RulesTab {...w} />,
  compare: (w) => <CompareTab {...w} />,
  examples: (w) => <ExamplesTab {...w} />,
  rehearsal: (w) => <RehearsalTab {...w} />,
  reports: () => <ReportsTab />,
  file: (w) => <FileTab {...w} />,
};

/** The rulebook, or why one loan got what it got. */
export function RulebookPlace() {
  const { loan, item, patron } = useSearch({ from: "/rulebook" });
  if (loan) return <LoanTerms of={{ loan }} />;
  if (item && patron) return <LoanTerms of={{ item, patron }} />;
  return <Book />;
}

/** Editions on a line, and the same edition as a grid, as sentences, compared, tried and checked. */
function Book() {
  const me = useMe();
  const go = useGo();
  const { tab = "grid", edition: asked } = useSearch({ from: "/rulebook" });
  const [starting, setStarting] = useState(false);
  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  const editions = book.data?.editions ?? [];
  const now = editions.find((e) => e.state === "in_force");
  const edition = editions.find((e) => e.id === asked) ?? now;
  const supervising = supervises(me.role);
  const draft = edition?.state === "draft" && supervising ? edition : undefined;
  return (
    <div className="grid gap-3.5">
      <Head title="Rulebook" says={edition && says(edition)}>
        {supervising && book.data && <Acts draft={draft} onStart={() => setStarting(!starting)} />}
      </Head>
      {starting && draft && <PutInForce key={draft.id} draft={draft} onDone={() => setStarting(false)} />}
      <Loading of={book} lines={10}>
        {(b) => (
          <>
            <Editions list={b.editions} chosen={edition?.id} onChoose={(id) => go({ edition: id })} />
            <Tabs
              label="Ways to look at this edition"
              tabs={tabs.filter(([id]) => supervising || !supervisors.includes(id))}
              chosen={tab}
              onChoose={(id) => go({ tab: id })}
            />
            {edition && now ? (
              (views[tab] ?? views.grid)?.({ book: b, edition, draft, now, supervising })
            ) : (
              <Empty>No edition is in force yet. A network is set up with one.</Empty>
            )}
          </>
        )}
      </Loading>
    </div>
  );
}

/** Beginning a draft, and its ends. */
function Acts({ draft, onStart }: { draft?: Edition; onStart: () => void }) {
  const go = useGo();
  const queries = useQueryClient();
  const begin = useDraftWrite(
    "begin a draft",
    "Beginning a draft",
    (_: void, key) => api.POST("/api/rulebook/drafts", { params: { header: keyed(key) }, body: { name: "" } }),
    itself,
  );
  const strike = useWrite(
    (id: number, key) => api.DELETE("/api/rulebook/drafts/{id}", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `strike draft ${draft?.id ?? 0}`,
      about: "Striking out the draft",
      done: () => {
        go({ edition: undefined });
        void queries.invalidateQueries();
      },
    },
  );
  return (
    <>
      <Trouble error={begin.problem ?? strike.problem} />
      {draft ? (
        <>
          <Button plain busy={strike.busy} onClick={() => strike.run(draft.id)}>
            Strike out this draft
          </Button>
          <Button onClick={onStart}>Put in force …</Button>
        </>
      ) : (
        <Button busy={begin.busy} onClick={() => begin.run()}>
          Begin a draft
        </Button>
      )}
    </>
  );
}

const starting = z.object({ from: check.date, reason: check.text });

const useSaid = saysOf<z.infer<typeof starting>>();

function PutInForce({ draft, onDone }: { draft: Edition; onDone: () => void }) {
  const me = useMe();
  const today = me.now.slice(0, 10);
  const put = useDraftWrite(
    `in force ${draft.id}`,
    `Putting draft ${draft.number} in force`,
    (v: z.infer<typeof starting>, key) =>
      api.POST("/api/rulebook/drafts/{id}/in-force", {
        params: { path: { id: draft.id }, header: keyed(key) },
        body: { revision: draft.revision, ...v },
      }),
    itself,
    onDone,
  );
  return (
    <Card label="Put in force" className="p-3.5">
      <Form
        label="Put in force"
        schema={starting}
        start={{ from: today, reason: "" }}
        write={put}
        onSend={put.run}
        className="flex flex-wrap items-end gap-3"
      >
        <DateField name="from" label="From" min={today} />
        <TextField name="reason" label="Why it is changed" width="w-80 max-w-full" />
        <Start write={put} />
        <p className="w-full text-sm text-ink-2">
          Loans already made keep the terms they were lent under. An edition in force is never changed again.
        </p>
      </Form>
    </Card>
  );
}

function Start({ write }: { write: { busy: boolean } }) {
  const from = useSaid("from");
  return <Send write={write}>Put in force {from && `from ${sayDate(from)}`}</Send>;
}

const states = {
  in_force: "in force since",
  coming: "comes into force on",
  superseded: "was in force from",
} as const;

function says(e: Edition) {
  if (e.state === "draft")
    return `Draft ${e.number}${e.name && `, “${e.name}”`}: ${e.changes === 1 ? "one rule differs" : `${e.changes} rules differ`} from the edition it came from.`;
  return `Edition ${e.number} ${states[e.state]} ${e.from_says}, ${e.rules} rules.`;
}
