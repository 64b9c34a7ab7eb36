import type { Schema } from "../../api/client";
import { Tag } from "../../kit/parts";
import { sayInstant } from "../../kit/say";
import { Table, type Column } from "../../kit/table";

type Row = Schema["MovingMoved"];

const columns: Column<Row>[] = [
  { id: "title", head: "Title", value: (m) => m.title, className: "font-semibold" },
  { id: "for", head: "For", value: (m) => m.for || "goes home" },
  { id: "way", head: "Way", value: (m) => `${m.from} to ${m.to}` },
  { id: "was", head: "Promised", value: (m) => m.was ?? "", cell: (m) => m.was && sayInstant(m.was) },
  {
    id: "is",
    head: "Would be",
    value: (m) => m.is ?? "",
    cell: (m) => (m.is ? sayInstant(m.is) : <Tag tone="buoy">Never</Tag>),
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
