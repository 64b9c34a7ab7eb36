import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, told, type Schema } from "../api/client";
import { Field, inputLook } from "./parts";

export type Patron = Schema["PeopleFound"];

/** Finds a patron by words: what is typed, who is chosen, and the list to choose from. */
export function usePatronChoice() {
  const [words, setWords] = useState("");
  const [patron, setPatron] = useState<Patron>();
  const found = useQuery({
    queryKey: ["patrons", words],
    enabled: words.length > 2 && !patron,
    queryFn: () => told(api.GET("/api/patrons", { params: { query: { words } } })),
  });
  const clear = () => {
    setPatron(undefined);
    setWords("");
  };
  const field = (
    <Field label="For">
      <input
        className={inputLook}
        value={patron?.name ?? words}
        onChange={(e) => {
          setPatron(undefined);
          setWords(e.target.value);
        }}
        placeholder="Name or card number"
      />
    </Field>
  );
  const list = found.data && !patron && words.length > 2 && (
    <Choices
      empty="Nobody has all of these words."
      more={found.data.rows!.length > 8}
      list={found.data.rows!.slice(0, 8).map((p) => ({
        id: p.id,
        head: p.name,
        text: `${p.card}, ${p.class}, ${p.branch}`,
        choose: () => setPatron(p),
      }))}
    />
  );
  return { patron, field, list, clear };
}

/** A short list to choose one thing from. */
export function Choices({
  list,
  empty,
  more,
}: {
  list: { id: number; head: string; text: string; choose: () => void }[];
  empty: string;
  more?: boolean;
}) {
  if (list.length === 0) return <p className="text-sm text-ink-2">{empty}</p>;
  return (
    <ul className="divide-y divide-line rounded-card border border-line">
      {list.map((c) => (
        <li key={c.id}>
          <button
            type="button"
            onClick={c.choose}
            className="flex w-full cursor-pointer items-baseline gap-3 px-3 py-1.5 text-left hover:bg-spruce-100"
          >
            <b className="font-semibold">{c.head}</b> <span className="text-sm text-ink-2">{c.text}</span>
          </button>
        </li>
      ))}
      {more && <li className="px-3 py-1.5 text-sm text-ink-2">There are more. Another word narrows the list.</li>}
    </ul>
  );
}
