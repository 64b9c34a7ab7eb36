import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { InHand } from "../../circulation/inhand";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Card, Code, Head, Quiet, Tag, type Tone } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { sayCount, sayDate, sayDay } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Whom } from "../../circulation/whom";
import { Why } from "../../shell/why";
import { CancelHold } from "./CancelHold";
import { Lately } from "./Lately";
import { ChangeHold } from "./ChangeHold";
import { MoveHold } from "./MoveHold";
import { PlaceHold } from "./PlaceHold";
import { QueuePicture } from "./QueuePicture";
import { stateOf } from "./state";

type Queue = Schema["HoldsTitleQueue"];
type Row = Schema["HoldsInQueue"];
type Doing = { what: "change" | "move"; hold: Row } | undefined;

/** The queue of one title: over time as a picture, and as a list with what can be done. */
export function TitleQueue({ id }: { id: number }) {
  const me = useMe();
  const may = isEmployed(me.role);
  const queue = useQuery({
    queryKey: ["queue", id],
    queryFn: () => told(api.GET("/api/titles/{id}/queue", { params: { path: { id } } })),
  });
  const q = queue.data;
  const waiting = q?.holds.filter((h) => h.state === "waiting").length ?? 0;
  return (
    <div className="grid gap-3.5">
      <Head
        title={q?.title ?? "Queue"}
        says={
          q && (
            <>
              {waiting} waiting, {sayCount(q.copies.length, "copy", "copies")}.{" "}
              <Link to="/items" search={{ title: id }} className="link">
                Show title
              </Link>{" "}
              ·{" "}
              <Link to="/holds" search={{}} className="link">
                All holds at this branch
              </Link>
            </>
          )
        }
      />
      <InHand prompt="Scan any item to see where it goes" />
      {may && <PlaceHold title={id} />}
      <Loading of={queue}>
        {(data) => (
          <>
            <Card label="When they will be ready" className="p-3.5">
              <h2 className="font-semibold">When they will be ready</h2>
              <QueuePicture queue={data} />
              {data.kept && <p className="mt-1.5 text-sm text-ink-2">{data.kept}</p>}
            </Card>
            <Rows queue={data} may={may} />
            <Copies copies={data.copies} />
          </>
        )}
      </Loading>
    </div>
  );
}

function Rows({ queue, may }: { queue: Queue; may: boolean }) {
  const [doing, setDoing] = useState<Doing>();
  const columns = useMemo(() => columnsFor(may, setDoing), [may]);
  return (
    <Card label="The queue">
      {may && <Lately />}
      {doing?.what === "change" && (
        <ChangeHold key={doing.hold.id} hold={doing.hold} done={() => setDoing(undefined)} />
      )}
      {doing?.what === "move" && (
        <MoveHold key={doing.hold.id} hold={doing.hold} among={queue.holds} done={() => setDoing(undefined)} />
      )}
      <Table
        label="The queue"
        columns={columns}
        rows={queue.holds}
        id={(h) => h.id}
        tools
        paper={`Queue of ${queue.title}`}
        className="max-h-[60vh]"
        empty="No holds. Place one above."
      />
      {queue.more && <p className="px-3 py-2 text-sm text-ink-2">The first 300 are shown.</p>}
    </Card>
  );
}

const columnsFor = (may: boolean, act: (d: Doing) => void): Column<Row>[] => [
  { id: "place", head: "No.", value: (h) => h.waiting || "", right: true },
  {
    id: "for",
    head: "For",
    value: (h) => h.patron,
    cell: (h) => (
      <>
        <Whom id={h.patron_id} name={h.patron} bold />
        {h.band !== 0 && (
          <span className="block text-sm text-ink-2">
            {h.band < 0 ? "Patron class has priority" : "Patron class comes last"}
          </span>
        )}
      </>
    ),
  },
  {
    id: "stands",
    head: "Status",
    value: (h) => `${stateOf(h)[1]} ${h.says}`,
    cell: (h) => (
      <>
        <Tag tone={h.nothing ? "buoy" : stateOf(h)[0]}>{h.nothing ? "No copy available" : stateOf(h)[1]}</Tag>{" "}
        <span className="text-sm text-ink-2">{h.says}</span>
        {h.only && <span className="block text-sm text-ink-2">Only {h.only}</span>}
        {h.moved && (
          <span className="block text-sm text-ink-2">
            Moved by {h.moved.who}, {sayDay(h.moved.at)}: {h.moved.reason}
          </span>
        )}
        {h.wanted_until && <span className="block text-sm text-ink-2">Needed until {sayDate(h.wanted_until)}</span>}
      </>
    ),
  },
  {
    id: "when",
    head: "Ready",
    value: (h) => h.foreseen?.likely ?? "",
    cell: (h) =>
      h.foreseen && (
        <>
          <b className="font-semibold">{sayDate(h.foreseen.likely)}</b>
          {h.foreseen.from !== h.foreseen.until && (
            <span className="block text-sm text-ink-2">
              {sayDate(h.foreseen.from)} to {sayDate(h.foreseen.until)}
            </span>
          )}
        </>
      ),
  },
  { id: "placed", head: "Placed", value: (h) => h.placed_at, cell: (h) => sayDay(h.placed_at), className: "text-sm" },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (h) => <Acts hold={h} may={may} act={act} />,
  },
];

function Acts({ hold: h, may, act }: { hold: Row; may: boolean; act: (d: Doing) => void }) {
  const me = useMe();
  const supervises = me.role === "supervisor" || me.role === "administrator";
  return (
    <span className="flex justify-end gap-3 whitespace-nowrap">
      <Why trace={h.why ?? h.why_so}>Why</Why>
      {supervises && h.state === "waiting" && <Quiet onClick={() => act({ what: "move", hold: h })}>Move</Quiet>}
      {may && h.state === "waiting" && <Quiet onClick={() => act({ what: "change", hold: h })}>Edit</Quiet>}
      {may && <CancelHold hold={h} />}
    </span>
  );
}

const tones: Record<string, Tone> = { free: "spruce", lent: "plain", comes: "tide", meant: "amber", away: "buoy" };
const words: Record<string, string> = {
  free: "Free",
  lent: "On loan",
  comes: "In transit",
  meant: "Reserved",
  away: "Not available",
};

const copyColumns: Column<Schema["HoldsCopyAt"]>[] = [
  {
    id: "number",
    head: "Number",
    value: (c) => c.barcode,
    cell: (c) => (
      <Link to="/items" search={{ item: c.item_id }}>
        <Code>{c.barcode}</Code>
      </Link>
    ),
  },
  { id: "home", head: "Home branch", value: (c) => c.home },
  { id: "which", head: "Edition, volume", value: (c) => [c.edition, c.volume].filter(Boolean).join(", ") },
  {
    id: "where",
    head: "Location",
    value: (c) => c.says,
    cell: (c) => (
      <>
        <Tag tone={tones[c.state] ?? "plain"}>{words[c.state]}</Tag> {c.says}
      </>
    ),
  },
];

function Copies({ copies }: { copies: Schema["HoldsCopyAt"][] }) {
  return (
    <Card label="Copies">
      <h2 className="px-3 pt-2.5 font-semibold">Copies</h2>
      <Table
        label="Copies"
        columns={copyColumns}
        rows={copies}
        id={(c) => c.item_id}
        empty="This title has no copies."
      />
    </Card>
  );
}
