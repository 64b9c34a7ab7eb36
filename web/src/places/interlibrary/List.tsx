import { useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { api, told } from "../../api/client";
import { BranchChoice } from "../../circulation/branches";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Field, inputLook, Quiet } from "../../ui/parts";
import { remember, remembered } from "../../ui/remember";
import { Table } from "../../ui/table";
import { columns } from "./columns";
import type { groups } from "./tabs";

type Group = NonNullable<(typeof groups)[keyof typeof groups]>;

/** By what the list is narrowed, as the address has it. */
interface Narrowed {
  role?: string;
  partner?: number;
  branch?: string;
  words?: string;
}

/** One part of the requests: by whose move it is, and narrowed. */
export function List({ group }: { group: Group }) {
  const { role, partner, branch, words } = useSearch({ from: "/interlibrary" });
  const narrowed = { role: role as "requesting" | "supplying" | undefined, partner, branch, words };
  const list = usePages(
    ["requests", "list", group, narrowed],
    (after) => told(api.GET("/api/interlibrary", { params: { query: { after, most: 200, group, ...narrowed } } })),
    { keep: true },
  );
  const any = Object.values(narrowed).some(Boolean);
  return (
    <Card label="Requests">
      <Narrow now={narrowed} />
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Requests"
            columns={columns}
            rows={rows}
            id={(r) => r.id}
            pages={list.pages}
            tools
            narrowed
            paper="Interlibrary requests"
            className="max-h-[66vh]"
            empty={
              any
                ? "No request matches. Clear the search above to see all."
                : group
                  ? "No requests here."
                  : "No requests. Request from a partner what the network does not have; requests from partners arrive by themselves."
            }
          />
        )}
      </Loading>
    </Card>
  );
}

/** A choice that somebody has saved under a name. */
interface Saved {
  name: string;
  search: Narrowed & { tab?: string };
}

/** Somebody has just asked to name it. */
const focused = (input: HTMLInputElement | null) => input?.focus();

const savedUnder = "saved interlibrary lists";

/** By which way, partner, branch and words; and the choices that were saved. */
function Narrow({ now }: { now: Narrowed }) {
  const navigate = useNavigate();
  const { tab } = useSearch({ from: "/interlibrary" });
  const partners = useQuery({
    queryKey: ["requests", "partners"],
    queryFn: () => told(api.GET("/api/interlibrary/partners")),
  });
  const to = (search: Narrowed) => void navigate({ to: "/interlibrary", search: { tab, ...now, ...search } });
  return (
    <div className="flex flex-wrap items-end gap-3 border-b border-line p-3 print:hidden">
      <Words words={now.words ?? ""} onWords={(words) => to({ words: words || undefined })} />
      <Field label="Which way">
        <select
          className={inputLook}
          value={now.role ?? ""}
          onChange={(e) => to({ role: e.target.value || undefined })}
        >
          <option value="">Borrowing and lending</option>
          <option value="requesting">Borrowing</option>
          <option value="supplying">Lending</option>
        </select>
      </Field>
      <Field label="Partner">
        <select
          className={inputLook}
          value={now.partner ?? ""}
          onChange={(e) => to({ partner: Number(e.target.value) || undefined })}
        >
          <option value="">All partners</option>
          {partners.data?.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
      </Field>
      <BranchChoice all="All branches" value={now.branch ?? ""} onChange={(b) => to({ branch: b || undefined })} />
      {Object.values(now).some(Boolean) && (
        <Quiet onClick={() => void navigate({ to: "/interlibrary", search: { tab } })}>Clear</Quiet>
      )}
      <SavedLists now={{ tab, ...now }} />
    </div>
  );
}

/** Words of the title, the number or the patron, asked for when somebody stops typing. */
function Words({ words, onWords }: { words: string; onWords: (words: string) => void }) {
  const [typed, setTyped] = useState(words);
  useEffect(() => {
    if (typed.trim() === words) return;
    const wait = setTimeout(() => onWords(typed.trim()), 300);
    return () => clearTimeout(wait);
  });
  return (
    <Field label="Title, number or patron">
      <input type="search" className={`${inputLook} w-56`} value={typed} onChange={(e) => setTyped(e.target.value)} />
    </Field>
  );
}

function SavedLists({ now }: { now: Saved["search"] }) {
  const navigate = useNavigate();
  const [saved, setSaved] = useState(() => remembered<Saved[]>(savedUnder) ?? []);
  const [name, setName] = useState<string>();
  const keep = (next: Saved[]) => {
    remember(savedUnder, next);
    setSaved(next);
    setName(undefined);
  };
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
      {saved.map((s) => (
        <span key={s.name} className="inline-flex items-center gap-1 rounded bg-sunk px-2">
          <button
            type="button"
            className="link cursor-pointer"
            onClick={() => void navigate({ to: "/interlibrary", search: s.search })}
          >
            {s.name}
          </button>
          <button
            type="button"
            aria-label={`Remove ${s.name}`}
            className="cursor-pointer px-1 text-ink-2"
            onClick={() => keep(saved.filter((o) => o !== s))}
          >
            ×
          </button>
        </span>
      ))}
      {name === undefined ? (
        <Quiet onClick={() => setName("")}>Save this list</Quiet>
      ) : (
        <form
          className="flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (name.trim()) keep([...saved.filter((s) => s.name !== name.trim()), { name: name.trim(), search: now }]);
          }}
        >
          <Field label="Name of the list">
            <input
              ref={focused}
              className={inputLook}
              maxLength={40}
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          </Field>
          <Button type="submit">Save</Button>
          <Button plain onClick={() => setName(undefined)}>
            Cancel
          </Button>
        </form>
      )}
    </div>
  );
}
