import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { DateField, Foot, Form, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Code, Quiet, Tag } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { PrintSlip } from "../../circulation/print";
import { plural, sayCount, sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Whom } from "../../circulation/whom";
import { Why } from "../../shell/why";
import { useWrite } from "../../shell/write";
import { useAgain } from "./cancel";
import { ToQueue } from "./ToQueue";

export type OnShelf = Schema["HoldsOnShelf"];

export const title: Column<OnShelf> = {
  id: "title",
  head: "Title",
  value: (h) => `${h.title} ${h.barcode}`,
  cell: (h) => (
    <>
      <ToQueue id={h.title_id} title={h.title} />
      <br />
      <Code>{h.barcode}</Code> <span className="text-sm text-ink-2">{h.material}</span>
    </>
  ),
};

const columnsFor = (slots: boolean, may: boolean, longer: (h: OnShelf) => void): Column<OnShelf>[] => [
  ...(slots ? [{ id: "slot", head: "Slot", value: (h: OnShelf) => h.slot ?? 0, right: true }] : []),
  {
    id: "for",
    head: "For",
    value: (h) => `${h.patron} ${h.name ?? ""}`,
    cell: (h) => (
      <>
        <Whom id={h.patron_id} name={h.patron} bold />
        {h.name && h.name !== h.patron && <span className="block text-sm text-ink-2">{h.name}</span>}
      </>
    ),
  },
  title,
  {
    id: "until",
    head: "Pick up by",
    value: (h) => h.until ?? "",
    cell: (h) => (
      <>
        {h.until && sayDate(h.until)}{" "}
        {h.lapsed ? <Tag tone="buoy">Expired</Tag> : h.today && <Tag tone="amber">Last day today</Tag>}
      </>
    ),
  },
  { id: "told", head: "Notified", value: (h) => h.told },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (h) => (
      <span className="flex justify-end gap-3 whitespace-nowrap">
        <Why trace={h.why}>Reason</Why>
        <PrintSlip of={{ kind: "hold", id: h.id }} />
        {may && <Quiet onClick={() => longer(h)}>Keep longer</Quiet>}
      </span>
    ),
  },
];

/** What stands on the hold shelf here, by its last day. */
export function Shelf() {
  const me = useMe();
  const may = isEmployed(me.role);
  const [longer, setLonger] = useState<OnShelf>();
  const list = usePages(["hold shelf", me.branch], (after) =>
    told(api.GET("/api/hold-shelf", { params: { query: { after, most: 300 } } })),
  );
  const rows = list.data;
  const slots = rows?.some((h) => h.slot) ?? false;
  const columns = useMemo(() => columnsFor(slots, may, setLonger), [slots, may]);
  const today = rows?.filter((h) => h.today).length ?? 0;
  return (
    <Card label="Hold shelf">
      {rows && (
        <p className="px-3 pt-2.5 text-ink-2">
          {rows.length}
          {list.pages.hasMore ? " and more" : ""} on the hold shelf at {branchName(me)}.{" "}
          {today > 0 && <Tag tone="amber">{sayCount(today, "has its", "have their")} last day today</Tag>}
        </p>
      )}
      <Ahead />
      {longer && <KeepLonger key={longer.id} hold={longer} done={() => setLonger(undefined)} />}
      <Loading of={list}>
        {(some) => (
          <Table
            label="Hold shelf"
            columns={columns}
            rows={some}
            id={(h) => h.id}
            pages={list.pages}
            tools
            paper={`Hold shelf at ${branchName(me)}`}
            className="max-h-[68vh]"
            empty="The hold shelf is empty. Items scanned for holds here appear in this list."
          />
        )}
      </Loading>
    </Card>
  );
}

/** Closures ahead, and what each means for what stands here and for what is on its way. */
function Ahead() {
  const me = useMe();
  const list = useQuery({
    queryKey: ["hold shelf", me.branch, "closures"],
    queryFn: () => told(api.GET("/api/hold-shelf/closures")),
  });
  if (!list.data?.length) return null;
  return (
    <ul aria-label="Upcoming closures" className="grid gap-1 px-3 pt-1.5 text-sm">
      {list.data.map((c) => (
        <li key={c.from}>
          <Tag tone="tide">
            Closed {sayDate(c.from)}
            {c.until !== c.from && ` to ${sayDate(c.until)}`}
          </Tag>{" "}
          {c.names.length > 0 && <b className="font-semibold">{c.names.join(", ")}. </b>}
          Of the items here, {sayCount(c.before, "has its", "have their")} last day before, {c.beyond}{" "}
          {plural(c.beyond, "waits", "wait")} after it: closed days do not count.{" "}
          {c.coming + c.later > 0 &&
            `In transit to here: ${c.coming} before, ${c.later} ${c.reopens ? `from ${sayDate(c.reopens)} on` : "after"}.`}{" "}
          <Link to="/calendars" className="link">
            Calendars
          </Link>
        </li>
      ))}
    </ul>
  );
}

const schema = z.object({ until: check.date, reason: check.text });

/** Keeps something on the hold shelf until another day, on request. */
function KeepLonger({ hold: h, done }: { hold: OnShelf; done: () => void }) {
  const me = useMe();
  const again = useAgain();
  const keep = useWrite(
    (v: z.infer<typeof schema>, key) =>
      api.POST("/api/holds/{id}/longer", { params: { path: { id: h.id }, header: keyed(key) }, body: v }),
    {
      name: `keep longer ${h.id}`,
      about: () => `Keeping ${h.title} longer`,
      done: () => {
        again();
        done();
      },
    },
  );
  return (
    <div className="border-y border-line bg-sunk px-3 py-2.5">
      <h3 className="font-semibold">
        {h.title}, for {h.patron}
      </h3>
      <Form
        label={`Keep ${h.title} longer`}
        schema={schema}
        start={{ until: h.until ?? "", reason: "" }}
        write={keep}
        onSend={keep.run}
        className="mt-1.5 flex flex-wrap items-end gap-3"
      >
        <DateField name="until" label="Keep until" min={me.now.slice(0, 10)} />
        <TextField name="reason" label="Reason" width="w-72" />
        <Foot write={keep} onLeave={done}>
          Save
        </Foot>
      </Form>
    </div>
  );
}
