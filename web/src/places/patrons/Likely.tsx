import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Card, Code, Quiet, Tag } from "../../ui/parts";

/** What is known so far of who is being written down. */
export interface Known {
  name: string;
  born: string;
  email: string;
  phone: string;
  card: string;
  class: string;
}

function useStill<T>(value: T, after = 300): T {
  const text = JSON.stringify(value);
  const [still, setStill] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setStill(text), after);
    return () => clearTimeout(timer);
  }, [text, after]);
  return JSON.parse(still) as T;
}

/** What follows from what is known so far: who may be the same person, and the class that fits the age. */
export function useKnown(known: Known, but: number) {
  const asked = useStill(known);
  const enough = asked.name.trim().length > 3 || asked.email.includes("@") || asked.phone.length > 6;
  const found = useQuery({
    queryKey: ["alike", asked, but],
    enabled: enough || asked.born !== "",
    queryFn: () => told(api.GET("/api/patrons-alike", { params: { query: { ...asked, but } } })),
    placeholderData: keepPreviousData,
  });
  return { enough, found: found.data, problem: found.error };
}

/** Who may be the same person, while one types: with a link to look, and a way to say that it is somebody else. */
export function Likely({
  rows,
  enough,
  others,
  onOther,
}: {
  rows: Schema["PeopleLikely"][];
  /** Enough is known for looking. */
  enough: boolean;
  /** Those of whom it has been said that they are somebody else. */
  others: number[];
  onOther: (id: number) => void;
}) {
  return (
    <Card label="Possible duplicates" className="sticky top-0">
      <h2 className="border-b border-line px-3.5 py-2 font-semibold">Possible duplicates</h2>
      {rows.length === 0 ? (
        <p className="px-3.5 py-3 text-ink-2" role="status">
          {enough
            ? "No similar patrons, including former and inactive ones."
            : "Similar patrons of the whole network appear here while you type."}
        </p>
      ) : (
        <ul className="divide-y divide-line">
          {rows.map((l) => (
            <li key={l.id} className="px-3.5 py-2">
              <p className="flex flex-wrap items-baseline gap-x-2">
                <Link to="/patrons" search={{ patron: l.id }} target="_blank" className="link font-semibold">
                  {l.name}
                </Link>
                {l.standing !== "active" && <Tag tone="buoy">{l.standing}</Tag>}
                {l.same && !others.includes(l.id) && <Tag tone="amber">Check first</Tag>}
              </p>
              <p className="text-sm text-ink-2">
                <Code>{l.card}</Code> {l.class}, {l.branch}
                {l.born && `, born ${l.born}`}
              </p>
              <p className="text-sm">{l.why}</p>
              {l.same && (
                <Quiet className="text-sm" disabled={others.includes(l.id)} onClick={() => onOther(l.id)}>
                  {others.includes(l.id) ? "Marked as a different person" : "Different person"}
                </Quiet>
              )}
            </li>
          ))}
        </ul>
      )}
    </Card>
  );
}
