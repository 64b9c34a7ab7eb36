import { BranchChoice } from "../../circulation/branches";
import { Link, useNavigate } from "@tanstack/react-router";
import { sayCount } from "../../ui/say";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Foot, Form } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Field, inputLook, Trouble } from "../../ui/parts";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { MoveUp } from "./MoveUp";
import { RosterFields, sayKind, toWriting, useAgain, written, type Roster } from "./roster";
import { TakeBack } from "./TakeBack";

const columns: Column<Roster>[] = [
  {
    id: "name",
    head: "Name",
    value: (r) => r.name,
    cell: (r) => (
      <Link to="/rosters" search={{ roster: r.id }} className="link font-semibold">
        {r.name}
      </Link>
    ),
  },
  { id: "kind", head: "Type", value: (r) => sayKind[r.kind] },
  { id: "school", head: "School", value: (r) => r.school },
  { id: "year", head: "School year", value: (r) => r.school_year },
  { id: "members", head: "Members", value: (r) => r.members, right: true },
  { id: "branch", head: "Branch", value: (r) => r.branch_name },
  { id: "adult", head: "Adult in charge", value: (r) => r.adult_name },
];

/** All rosters in use. */
export function List() {
  const me = useMe();
  const again = useAgain();
  const [branch, setBranch] = useState(me.branch);
  const [words, setWords] = useState("");
  const [making, setMaking] = useState(false);
  const [moving, setMoving] = useState<Roster[]>();
  const [done, setDone] = useState<Schema["RostersEnded"]>();
  const list = usePages(
    ["rosters", branch, words],
    (after) => told(api.GET("/api/rosters", { params: { query: { branch, words, after, most: 500 } } })),
    { keep: true },
  );
  const dissolve = useWrite(
    (rosters: number[], key) =>
      api.POST("/api/rosters-dissolved", { params: { header: keyed(key) }, body: { rosters } }),
    {
      name: "dissolve rosters",
      about: "Dissolving rosters",
      done: (ended) => {
        setDone(ended);
        again();
      },
    },
  );
  return (
    <div className="grid gap-3.5">
      <div className="flex flex-wrap items-end gap-2.5 print:hidden">
        <BranchChoice all="all branches" value={branch} onChange={setBranch} />
        <Field label="Name or school">
          <input className={inputLook} value={words} onChange={(e) => setWords(e.target.value)} />
        </Field>
        <Button plain aria-expanded={making} onClick={() => setMaking(!making)}>
          Add roster
        </Button>
      </div>
      {making && <Make onLeave={() => setMaking(false)} />}
      {moving && (
        <MoveUp
          rosters={moving}
          onLeave={() => setMoving(undefined)}
          onDone={(ended) => {
            setMoving(undefined);
            setDone(ended);
            again();
          }}
        />
      )}
      {done && (
        <p
          role="status"
          className="flex flex-wrap items-baseline gap-x-3 rounded bg-tide-100 px-3 py-1.5 text-tide-700"
        >
          {sayEnded(done)}
          {done.deed > 0 && <TakeBack deed={done.deed} onDone={() => setDone(undefined)} />}
        </p>
      )}
      <Trouble error={dissolve.problem} />
      <Card label="Rosters">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Rosters"
              columns={columns}
              rows={rows}
              id={(r) => r.id}
              pages={list.pages}
              tools
              paper="Rosters"
              empty="No rosters here yet. Add one and scan cards into it, or import the school’s lists."
              acts={[
                {
                  label: (chosen) => `Move ${chosen.length} up a year`,
                  run: (chosen) => setMoving(chosen.filter((r) => r.kind === "class")),
                },
                {
                  label: (chosen) => `Dissolve ${chosen.length}`,
                  run: (chosen) => dissolve.run(chosen.map((r) => r.id)),
                  busy: dissolve.busy,
                  plain: true,
                },
              ]}
            />
          )}
        </Loading>
      </Card>
    </div>
  );
}

export function sayEnded(e: Schema["RostersEnded"]) {
  const moved = e.rosters.filter((r) => !r.says && !r.dissolved).length;
  const dissolved = e.rosters.filter((r) => r.dissolved).length;
  const left = e.rosters.filter((r) => r.says).length;
  return [
    moved > 0 && `${moved} moved up`,
    dissolved > 0 && `${dissolved} dissolved`,
    left > 0 && `${left} unchanged`,
    sayCount(e.pupils, "patron"),
  ]
    .filter(Boolean)
    .join(", ")
    .concat(".");
}

function Make({ onLeave }: { onLeave: () => void }) {
  const me = useMe();
  const again = useAgain();
  const navigate = useNavigate();
  const make = useWrite(
    (body: Schema["RostersWriting"], key) => api.POST("/api/rosters", { params: { header: keyed(key) }, body }),
    {
      name: "make roster",
      about: (w) => `Roster ${w.name}`,
      done: again,
      go: (r) => void navigate({ to: "/rosters", search: { roster: r.id } }),
    },
  );
  return (
    <Card label="Add roster" className="p-3.5">
      <Form
        label="Add roster"
        schema={written}
        start={{ kind: "class", name: "", branch: me.branch, school: "", school_year: "", adult: undefined }}
        write={make}
        onSend={(v) => make.run(toWriting(v, 0))}
        className="grid gap-3"
      >
        <RosterFields isNew />
        <Foot write={make} onLeave={onLeave}>
          Save
        </Foot>
      </Form>
    </Card>
  );
}
