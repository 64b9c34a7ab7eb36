import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { Code, Tag } from "../../ui/parts";
import { plural, sayCount, sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";

type Row = Schema["MovingMoved"];

const columns: Column<Row>[] = [
  { id: "title", head: "Title", value: (m) => m.title, className: "font-semibold" },
  { id: "for", head: "For", value: (m) => m.for || "going home" },
  { id: "way", head: "Route", value: (m) => `${m.from} to ${m.to}` },
  { id: "was", head: "Promised", value: (m) => m.was ?? "", cell: (m) => m.was && sayInstant(m.was) },
  {
    id: "is",
    head: "New promise",
    value: (m) => m.is ?? "",
    cell: (m) => (m.is ? sayInstant(m.is) : <Tag tone="buoy">Never</Tag>),
  },
];

/** What another timetable does to what has been promised. */
export function Moved({ of }: { of: Schema["MovingRetimed"] }) {
  const none = of.later + of.sooner + of.never === 0;
  return (
    <section aria-label="Effect" className="grid gap-1.5">
      <p role="status">
        {none ? (
          <>
            <Tag tone="spruce">No promised date changes</Tag> Nothing in transit or on a fetch list uses it.
          </>
        ) : (
          <>
            {of.never > 0 && <Tag tone="buoy">{of.never} never arrive</Tag>}{" "}
            {of.later > 0 && <Tag tone="amber">{of.later} later</Tag>}{" "}
            {of.sooner > 0 && <Tag tone="spruce">{of.sooner} sooner</Tag>} Affects {of.patrons}{" "}
            {plural(of.patrons, "person", "people")} waiting.
          </>
        )}
      </p>
      {of.aboard.length > 0 && (
        <div>
          <b className="font-semibold">
            {sayCount(of.aboard.length, "tote was", "totes were")} on a run that no longer goes.
          </b>{" "}
          Ask the driver where they are and scan their labels there; each then continues from there.
          <ul aria-label="Totes on this run">
            {of.aboard.map((t) => (
              <li key={t.id}>
                <Link to="/courier" search={{ tab: "totes", tote: t.id }} className="link">
                  <Code>{t.number}</Code>
                </Link>{" "}
                {t.from} to {t.to}, {sayCount(t.things, "item")}, last seen at {t.at}
              </li>
            ))}
          </ul>
        </div>
      )}
      {!none && (
        <Table
          label="Promised dates that change"
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
