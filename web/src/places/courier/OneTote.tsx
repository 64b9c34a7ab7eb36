import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Code, Quiet, Tag, Trouble } from "../../ui/parts";
import { isEmployed, supervises } from "../../shell/places";
import { PrintSlip } from "../../circulation/print";
import { sayInstant } from "../../ui/say";
import { SignTag } from "../../circulation/sign";
import { Table, type Column } from "../../ui/table";
import {
  sayState,
  sayStep,
  useBack,
  useFinish,
  useLose,
  useTakeOut,
  useUnpack,
  type Detail,
  type Unpacked,
} from "./tote";

type Thing = Detail["in"][number];
type Placed = Unpacked["signs"][number];

/** A tote with what is in it, what was done with it, and what can be done with it here. */
export function OneTote({ id, close }: { id: number; close: () => void }) {
  const tote = useQuery({
    queryKey: ["tote", id],
    queryFn: () => told(api.GET("/api/totes/{id}", { params: { path: { id } } })),
  });
  return (
    <Card label="A tote" className="grid gap-3 p-3.5">
      <Loading of={tote}>{(t) => <Shown tote={t} close={close} />}</Loading>
    </Card>
  );
}

function Shown({ tote: t, close }: { tote: Detail; close: () => void }) {
  const me = useMe();
  const [signs, setSigns] = useState<Placed[]>();
  const left = t.in.filter((x) => !x.out);
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-3">
        <h2 className="text-lg font-semibold">
          Tote <Code>{t.number}</Code> from {t.from} to {t.to}{" "}
          <Tag tone={t.stranded || t.late || t.state === "lost" ? "buoy" : "plain"}>{sayState(t)}</Tag>
        </h2>
        <span className="flex flex-wrap items-center gap-3 print:hidden">
          <PrintSlip of={{ kind: "tote", id: t.id }}>Print label</PrintSlip>
          <Quiet onClick={close}>Hide</Quiet>
        </span>
      </div>
      {t.stranded && (
        <p>
          {t.run || "Its run"} no longer runs. Scan the tote label where it is now. If it never left, undo that step.
        </p>
      )}
      <Acts tote={t} left={left.length} unpacked={(u) => setSigns(u.signs)} gone={close} />
      {signs && signs.length > 0 && (
        <div>
          <h3 className="font-semibold">Destination of each item</h3>
          <Table
            label="Destination of each item"
            columns={signColumns}
            rows={signs}
            id={(s) => s.item_id}
            paper={`Out of tote ${t.number}, ${sayInstant(me.now)}`}
            tools
            empty=""
          />
        </div>
      )}
      <h3 className="-mb-3 font-semibold">Manifest</h3>
      <Table
        label={`What is in tote ${t.number}`}
        columns={columnsFor(t)}
        rows={t.in}
        id={(x) => x.transit_id}
        paper={`Manifest of tote ${t.number}, ${t.from} to ${t.to}, ${sayInstant(me.now)}`}
        tools
        className="max-h-[40vh]"
        empty="Empty. Items sent to that branch are added automatically."
      />
      <ol aria-label="Activity" className="grid gap-0.5 text-sm">
        {t.steps.map((s) => (
          <li key={s.id} className={s.undone ? "line-through" : undefined}>
            <b className="font-semibold">{sayStep[s.step]}</b> {sayInstant(s.at)}, {s.where}
            {s.who && `, ${s.who}`}
            {s.undone && <span className="sr-only"> (undone)</span>}
          </li>
        ))}
      </ol>
    </>
  );
}

/** What can be done with a tote where the one who looks works. */
function Acts({
  tote: t,
  left,
  unpacked,
  gone,
}: {
  tote: Detail;
  left: number;
  unpacked: (u: Unpacked) => void;
  gone: () => void;
}) {
  const me = useMe();
  const back = useBack(t.id, (dropped) => dropped && gone());
  const unpack = useUnpack(t, unpacked);
  const finish = useFinish(t);
  const lose = useLose(t);
  const last = t.steps.find((s) => s.id === t.back);
  const at = (branch: string) => me.branch === branch || supervises(me.role);
  const comes = me.branch === t.to_branch && ["closed", "away", "here"].includes(t.state);
  const mayLose = isEmployed(me.role) && (at(t.from_branch) || at(t.to_branch)) && (t.late || t.stranded);
  return (
    <>
      <p className="flex flex-wrap items-center gap-3 print:hidden">
        {comes && left > 0 && (
          <Button disabled={unpack.busy} onClick={() => unpack.run(undefined)}>
            All {left} arrived
          </Button>
        )}
        {t.state === "here" && t.at_branch === me.branch && left > 0 && (
          <Quiet disabled={finish.busy} onClick={() => finish.run(undefined)}>
            The rest is not in it
          </Quiet>
        )}
        {mayLose && (
          <Quiet disabled={lose.busy} onClick={() => lose.run(undefined)}>
            Declare lost with its contents
          </Quiet>
        )}
        {last && (
          <Quiet disabled={back.busy} onClick={() => back.run(last.id)}>
            Undo: {sayStep[last.step]}
          </Quiet>
        )}
      </p>
      <Trouble error={unpack.problem ?? finish.problem ?? lose.problem ?? back.problem} />
    </>
  );
}

const signColumns: Column<Placed>[] = [
  {
    id: "sign",
    head: "Destination",
    value: (s) => `${s.sign.kind} ${s.sign.place}`,
    cell: (s) => <SignTag sign={s.sign} />,
  },
  {
    id: "item",
    head: "Item",
    value: (s) => s.title,
    cell: (s) => (
      <>
        <b className="font-semibold">{s.title}</b> <Code>{s.barcode}</Code>
      </>
    ),
  },
  { id: "detail", head: "Location", value: (s) => s.sign.detail, className: "text-sm" },
  {
    id: "slip",
    head: "Slip",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (s) => s.sign.hold_id && <PrintSlip of={{ kind: "hold", id: s.sign.hold_id }} byItself />,
  },
];

const columnsFor = (t: Detail): Column<Thing>[] => [
  {
    id: "item",
    head: "Item",
    value: (x) => x.title,
    cell: (x) => (
      <Link to="/items" search={{ item: x.item_id }} className="font-semibold hover:underline">
        {x.title}
      </Link>
    ),
  },
  { id: "number", head: "Number", value: (x) => x.barcode, cell: (x) => <Code>{x.barcode}</Code> },
  { id: "call", head: "Call number", value: (x) => x.call_number },
  { id: "for", head: "For", value: (x) => (x.hold ? "a hold" : "its home branch") },
  {
    id: "out",
    head: "Status",
    value: (x) => x.out ?? "",
    cell: (x) => (x.out ? `taken out ${sayInstant(x.out)}` : t.state === "empty" ? "not found in it" : "in the tote"),
  },
  ...(t.state === "open"
    ? [
        {
          id: "acts",
          head: "Take out",
          unnamed: true,
          right: true,
          screenOnly: true,
          cell: (x: Thing) => !x.out && <TakeOut tote={t} thing={x} />,
        },
      ]
    : []),
];

function TakeOut({ tote, thing }: { tote: Detail; thing: Thing }) {
  const out = useTakeOut(tote);
  return (
    <>
      <Quiet disabled={out.busy} onClick={() => out.run(thing.transit_id)}>
        Take out
      </Quiet>
      <Trouble error={out.problem} />
    </>
  );
}
