import { keepPreviousData, useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useId, useState, type KeyboardEvent } from "react";
import { useController } from "react-hook-form";
import { api, told } from "../api/client";
import { inputLook } from "../ui/parts";
import { useStill } from "../ui/words";

/** One thing that was found: what it is, and what tells it from others. */
export interface Thing {
  id: number;
  name: string;
  text: string;
  /** Of a patron: the branch where they fetch what they wait for. */
  pickup?: string;
}

interface Found {
  things: Thing[];
  more: boolean;
}

const shown = 8;

const findPatrons = async (words: string): Promise<Found> => {
  const part = await told(api.GET("/api/patrons", { params: { query: { words, most: shown } } }));
  const things = part.rows.map((p) => ({
    id: p.id,
    name: p.name,
    text: `${p.card}, ${p.class}, ${p.branch}`,
    pickup: p.pickup,
  }));
  return { things, more: part.next !== "" };
};

const findTitles = async (words: string): Promise<Found> => {
  const part = await told(api.GET("/api/titles", { params: { query: { words, most: shown } } }));
  const things = part.rows.map((t) => ({
    id: t.id,
    name: t.name,
    text: `${t.author}${t.author && ", "}${t.in} of ${t.copies} in, ${t.waiting} waiting`,
  }));
  return { things, more: part.next !== "" };
};

/** Searches for one thing and chooses it: by words, or by a scan where codes name such things. */
function Choose({
  name,
  label,
  placeholder,
  kind,
  find,
  nobody,
  scans,
}: {
  name: string;
  label: string;
  placeholder: string;
  kind: "patrons" | "titles";
  find: (words: string) => Promise<Found>;
  nobody: string;
  scans?: boolean;
}) {
  const id = useId();
  const {
    field: { ref, value: chosen, onChange, onBlur },
    fieldState,
  } = useController<Record<string, Thing | undefined>>({ name });
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const asked = useStill(words.trim());
  const searching = !chosen && words.trim().length > 2;
  const found = useQuery({
    queryKey: [kind, "choose", asked],
    enabled: searching && asked.length > 2,
    queryFn: () => find(asked),
    placeholderData: keepPreviousData,
  });
  const things = searching ? (found.data?.things ?? []) : [];
  // What is shown may still be of other words; only what belongs to these can be chosen.
  const fresh = asked === words.trim() && !found.isPlaceholderData;
  const choose = (t?: Thing) => {
    if (!fresh) return;
    onChange(t);
    setWords("");
    setAt(0);
  };
  const onKeyDown = (e: KeyboardEvent) => {
    if (things.length === 0) return;
    if (e.key === "ArrowDown") setAt(Math.min(at + 1, things.length - 1));
    else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
    else if (e.key === "Enter") choose(things[at]);
    else return;
    e.preventDefault();
  };
  return (
    <div className="relative grid content-start gap-1 text-sm text-ink-2">
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        role="combobox"
        aria-expanded={things.length > 0}
        aria-controls={`${id}-list`}
        aria-activedescendant={things[at] ? `${id}-${things[at].id}` : undefined}
        aria-invalid={fieldState.error ? true : undefined}
        autoComplete="off"
        data-takes-scans={scans ? "" : undefined}
        ref={ref}
        onBlur={onBlur}
        className={inputLook}
        placeholder={placeholder}
        value={chosen?.name ?? words}
        onKeyDown={onKeyDown}
        onChange={(e) => {
          if (chosen) onChange(undefined);
          setWords(chosen ? "" : e.target.value);
          setAt(0);
        }}
      />
      {fieldState.error && (
        <p role="alert" className="text-buoy-700">
          {fieldState.error.message}
        </p>
      )}
      {searching && (
        <ul
          id={`${id}-list`}
          role="listbox"
          aria-label={label}
          aria-busy={found.isFetching}
          className="absolute top-full right-0 left-0 z-10 mt-1 max-h-80 min-w-72 divide-y divide-line overflow-auto rounded-card border border-line-strong bg-surface text-ink shadow-lg"
        >
          {things.map((t, k) => (
            <li
              key={t.id}
              id={`${id}-${t.id}`}
              role="option"
              aria-selected={k === at}
              className={clsx(
                "cursor-pointer px-3 py-1.5 hover:bg-spruce-100",
                k === at && "bg-spruce-100",
                !fresh && "opacity-60",
              )}
              onPointerDown={(e) => {
                e.preventDefault();
                choose(t);
              }}
            >
              <b className="font-semibold">{t.name}</b> <span className="text-ink-2">{t.text}</span>
            </li>
          ))}
          {things.length === 0 && (
            <li role="option" aria-selected={false} aria-disabled className="px-3 py-1.5 text-ink-2">
              {found.isFetching || !fresh ? "Searching …" : nobody}
            </li>
          )}
          {found.data?.more && things.length > 0 && (
            <li role="option" aria-selected={false} aria-disabled className="px-3 py-1.5 text-ink-2">
              There are more. Add a word to narrow the list.
            </li>
          )}
        </ul>
      )}
    </div>
  );
}

export const PatronField = ({ name, label }: { name: string; label: string }) => (
  <Choose
    name={name}
    label={label}
    placeholder="Name, or scan a card"
    kind="patrons"
    find={findPatrons}
    nobody="No patron matches all of these words."
    scans
  />
);

export const TitleField = ({ name, label }: { name: string; label: string }) => (
  <Choose
    name={name}
    label={label}
    placeholder="Title or author"
    kind="titles"
    find={findTitles}
    nobody="No title matches all of these words."
  />
);
