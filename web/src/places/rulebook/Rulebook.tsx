import { sayCount } from "../../ui/say";
import { useAskAgain } from "../../api/asked";
import { useQuery } from "@tanstack/react-query";
import { useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Empty, Head, Tabs, Trouble } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { useWrite } from "../../shell/write";
import { CompareTab } from "./CompareTab";
import { itself, useDraftWrite, useGo } from "./draft";
import { Editions } from "./Editions";
import { ExamplesTab } from "./ExamplesTab";
import { FileTab } from "./FileTab";
import { GridTab } from "./GridTab";
import { LoanTerms } from "./LoanTerms";
import { PutInForce } from "./PutInForce";
import { RehearsalTab } from "./RehearsalTab";
import { ReportsTab } from "./ReportsTab";
import { RulesTab } from "./RulesTab";
import type { Edition, Working } from "./types";
import { rulebookTabs, supervisorsTabs } from "./tabs";

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
        {supervising && edition && <Acts edition={edition} draft={draft} onStart={() => setStarting(!starting)} />}
      </Head>
      {starting && draft && now && <PutInForce key={draft.id} draft={draft} onDone={() => setStarting(false)} />}
      <Loading of={book} lines={10}>
        {(b) => (
          <>
            <Editions list={b.editions} chosen={edition?.id} onChoose={(id) => go({ edition: id })} />
            <Tabs
              label="Views of this edition"
              tabs={rulebookTabs.filter(([id]) => supervising || !supervisorsTabs.includes(id))}
              chosen={tab}
              onChoose={(id) => go({ tab: id })}
            />
            {edition && now ? (
              (views[tab] ?? views.grid)?.({ book: b, edition, draft, now, supervising })
            ) : (
              <Empty>No edition is in force yet.</Empty>
            )}
          </>
        )}
      </Loading>
    </div>
  );
}

/** Beginning a draft, and its ends; withdrawing what has not begun. */
function Acts({ edition, draft, onStart }: { edition: Edition; draft?: Edition; onStart: () => void }) {
  const go = useGo();
  const askAgain = useAskAgain();
  const begin = useDraftWrite(
    "begin a draft",
    "Starting a draft",
    (from: number, key) =>
      api.POST("/api/rulebook/drafts", { params: { header: keyed(key) }, body: { name: "", from } }),
    itself,
  );
  const withdraw = useDraftWrite(
    `withdraw edition ${edition.id}`,
    `Withdrawing edition ${edition.number}`,
    (id: number, key) =>
      api.POST("/api/rulebook/editions/{id}/withdraw", { params: { path: { id }, header: keyed(key) } }),
    itself,
  );
  const strike = useWrite(
    (id: number, key) => api.DELETE("/api/rulebook/drafts/{id}", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `strike draft ${draft?.id ?? 0}`,
      about: "Deleting the draft",
      done: () => {
        go({ edition: undefined });
        askAgain();
      },
    },
  );
  return (
    <>
      <Trouble error={begin.problem ?? strike.problem ?? withdraw.problem} />
      {draft ? (
        <>
          <Button plain busy={strike.busy} onClick={() => strike.run(draft.id)}>
            Delete this draft
          </Button>
          <Button onClick={onStart}>Put in force …</Button>
        </>
      ) : (
        <>
          {edition.state === "coming" && (
            <Button plain busy={withdraw.busy} onClick={() => withdraw.run(edition.id)}>
              Withdraw edition {edition.number}
            </Button>
          )}
          <Button busy={begin.busy} onClick={() => begin.run(edition.id)}>
            {edition.state === "in_force" ? "Start a draft" : `Start a draft from edition ${edition.number}`}
          </Button>
        </>
      )}
    </>
  );
}

const states = {
  in_force: "in force since",
  coming: "comes into force on",
  superseded: "was in force from",
  withdrawn: "was withdrawn before it began on",
} as const;

function says(e: Edition) {
  if (e.state === "draft")
    return `Draft ${e.number}${e.name && `, “${e.name}”`}: ${sayCount(e.changes, "rule differs", "rules differ")} from the edition it came from.`;
  return `Edition ${e.number} ${states[e.state]} ${e.from_says}, ${sayCount(e.rules, "rule")}.`;
}
