import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Code, Tag, Trouble } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { AddPerson, ChangePerson } from "./Person";
import { sayRights } from "./rights";

type Person = Schema["StaffPerson"];

/** Everybody who works here: where, whether they are signed in, and a way back in for who has lost theirs. */
export function Staff() {
  const staff = useQuery({ queryKey: ["staff"], queryFn: () => told(api.GET("/api/staff")), refetchInterval: 15_000 });
  const [adding, setAdding] = useState(false);
  const [link, setLink] = useState<{ name: string; link: Schema["StaffLink"] }>();
  return (
    <Card label="Staff">
      <div className="flex flex-wrap items-baseline gap-x-3 border-b border-line px-4 py-2.5">
        <h2 className="font-semibold">Staff</h2>
        <Button plain className="ml-auto" aria-expanded={adding} onClick={() => setAdding(!adding)}>
          Add person
        </Button>
      </div>
      {link && <GiveLink name={link.name} link={link.link} />}
      {adding && (
        <div className="border-b border-line px-4 py-3">
          <AddPerson
            done={(name, given) => {
              setLink({ name, link: given });
              setAdding(false);
            }}
            leave={() => setAdding(false)}
          />
        </div>
      )}
      <Loading of={staff} none={(rows) => rows.length === 0} empty="No staff yet.">
        {(rows) => (
          <ul className="divide-y divide-line">
            {rows.map((p) => (
              <One key={p.id} person={p} />
            ))}
          </ul>
        )}
      </Loading>
    </Card>
  );
}

function One({ person: p }: { person: Person }) {
  const me = useMe();
  // As they were when this was opened: what others keep meanwhile is not overwritten.
  const [changing, setChanging] = useState<Person>();
  const name = (code: string) => me.branches.find((b) => b.code === code)?.name ?? code;
  return (
    <li className="grid items-start gap-x-4 gap-y-1.5 px-4 py-3 md:grid-cols-[minmax(0,1fr)_auto]">
      <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <b className="font-semibold">{p.name}</b>
        <span className="text-ink-2">
          {p.role}, signs in {p.demo ? "with one click" : `as ${p.login}`}
        </span>
        {!p.active && <Tag tone="plain">Former</Tag>}
        {p.waits && <Tag tone="amber">Locked: wrong passwords</Tag>}
        {p.link_until && <Tag tone="tide">Password link sent</Tag>}
        {p.second && <Tag tone="spruce">Second factor</Tag>}
      </p>
      <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm text-ink-2 md:col-start-1">
        <span>Works at {p.everywhere ? "every branch, by role" : [p.home, ...p.branches].map(name).join(", ")} </span>
        <Sessions at={p.at} />
        {sayRights(p.rights, me.currency).map((r) => (
          <span key={r}>{r}</span>
        ))}
        {p.signed && <span>Last sign-in by password {sayInstant(p.signed)}</span>}
        <Link to="/network" search={{ tab: "readings", staff: p.id }} className="link">
          Record access log
        </Link>
      </p>
      <Doors person={p} onChange={() => setChanging(changing ? undefined : p)} />
      {changing && (
        <div className="md:col-span-2">
          <ChangePerson person={changing} done={() => setChanging(undefined)} />
        </div>
      )}
    </li>
  );
}

/** A link to set a password, shown once; ending all sessions. */
function Doors({ person: p, onChange }: { person: Person; onChange: () => void }) {
  const askAgain = useAskAgain();
  const [link, setLink] = useState<Schema["StaffLink"]>();
  const again = () => askAgain("staff");
  const make = useWrite((id: number) => api.POST("/api/staff/{id}/link", { params: { path: { id } } }), {
    about: `A link for ${p.name}`,
    done: (l) => {
      setLink(l);
      again();
    },
  });
  const end = useWrite(
    (id: number, key) => api.POST("/api/staff/{id}/end-sessions", { params: { path: { id }, header: keyed(key) } }),
    { name: `end sessions of ${p.id}`, about: `Ending the sessions of ${p.name}`, done: again },
  );
  const off = useWrite(
    (id: number, key) => api.POST("/api/staff/{id}/second-off", { params: { path: { id }, header: keyed(key) } }),
    { name: `second off ${p.id}`, about: `Removing the second factor of ${p.name}`, done: again },
  );
  return (
    <>
      <p className="flex flex-wrap gap-2 md:col-start-2 md:row-span-2 md:row-start-1">
        <Button plain aria-label={`Edit ${p.name}`} onClick={onChange}>
          Edit
        </Button>
        {p.second && (
          <Button plain busy={off.busy} onClick={() => off.run(p.id)}>
            Remove second factor
          </Button>
        )}
        {p.active && !p.demo && (
          <Button plain busy={make.busy} onClick={() => make.run(p.id)}>
            Create password link
          </Button>
        )}
        {p.sessions > 0 && (
          <Button plain busy={end.busy} onClick={() => end.run(p.id)}>
            End all sessions
          </Button>
        )}
      </p>
      {link && <GiveLink name={p.name} link={link} />}
      <Trouble error={make.problem ?? end.problem ?? off.problem} />
    </>
  );
}

function GiveLink({ name, link }: { name: string; link: Schema["StaffLink"] }) {
  return (
    <p role="status" className="m-2 rounded bg-tide-100 px-3 py-2 text-tide-700 md:col-span-2">
      Give this link to {name}. It works once, until {sayInstant(link.until)}, and is not shown again:{" "}
      <Code>{window.location.origin + link.path}</Code>
    </p>
  );
}

/** Where somebody is signed in now. */
function Sessions({ at }: { at: Person["at"] }) {
  if (at.length === 0) return <span>Not signed in</span>;
  return (
    <details>
      <summary className="cursor-pointer">{at.length} signed in now</summary>
      <ul className="pl-4">
        {at.map((s) => (
          <li key={s.begun}>
            from {s.address || "this machine"} since {sayInstant(s.begun)}, last used {sayInstant(s.last)}
            {s.own && ", at a station of their own"}
          </li>
        ))}
      </ul>
    </details>
  );
}
