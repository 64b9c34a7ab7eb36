import type { Schema } from "../api/client";
import { Code, Empty, Tag } from "./parts";

/** Patrons found by words, each a way to their card. */
export function FoundList({
  found,
  onOpen,
}: {
  found: Schema["PeopleFound"][];
  onOpen: (f: Schema["PeopleFound"]) => void;
}) {
  if (found.length === 0) return <Empty>Nobody has all of these words in a name, card number or mail address.</Empty>;
  return (
    <ul className="divide-y divide-line">
      {found.map((f) => (
        <li key={f.id}>
          <button
            type="button"
            onClick={() => onOpen(f)}
            className="flex w-full cursor-pointer flex-wrap items-baseline gap-x-3 px-4 py-2 text-left hover:bg-spruce-100"
          >
            <b className="font-semibold">{f.name}</b>
            <Code>{f.card}</Code>
            <span className="text-ink-2">
              {f.class}, {f.branch}
            </span>
            {f.standing !== "active" && <Tag tone="buoy">{f.standing}</Tag>}
          </button>
        </li>
      ))}
    </ul>
  );
}
