import type { KeyboardEvent } from "react";
import type { Schema } from "../api/client";
import { Code, Empty, Tag } from "../ui/parts";

type Found = Schema["PeopleFound"];

const list = (of: Element) => of.closest("[data-finding]")?.querySelectorAll<HTMLButtonElement>("[data-found]") ?? [];

/** In the field above a list: down goes into it, Enter opens the only one. The two stand in one element with data-finding. */
export function intoFound(e: KeyboardEvent<HTMLElement>) {
  into(e, [...list(e.currentTarget)]);
}

function into(e: Pick<globalThis.KeyboardEvent, "key" | "preventDefault">, rows: HTMLButtonElement[]) {
  if (rows.length === 0 || (e.key !== "ArrowDown" && e.key !== "Enter")) return;
  e.preventDefault();
  if (e.key === "Enter" && rows.length === 1) rows[0]?.click();
  else rows[0]?.focus();
}

/** The same on a line that is not beside the list, for the list in the place below it. */
export function intoFoundBelow(e: Pick<globalThis.KeyboardEvent, "key" | "preventDefault">) {
  into(e, [...document.querySelectorAll<HTMLButtonElement>("main [data-found]")]);
}

/** From one that was found to the next. */
function walk(e: KeyboardEvent<HTMLElement>) {
  const step = { ArrowDown: 1, ArrowUp: -1 }[e.key];
  if (!step) return;
  e.preventDefault();
  const rows = [...list(e.currentTarget)];
  rows[rows.indexOf(e.currentTarget as HTMLButtonElement) + step]?.focus();
}

/** Patrons found by words, each a way to their card; namesakes are told apart by birth date and address. */
export function FoundList({ found, onOpen }: { found: Found[]; onOpen: (f: Found) => void }) {
  if (found.length === 0)
    return <Empty>No patron matches all of these words in name, card number or email address.</Empty>;
  return (
    <ul className="divide-y divide-line">
      {found.map((f) => (
        <li key={f.id}>
          <button
            type="button"
            data-found
            onClick={() => onOpen(f)}
            onKeyDown={walk}
            className="flex w-full cursor-pointer flex-wrap items-baseline gap-x-3 px-4 py-2 text-left hover:bg-spruce-100"
          >
            <b className="font-semibold">{f.name}</b>
            <Code>{f.card}</Code>
            <span className="text-ink-2">
              {f.class}, {f.branch}
            </span>
            {f.standing !== "active" && <Tag tone="buoy">{f.standing}</Tag>}
            <span className="w-full text-sm text-ink-2">
              {[f.born && `Born ${f.born}`, f.address].filter(Boolean).join(" · ") ||
                "No birth date or address on record"}
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}
