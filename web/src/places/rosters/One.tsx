import { useQuery } from "@tanstack/react-query";
import { sayCount } from "../../ui/say";
import { Link, useNavigate } from "@tanstack/react-router";
import { useEffect, useMemo, useState } from "react";
import { useStore } from "zustand";
import { api, keyed, told, type Schema } from "../../api/client";
import { Foot, Form } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Empty, Head, Quiet, Tag, Trouble } from "../../ui/parts";
import { usePrompt } from "../../shell/scan";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { useScans, type Scan } from "../../shell/scans/scans";
import { Table, type Column } from "../../ui/table";
import { useTop } from "../../ui/top";
import { useWrite } from "../../shell/write";
import { Lists } from "./Lists";
import { RosterFields, sayKind, toSaid, toWriting, useAgain, written, type Roster } from "./roster";
import { answered, type Scanned } from "./session";
import { TakeBack } from "./TakeBack";

type Found = Schema["PeopleFound"];

/** One roster: who is in it, and whoever is scanned comes in. */
export function One({ id }: { id: number }) {
  useTop();
  usePrompt("Scan a card or type a school number to add a member");
  const again = useAgain();
  const scans = useStore(answered, (a) => a.scans);
  useEffect(() => {
    if (scans > 0) again();
  }, [scans, again]);
  const one = useQuery({
    queryKey: ["roster", id],
    queryFn: () => told(api.GET("/api/rosters/{id}", { params: { path: { id } } })),
  });
  return <Loading of={one}>{(r) => <Shown roster={r} />}</Loading>;
}

function Shown({ roster: r }: { roster: Roster }) {
  const navigate = useNavigate();
  const [open, setOpen] = useState<"change" | "list">();
  const lines = useScans("rosters", String(r.id));
  return (
    <div className="grid gap-3.5">
      <Head
        title={r.name}
        says={[
          sayKind[r.kind],
          r.school,
          r.school_year && `school year ${r.school_year}`,
          r.branch_name,
          sayCount(r.members, "member"),
          r.adult_name && `${r.adult_name} in charge`,
        ]
          .filter(Boolean)
          .join(", ")}
      >
        {!r.dissolved && (
          <>
            <Button plain aria-expanded={open === "list"} onClick={() => setOpen(open === "list" ? undefined : "list")}>
              Import a list
            </Button>
            <Button
              plain
              aria-expanded={open === "change"}
              onClick={() => setOpen(open === "change" ? undefined : "change")}
            >
              Edit
            </Button>
          </>
        )}
        <Button plain onClick={() => void navigate({ to: "/holds", search: { roster: r.id } })}>
          Place holds for all
        </Button>
        <Button plain onClick={() => void navigate({ to: "/rosters", search: {} })}>
          All rosters
        </Button>
      </Head>
      {r.dissolved && <p role="status">This roster has been dissolved. You can undo that under Activity.</p>}
      {open === "change" && <Change roster={r} onLeave={() => setOpen(undefined)} />}
      {open === "list" && <Lists into={r} />}
      <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <Members roster={r} />
        <Card label="Scanned here">
          <h2 className="border-b border-line px-3.5 py-2 font-semibold">Scanned here</h2>
          {lines.length === 0 ? (
            <Empty>
              Scan cards one after another: each is added to {r.name}, and removed from their current class.
            </Empty>
          ) : (
            <ul aria-live="polite" className="max-h-[66vh] divide-y divide-line overflow-auto">
              {lines.map((s) => (
                <ScanLine key={s.id} scan={s} />
              ))}
            </ul>
          )}
        </Card>
      </div>
    </div>
  );
}

const tones = { in: "spruce", moved: "amber", there: "plain", wrong: "buoy" } as const;

function ScanLine({ scan: s }: { scan: Scan }) {
  const done = s.result as Scanned | undefined;
  return (
    <li className="flex flex-wrap items-baseline gap-x-2 px-3.5 py-1.5">
      {done ? (
        <Tag tone={tones[done.kind]}>
          {{ in: "Added", moved: "Moved", there: "Already here", wrong: "Not added" }[done.kind]}
        </Tag>
      ) : (
        s.state === "wrong" && <Tag tone="buoy">Not added</Tag>
      )}
      {done?.patron ? (
        <Link to="/patrons" search={{ patron: done.patron.id }} className="link font-semibold">
          {done.patron.name}
        </Link>
      ) : (
        <Code>{s.text}</Code>
      )}
      <span className="flex-1">{sayState(s)}</span>
      {done?.deed ? <TakeBack deed={done.deed} /> : <ScanActs scan={s} />}
    </li>
  );
}

function Change({ roster: r, onLeave }: { roster: Roster; onLeave: () => void }) {
  const again = useAgain();
  const [seen] = useState(r); // as it was when this was opened
  const change = useWrite(
    (body: Schema["RostersWriting"], key) =>
      api.PUT("/api/rosters/{id}", { params: { path: { id: r.id }, header: keyed(key) }, body }),
    {
      name: `roster ${r.id}`,
      about: `Roster ${r.name}`,
      done: () => {
        again();
        onLeave();
      },
    },
  );
  return (
    <Card label="Edit roster" className="p-3.5">
      <Form
        label="Edit roster"
        schema={written}
        start={toSaid(seen)}
        write={change}
        onSend={(v) => change.run(toWriting(v, seen.revision))}
        className="grid gap-3"
      >
        <RosterFields isNew={false} />
        <Foot write={change} onLeave={onLeave}>
          Save
        </Foot>
      </Form>
    </Card>
  );
}

function Members({ roster: r }: { roster: Roster }) {
  const list = usePages(["roster members", r.id], (after) =>
    told(api.GET("/api/rosters/{id}/members", { params: { path: { id: r.id }, query: { after, most: 500 } } })),
  );
  const columns = useMemo<Column<Found>[]>(
    () => [
      {
        id: "name",
        head: "Name",
        value: (p) => p.name,
        cell: (p) => (
          <Link to="/patrons" search={{ patron: p.id }} className="link">
            {p.name}
          </Link>
        ),
      },
      { id: "card", head: "Card", value: (p) => p.card, cell: (p) => <Code>{p.card}</Code> },
      { id: "class", head: "Patron class", value: (p) => p.class },
      {
        id: "act",
        head: "Remove",
        unnamed: true,
        right: true,
        screenOnly: true,
        cell: (p) => <Leave roster={r} patron={p} />,
      },
    ],
    [r],
  );
  return (
    <Card label="Members">
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Members"
            columns={columns}
            rows={rows}
            id={(p) => p.id}
            pages={list.pages}
            tools
            paper={`${r.name} ${r.school}`}
            empty="No members yet. Scan cards, or import a list."
          />
        )}
      </Loading>
    </Card>
  );
}

function Leave({ roster: r, patron }: { roster: Roster; patron: Found }) {
  const again = useAgain();
  const leave = useWrite(
    (_: undefined, key) =>
      api.POST("/api/rosters/{id}/leave", {
        params: { path: { id: r.id }, header: keyed(key) },
        body: { patron: patron.id },
      }),
    { name: `leave ${r.id} ${patron.id}`, about: `Removing ${patron.name} from ${r.name}`, done: again },
  );
  return (
    <>
      <Quiet disabled={leave.busy} aria-label={`Remove ${patron.name}`} onClick={() => leave.run(undefined)}>
        Remove
      </Quiet>
      <Trouble error={leave.problem} />
    </>
  );
}
