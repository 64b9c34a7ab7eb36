import { useNavigate, useSearch } from "@tanstack/react-router";
import { useCallback, useState } from "react";
import { Head, Tabs } from "../../ui/parts";
import { Activity } from "./Activity";
import { Ask } from "./Ask";
import { empty, kinds, type Kind, type Typed } from "./kinds";
import { Preview } from "./Preview";

/** What was typed and not applied, by kind, until the window is closed. */
const drafts = new Map<Kind, Typed>();

/** Changes of many records at once: choose, look, leave out, apply, undo. */
export function ChangesPlace() {
  const navigate = useNavigate();
  const { tab } = useSearch({ from: "/changes" });
  const kind = kinds.find(([code]) => code === tab)?.[0] ?? "due";
  return (
    <div className="grid gap-3.5">
      <Head
        title="Batch changes"
        says="Choose records, preview what changes, then apply. Each change can be undone as one."
      />
      <Tabs
        label="Batch changes"
        tabs={kinds}
        chosen={kind}
        onChoose={(id) => void navigate({ to: "/changes", search: { tab: id } })}
      />
      <OneKind key={kind} kind={kind} />
      <Activity />
    </div>
  );
}

function OneKind({ kind }: { kind: Kind }) {
  const [round, setRound] = useState(0);
  const [typed, setTyped] = useState<Typed>();
  const remember = useCallback((t: Typed) => void drafts.set(kind, t), [kind]);
  return (
    <>
      <div hidden={!!typed}>
        <Ask key={round} start={drafts.get(kind) ?? empty(kind)} onPreview={setTyped} onTyped={remember} />
      </div>
      {typed && (
        <Preview
          key={JSON.stringify(typed)}
          typed={typed}
          onClose={() => setTyped(undefined)}
          onDone={() => {
            drafts.delete(kind);
            setTyped(undefined);
            setRound(round + 1);
          }}
        />
      )}
    </>
  );
}
