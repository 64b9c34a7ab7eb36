import { createContext, useContext, useId, type ReactNode } from "react";
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

/** The settings as they were when the page was opened, or saved from here since, and as they are by default. */
export interface Opened {
  row: Shown<Settings>;
  usual: Settings;
  onSaved: (row: Shown<Settings>) => void;
}

export const OpenedSettings = createContext<Opened | undefined>(undefined);

export function useOpened(): Opened {
  const opened = useContext(OpenedSettings);
  if (!opened) throw new Error("a section outside of the settings");
  return opened;
}

const only = <K extends keyof Said>(said: Said, keys: readonly K[]) =>
  Object.fromEntries(keys.map((k) => [k, said[k]])) as Pick<Said, K>;

/** Settings that belong together: shown, changed and saved for themselves, whatever stands unsaved in the others. */
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
  const { row, usual, onSaved } = useOpened();
  const me = useMe();
  const may = administrates(me.role);
  const heading = useId();
  const said = start(row.is, me.currency);
  const keep = useKeep<Settings>(
    `settings ${id}`,
    title,
    ({ seen, is }, key) => api.PUT("/api/network/settings", { params: { header: keyed(key) }, body: { seen, is } }),
    (kept, is) => onSaved({ key: "", seen: kept.seen, is }),
  );
  const pick = Object.fromEntries(fields.map((f) => [f, true])) as Partial<Record<keyof Said, true>>;
  const own = only(said, fields);
  return (
    <Card id={id} label={title} className="scroll-mt-28 p-3.5">
      <Defaults value={only(start(usual, me.currency), fields)}>
        <Form
          key={JSON.stringify(own)}
          schema={schema.pick(pick as Record<keyof Said, true>)}
          start={own}
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
          {may && <SaveChanges write={keep} title={title} />}
        </Form>
      </Defaults>
    </Card>
  );
}

/** Saves a section; there is nothing to save before something was changed. */
function SaveChanges({ write, title }: { write: { busy?: boolean; problem?: unknown }; title: string }) {
  const dirty = useDirty();
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
