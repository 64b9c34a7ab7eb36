import { createContext, useContext, useEffect, useId, useState, type ReactNode } from "react";
import type { Schema } from "../../../api/client";
import { useMe } from "../../../shell/me";
import { administrates } from "../../../shell/places";
import { Defaults, Form, Send, useDirty } from "../../../ui/forms";
import { Card } from "../../../ui/parts";
import { useKeep, type Shown } from "../parts";
import { api, keyed } from "../../../api/client";
import { schema } from "./schema";
import { start, toSettings, type Said } from "./values";

export type Settings = Schema["SettingsSettings"];

/** The settings as they were when the page was opened or last saved from here, and their defaults. */
export interface Opened {
  row: Shown<Settings>;
  usual: Settings;
  onSaved: (row: Shown<Settings>) => void;
  /** Somebody else saved first: from now on, what they saved is what is changed. */
  onRefused: () => void;
}

export const OpenedSettings = createContext<Opened | undefined>(undefined);

export function useOpened(): Opened {
  const opened = useContext(OpenedSettings);
  if (!opened) throw new Error("a section outside of the settings");
  return opened;
}

const only = <K extends keyof Said>(said: Said, keys: readonly K[]) =>
  Object.fromEntries(keys.map((k) => [k, said[k]])) as Pick<Said, K>;

/** Settings that belong together. They are saved by themselves; unsaved changes in other sections stay. */
export function Section({
  id,
  title,
  hint,
  fields,
  children,
}: {
  id: string;
  title: string;
  hint?: string;
  /** Which settings it has. */
  fields: readonly (keyof Said)[];
  children: ReactNode;
}) {
  const { row, usual, onSaved, onRefused } = useOpened();
  const me = useMe();
  const may = administrates(me.role);
  const heading = useId();
  const said = start(row.is, me.currency);
  const [dirty, setDirty] = useState(false);
  const keep = useKeep<Settings>(
    `settings ${id}`,
    title,
    ({ seen, is }, key) => api.PUT("/api/network/settings", { params: { header: keyed(key) }, body: { seen, is } }),
    (kept, is) => {
      setDirty(false);
      onSaved({ key: "", seen: kept.seen, is });
    },
  );
  const { problem } = keep;
  useEffect(() => {
    if (problem) onRefused();
  }, [problem, onRefused]);
  const pick = Object.fromEntries(fields.map((f) => [f, true])) as Partial<Record<keyof Said, true>>;
  const own = only(said, fields);
  // What is typed stays while it is not saved, whatever others have saved meanwhile.
  const [base, setBase] = useState(own);
  if (!dirty && JSON.stringify(base) !== JSON.stringify(own)) setBase(own);
  return (
    <Card id={id} label={title} className="scroll-mt-28 p-3.5">
      <Defaults value={only(start(usual, me.currency), fields)}>
        <Form
          key={JSON.stringify(base)}
          schema={schema.pick(pick as Record<keyof Said, true>)}
          start={base}
          write={keep}
          onSend={(changed) =>
            keep.run({ key: "", seen: row.seen, is: toSettings({ ...said, ...changed }, me.currency) })
          }
          className="grid gap-2.5"
        >
          <h2 id={heading} className="font-semibold">
            {title}
          </h2>
          {hint && <p className="text-sm text-ink-2">{hint}</p>}
          <fieldset disabled={!may} aria-labelledby={heading} className="grid gap-2.5">
            {children}
          </fieldset>
          {may && <SaveChanges write={keep} title={title} onDirty={setDirty} />}
        </Form>
      </Defaults>
    </Card>
  );
}

/** The save button of a section, disabled until something has changed. */
function SaveChanges({
  write,
  title,
  onDirty,
}: {
  write: { busy?: boolean; problem?: unknown };
  title: string;
  onDirty: (dirty: boolean) => void;
}) {
  const dirty = useDirty();
  useEffect(() => onDirty(dirty), [dirty, onDirty]);
  return (
    <span className="flex items-center gap-3">
      <Send write={write} plain={!dirty} disabled={!dirty} className="justify-self-start">
        {`Save ${title.toLowerCase()}`}
      </Send>
      {dirty && (
        <span role="status" className="text-sm text-amber-700">
          Not saved yet
        </span>
      )}
    </span>
  );
}
