import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told } from "../../api/client";
import { useMe } from "../../shell/me";
import { Card, Code, Quiet, Tag, Trouble } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { sayDay, sayInstant } from "../../ui/say";
import { useWrite } from "../../shell/write";

const useBeside = (id: number) =>
  useQuery({
    queryKey: ["beside", id],
    queryFn: () => told(api.GET("/api/patrons/{id}/beside", { params: { path: { id } } })),
  });

/** The school class and the clubs in which they are. */
export function Rosters({ id }: { id: number }) {
  const list = useBeside(id).data?.rosters ?? [];
  if (list.length === 0) return null;
  return (
    <Card label="Rosters" className="p-3.5">
      <h2 className="font-semibold">Rosters</h2>
      <ul>
        {list.map((r) => (
          <li key={r.id}>
            <Link to="/rosters" search={{ roster: r.id }} className="link">
              {r.name}
            </Link>{" "}
            <span className="text-sm text-ink-2">
              {[r.school, r.school_year && `school year ${r.school_year}`, r.adult_name].filter(Boolean).join(", ")}
            </span>
          </li>
        ))}
      </ul>
    </Card>
  );
}

/** What is said of a message that was not sent. */
const notSent: Record<string, string> = {
  no_address: "not reached",
  overtaken: "no longer needed",
  stopped: "stopped",
  refused: "refused",
  unclear: "unclear",
};

const ways = { mail: "email", text: "text message", phone: "phone", letter: "letter" } as const;

/** What they were told lately. */
export function Messages({ id }: { id: number }) {
  const beside = useBeside(id);
  const list = beside.data?.messages ?? [];
  const [open, setOpen] = useState<number>();
  return (
    <Card label="Notices sent" className="p-3.5">
      <h2 className="font-semibold">Notices sent</h2>
      <Trouble error={beside.error} />
      {beside.data && list.length === 0 && <p className="text-ink-2">None recently.</p>}
      <ul className="grid max-h-72 gap-1 overflow-auto">
        {list.map((m) => (
          <li key={m.id}>
            <Quiet aria-expanded={open === m.id} onClick={() => setOpen(open === m.id ? undefined : m.id)}>
              {m.subject}
            </Quiet>{" "}
            <span className="text-sm text-ink-2">
              {sayInstant(m.at)}
              {m.channel && `, by ${ways[m.channel]}`}
              {m.address && ` to ${m.address}`}
            </span>{" "}
            {m.state !== "sent" && <Tag tone="amber">{notSent[m.state] ?? "not sent yet"}</Tag>}
            {open === m.id && (
              <pre className="mt-1 rounded bg-sunk p-2 font-sans text-sm whitespace-pre-wrap">{m.body}</pre>
            )}
          </li>
        ))}
      </ul>
    </Card>
  );
}

/** Records of theirs that were merged into this one, each to be taken apart again. */
export function Parts({ id: kept }: { id: number }) {
  const me = useMe();
  const parts = useBeside(kept).data?.parts ?? [];
  const askAgain = useAskAgain();
  const apart = useWrite(
    (gone: number, key) =>
      api.POST("/api/patrons/{id}/unmerge", { params: { path: { id: kept }, header: keyed(key) }, body: { gone } }),
    {
      name: `unmerge ${kept}`,
      about: "Undoing the merge",
      done: () => askAgain(),
    },
  );
  if (parts.length === 0) return null;
  return (
    <Card label="Merged records" className="p-3.5">
      <h2 className="font-semibold">Merged records</h2>
      <ul>
        {parts.map((p) => (
          <li key={p.id} className="flex flex-wrap items-baseline gap-x-2">
            {p.name} <Code>{p.card}</Code>
            <span className="text-sm text-ink-2">
              {p.who}, {sayDay(p.at)}
            </span>
            {supervises(me.role) && (
              <Quiet className="text-sm" disabled={apart.busy} onClick={() => apart.run(p.id)}>
                Undo merge
              </Quiet>
            )}
          </li>
        ))}
      </ul>
      <Trouble error={apart.problem} />
    </Card>
  );
}
