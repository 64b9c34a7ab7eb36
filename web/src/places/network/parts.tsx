import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useEffect, useState, type ReactNode } from "react";
import { api, keyed, told, type Answer, type Schema } from "../../api/client";
import { useMe } from "../../shell/me";
import { Button, Card, Empty, Trouble } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { useWrite } from "../../shell/write";

/** All that the network is made of, but who works here. */
export const useNetwork = () =>
  useQuery({ queryKey: ["network"], queryFn: () => told(api.GET("/api/network")), staleTime: 10_000 });

/** A part as it stands, with the change by which it does. */
export interface Shown<T> {
  key: string;
  seen: number;
  is: T;
}

type Send<T> = (part: { key: string; seen: number; is: T }, key: string) => Promise<Answer<Schema["UpkeepKept"]>>;

/** Keeps a part of the network as it is to be. What others keep meanwhile is not lost: who has not seen it is told. */
export function useKeep<T>(
  name: string,
  about: string,
  send: Send<T>,
  done?: (kept: Schema["UpkeepKept"], is: T) => void,
) {
  const askAgain = useAskAgain();
  const write = useWrite((part: { key: string; seen: number; is: T }, key) => send(part, key), {
    name: `keep ${name}`,
    about,
    done: (kept, part) => {
      askAgain("network", "changes", "staff", "me");
      done?.(kept, part.is);
    },
  });
  const { problem } = write;
  // Refused, since somebody else was first: opened again, it shows what they have kept.
  useEffect(() => {
    if (problem) askAgain("network", "staff");
  }, [problem, askAgain]);
  return write;
}

type Part = Schema["Away"]["part"];

/** Takes away a part that nothing needs. */
function TakeAway({ part, of, name, done }: { part: Part; of: Shown<unknown>; name: string; done: () => void }) {
  const askAgain = useAskAgain();
  const away = useWrite(
    (_: undefined, key) =>
      api.POST("/api/network/take-away", {
        params: { header: keyed(key) },
        body: { part, key: of.key, seen: of.seen },
      }),
    {
      name: `take away ${part} ${of.key}`,
      about: `Removing ${name}`,
      done: () => {
        askAgain("network", "changes", "me");
        done();
      },
    },
  );
  return (
    <>
      <Button plain busy={away.busy} onClick={() => away.run(undefined)}>
        Remove
      </Button>
      <Trouble error={away.problem} />
    </>
  );
}

/** Parts of one sort, each a line that opens to be changed, and a way to add one. */
export function PartList<T>({
  label,
  says,
  rows,
  empty,
  line,
  form,
  add,
  part,
  name,
  also = false,
}: {
  label: string;
  /** Somebody who does not administrate may add and change them too; taking one away stays with those who do. */
  also?: boolean;
  says?: ReactNode;
  rows: Shown<T>[];
  empty: string;
  line: (row: Shown<T>) => ReactNode;
  form: (row: Shown<T> | undefined, done: () => void) => ReactNode;
  /** What the button says that adds one; left out: none can be added here. */
  add?: string;
  /** Of which sort they are, where one can be taken away. */
  part?: Part;
  name: (is: T) => string;
}) {
  const { role } = useMe();
  const may = administrates(role) || also;
  // What is changed is what was seen when it was opened, whatever others keep meanwhile: so they are not overwritten.
  const [open, setOpen] = useState<Shown<T> | "new">();
  const done = () => setOpen(undefined);
  const isOpen = (r: Shown<T>) => open !== undefined && open !== "new" && open.key === r.key;
  return (
    <Card label={label}>
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-b border-line px-4 py-2.5">
        <h2 className="font-semibold">{label}</h2>
        <p className="text-ink-2">{says}</p>
        {may && add && (
          <Button
            plain
            className="ml-auto"
            aria-expanded={open === "new"}
            onClick={() => setOpen(open === "new" ? undefined : "new")}
          >
            {add}
          </Button>
        )}
      </div>
      {open === "new" && <div className="border-b border-line bg-sunk/40 px-4 py-3">{form(undefined, done)}</div>}
      {rows.length === 0 && <Empty>{empty}</Empty>}
      <ul className="divide-y divide-line">
        {rows.map((r) => (
          <li key={r.key} className="px-4 py-2">
            <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
              {line(r)}
              {may && (
                <Button
                  small
                  plain
                  className="ml-auto"
                  aria-expanded={isOpen(r)}
                  aria-label={`Edit ${name(r.is)}`}
                  onClick={() => setOpen(isOpen(r) ? undefined : r)}
                >
                  {isOpen(r) ? "Close" : "Edit"}
                </Button>
              )}
            </div>
            {open !== undefined && open !== "new" && open.key === r.key && (
              <div className="mt-2 grid gap-2">
                {form(open, done)}
                {part && administrates(role) && (
                  <div className="flex flex-wrap items-center gap-2">
                    <TakeAway part={part} of={open} name={name(r.is)} done={done} />
                  </div>
                )}
              </div>
            )}
          </li>
        ))}
      </ul>
    </Card>
  );
}

/** A code for a name: small letters, digits and low lines. */
export const codeOf = (name: string) =>
  name
    .normalize("NFD")
    .replace(/[^\p{L}\p{N} _-]/gu, "")
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .slice(0, 40);
