import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Chips } from "../../kit/forms";
import { Loading } from "../../kit/loading";
import { useMe } from "../../kit/me";
import { Button, Card, Code, Quiet, Tag, Trouble } from "../../kit/parts";
import { sayInstant } from "../../kit/say";
import { useWrite } from "../../kit/write";

type Person = Schema["StaffPerson"];

/** Everybody who works here: where, whether they are signed in, and a way back in for who has lost theirs. */
export function Staff() {
  const staff = useQuery({ queryKey: ["staff"], queryFn: () => told(api.GET("/api/staff")), refetchInterval: 15_000 });
  return (
    <Card label="Staff">
      <Loading of={staff} none={(rows) => rows.length === 0} empty="Nobody works here yet.">
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
  const [choosing, setChoosing] = useState(false);
  const name = (code: string) => me.branches.find((b) => b.code === code)?.name ?? code;
  return (
    <li className="grid items-start gap-x-4 gap-y-1.5 px-4 py-3 md:grid-cols-[minmax(0,1fr)_auto]">
      <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <b className="font-semibold">{p.name}</b>
        <span className="text-ink-2">
          {p.role}, signs in {p.demo ? "with one click" : `as ${p.login}`}
        </span>
        {!p.active && <Tag tone="plain">No longer here</Tag>}
        {p.waits && <Tag tone="amber">Wrong tries</Tag>}
        {p.link_until && <Tag tone="tide">A link is out</Tag>}
      </p>
      <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm text-ink-2 md:col-start-1">
        <span>
          Works at {p.everywhere ? "every branch, by the role" : [p.home, ...p.branches].map(name).join(", ")}{" "}
          {!p.everywhere && (
            <Quiet aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
              change
            </Quiet>
          )}
        </span>
        <span>{p.sessions === 0 ? "Not signed in" : `${p.sessions} signed in now`}</span>
        {p.signed && <span>Last by password {sayInstant(p.signed)}</span>}
        <Link to="/network" search={{ tab: "readings", staff: p.id }} className="link">
          Whose records they opened
        </Link>
      </p>
      {choosing && <Branches person={p} onDone={() => setChoosing(false)} />}
      <Doors person={p} />
    </li>
  );
}

function Branches({ person: p, onDone }: { person: Person; onDone: () => void }) {
  const me = useMe();
  const queries = useQueryClient();
  const [chosen, setChosen] = useState<string[]>(p.branches);
  const keep = useWrite(
    (branches: string[], key) =>
      api.PUT("/api/staff/{id}/branches", { params: { path: { id: p.id }, header: keyed(key) }, body: { branches } }),
    {
      name: `branches of ${p.id}`,
      about: `Where ${p.name} may work`,
      done: () => {
        void queries.invalidateQueries({ queryKey: ["staff"] });
        onDone();
      },
    },
  );
  return (
    <div className="grid gap-2 md:col-span-2">
      <Chips
        label={`Beside ${me.branches.find((b) => b.code === p.home)?.name ?? p.home}, ${p.name} may work at`}
        says="nowhere else"
        options={me.branches.filter((b) => b.code !== p.home).map((b) => [b.code, b.name] as const)}
        chosen={chosen}
        onChoose={setChosen}
      />
      <span className="flex gap-2">
        <Button busy={keep.busy} onClick={() => keep.run(chosen)}>
          Keep
        </Button>
        <Button plain onClick={onDone}>
          Leave it
        </Button>
      </span>
      <Trouble error={keep.problem} />
    </div>
  );
}

/** A link to set a password, shown once; ending all sessions. */
function Doors({ person: p }: { person: Person }) {
  const queries = useQueryClient();
  const [link, setLink] = useState<Schema["StaffLink"]>();
  const again = () => void queries.invalidateQueries({ queryKey: ["staff"] });
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
  return (
    <>
      <p className="flex flex-wrap gap-2 md:col-start-2 md:row-span-2 md:row-start-1">
        {p.active && !p.demo && (
          <Button plain busy={make.busy} onClick={() => make.run(p.id)}>
            Link to set a password
          </Button>
        )}
        {p.sessions > 0 && (
          <Button plain busy={end.busy} onClick={() => end.run(p.id)}>
            End all sessions
          </Button>
        )}
      </p>
      {link && (
        <p role="status" className="rounded bg-tide-100 px-3 py-2 text-tide-700 md:col-span-2">
          Give this to {p.name}. It works once, until {sayInstant(link.until)}, and is not shown again:{" "}
          <Code>{window.location.origin + link.path}</Code>
        </p>
      )}
      <Trouble error={make.problem ?? end.problem} />
    </>
  );
}
