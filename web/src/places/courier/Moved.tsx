import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { Code, Tag } from "../../kit/parts";
import { sayNear } from "../../kit/say";
import { Table, type Column } from "../../kit/table";

type Row = Schema["MovingMoved"];

const columns: Column<Row>[] = [
  { id: "title", head: "Title", value: (m) => m.title, className: "font-semibold" },
  { id: "for", head: "For", value: (m) => m.for || "goes home" },
  { id: "way", head: "Way", value: (m) => `${m.from} to ${m.to}` },
  { id: "was", head: "Promised", value: (m) => m.was ?? "", cell: (m) => m.was && sayNear(m.was) },
  {
    id: "is",
    head: "Would be",
    value: (m) => m.is ?? "",
    cell: (m) => (m.is ? sayNear(m.is) : <Tag tone="buoy">Never</Tag>),
  },
];

/** What another timetable does to what has been promised. */
export function Moved({ of }: { of: Schema["MovingRetimed"] }) {
  const none = of.later + of.sooner + of.never === 0;
  return (
    <section aria-label="What it does" className="grid gap-1.5">
      <p role="status">
        {none ? (
          <>
            <Tag tone="spruce">No promise changes</Tag> Nothing that is under way or to be fetched goes by it.
          </>
        ) : (
          <>
            {of.never > 0 && <Tag tone="buoy">{of.never} never get there</Tag>}{" "}
            {of.later > 0 && <Tag tone="amber">{of.later} later</Tag>}{" "}
            {of.sooner > 0 && <Tag tone="spruce">{of.sooner} sooner</Tag>} It concerns {of.patrons}{" "}
            {of.patrons === 1 ? "person" : "people"} who wait.
          </>
        )}
      </p>
      {of.aboard.length > 0 && (
        <div>
          <b className="font-semibold">
            {of.aboard.length === 1 ? "One tote was" : `${of.aboard.length} totes were`} taken by a run that would not
            go.
          </b>{" "}
          Ask the driver where they are and scan their labels there; each then goes on from where it is.
          <ul aria-label="Totes taken by it">
            {of.aboard.map((t) => (
              <li key={t.id}>
                <Link to="/courier" search={{ tab: "totes", tote: t.id }} className="link">
                  <Code>{t.number}</Code>
                </Link>{" "}
                {t.from} to {t.to}, {t.things} {t.things === 1 ? "thing" : "things"}, seen last at {t.at}
              </li>
            ))}
          </ul>
        </div>
      )}
      {!none && (
        <Table
          label="Promises that change"
          columns={columns}
          rows={of.moved}
          id={(m) => m.transit_id ?? -(m.hold_id ?? 0)}
          tools
          className="max-h-[40vh]"
          empty="None."
        />
      )}
    </section>
  );
}
